"""What Balance lays beside the plane: choices that stand out."""

from __future__ import annotations

from yomikomi.core.balance.choice import Choice
from yomikomi.core.balance.sentences import seen_words, sound_words
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import size_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Card, label, row


class ChoiceCard(Card):
    """A choice that stands out, with its three figures."""

    def __init__(self, choice: Choice) -> None:
        super().__init__()
        self.choice = choice
        told = choice.point.prediction
        self.body.addWidget(label(choice.title))
        untouched = told.recipe.untouched
        self.body.addWidget(label(f"{told.recipe.words} · {sound_words(told.recipe)}", quiet=True))
        seen = seen_words(told.fidelity)
        self.body.addWidget(label(seen, quiet=True, wrap=True))
        kept = ("identical" if choice.key != "exact" else "ends encoded") if untouched else f"{choice.point.fidelity:.1f} dB"
        figures = [size_text(told.size_bytes.expected), kept, spoken(told.encode_seconds.expected)]
        made = [label(words, figure=True) for words in figures]
        made[0].setFont(theme.mono(theme.BODY_PX, medium=True))
        self.body.addLayout(row(made[0], 1, made[1], 1, made[2]))
        self.setToolTip(choice.why)
        self.setAccessibleName(f"{choice.title}: {told.recipe.words}, {seen}, {', '.join(figures)}")
