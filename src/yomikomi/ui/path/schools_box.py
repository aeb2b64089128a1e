"""Ways of working side by side, with what each gives and costs on this path."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.path.schools import School, SchoolOption
from yomikomi.ui.widgets.basics import Card, CardColumn, Sentence, button, label, row, scrolled


class SchoolsBox(QDialog):
    """Emits ``followed`` with the SchoolOption taken."""

    followed = Signal(object)

    def __init__(self, route: str, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Ways of working")
        self.resize(900, 640)
        sentence = Sentence()
        sentence.say("Good practice differs here; choose a way of working.", f"Benefits and costs on this path: {route}")
        self.column = CardColumn()
        self.column.setContentsMargins(0, 0, 12, 0)
        self.cards: dict[tuple[str, str], Card] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(12)
        layout.addWidget(sentence)
        layout.addWidget(scrolled(self.column), 1)
        layout.addLayout(row(1, button("Close", self.accept, primary=True)))

    def show_schools(self, schools: Sequence[School]) -> None:
        self.column.clear()
        self.cards = {}
        for school in schools:
            self.column.addWidget(label(school.question, name="section"))
            line = QHBoxLayout()
            line.setSpacing(10)
            line.setContentsMargins(0, 0, 0, 8)
            for option in school.options:
                card = self._card(option, chosen=option.key == school.chosen)
                self.cards[school.key, option.key] = card
                line.addWidget(card, 1)
            holder = QWidget()
            holder.setLayout(line)
            self.column.addWidget(holder)
        if not schools:
            self.column.addWidget(label("Nothing to choose on this path: the data are copied unchanged.", quiet=True, wrap=True))
        self.column.addStretch(1)

    def _card(self, option: SchoolOption, *, chosen: bool) -> Card:
        card = Card()
        head = row(label(option.words), 1, label("chosen" if chosen else f"{option.points:.0f} points", quiet=True))
        card.body.addLayout(head)
        for name, words in (("For", option.gives), ("Against", option.costs)):
            if words:
                card.body.addWidget(label(f"{name}: {words}", quiet=True, wrap=True))
        card.body.addWidget(label(option.figure, figure=True, wrap=True))
        card.body.addStretch(1)
        card.mark_chosen(chosen)
        card.setAccessibleName(
            f"{option.words}{', followed' if chosen else ''}. Gives: {option.gives} Costs: {option.costs} {option.figure}"
        )
        card.chosen.connect(lambda: self.followed.emit(option))
        return card
