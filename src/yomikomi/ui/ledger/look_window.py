"""Looking at a copy beside what it was made from, spot by spot, one key each."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QLineEdit, QWidget

from yomikomi.core.looking.spots import Spot
from yomikomi.core.video.timecode import clock
from yomikomi.ui.playing.deck import Deck, Named
from yomikomi.ui.playing.window import PlayerWindow
from yomikomi.ui.widgets.basics import button, label, row

# Key, verdict, words on the button.
_VERDICTS = (("1", "good", "1  Good"), ("2", "poor", "2  Poor"), ("3", "wrong", "3  Wrong"))


class LookWindow(PlayerWindow):
    """``answered``: called with the spot, the verdict and what was seen; it may raise nothing."""

    def __init__(
        self, played: tuple[Named, ...], title: str, parent: QWidget | None, spots: Sequence[Spot],
        answered: Callable[[Spot, str, str], None], *, bottom_first: bool = False, make: Callable[[tuple[Named, ...]], Deck] = Deck,
    ) -> None:  # fmt: skip
        begins = spots[0].seconds if spots else 0.0
        super().__init__(played, title, parent, bottom_first=bottom_first, begins=begins, make=make)
        self._spots, self._answered, self.number = list(spots), answered, 0
        self.where = label(name="section")
        self.seen = QLineEdit()
        self.seen.setPlaceholderText("What you see, if anything")
        self.seen.setAccessibleName("What you see at this spot")
        self.verdicts = {verdict: button(words, partial(self.answer, verdict)) for _, verdict, words in _VERDICTS}
        self.again_button = button("Show again", self.show_spot, tip="0")
        self.layout().addItem(row(self.where, self.seen, self.again_button, *self.verdicts.values()))  # type: ignore[union-attr]
        for key, verdict, _words in _VERDICTS:
            QShortcut(QKeySequence(key), self).activated.connect(partial(self.answer, verdict))
        QShortcut(QKeySequence("0"), self).activated.connect(self.show_spot)
        self._say()

    @property
    def spot(self) -> Spot | None:
        return self._spots[self.number] if self.number < len(self._spots) else None

    def answer(self, verdict: str) -> None:
        """For the spot that is shown; then the next one is."""
        spot = self.spot
        if spot is None:
            return
        self._answered(spot, verdict, self.seen.text().strip())
        self.seen.clear()
        self.number += 1
        self._say()
        if self.spot is None:
            self.close()
        else:
            self.show_spot()

    def show_spot(self) -> None:
        if self.spot is not None and self.deck is not None:
            self.deck.seek(self.spot.seconds)

    def _say(self) -> None:
        spot = self.spot
        words = f"Spot {self.number + 1} of {len(self._spots)}: {clock(spot.seconds)}, {spot.why}" if spot is not None else "All looked at"
        self.where.setText(words)
