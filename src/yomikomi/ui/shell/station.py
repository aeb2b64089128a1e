"""What every station is to the window."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QBoxLayout, QLayout, QVBoxLayout, QWidget

from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Sentence

if TYPE_CHECKING:
    from yomikomi.core.ledger.views import CarrierView
    from yomikomi.ui.playing.deck import Named
    from yomikomi.ui.playing.window import PlayerWindow


@dataclass(frozen=True)
class Played:
    """What is handed to the player. ``begins``: the second that is shown first."""

    sources: tuple[Named, ...]
    title: str
    bottom_first: bool = False
    begins: float = 0.0


_NO_LIMIT = 16777215  # QWIDGETSIZE_MAX, which the bindings do not name

class Station(QWidget):
    """Shows its part of the current carrier. ``refresh`` is called when the carrier or what is known of it changed,
    and only while the station is on screen or about to be."""

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self.state = state
        self.sentence = Sentence()
        self.page = QVBoxLayout(self)
        self.page.setContentsMargins(24, 14, 24, 20)
        self.page.setSpacing(14)
        self.page.addWidget(self.sentence)
        self._body: QBoxLayout | None = None
        self._side: QWidget | None = None
        self._side_width = 0

    def build(self) -> Iterator[None]:
        """Makes what takes longer than a moment, in pieces: the window takes its events in between. Widgets are given their place first
        and filled then, since each move to another place has the style sheet applied anew."""
        yield from ()

    def lay_out(self, left: QLayout, side: QWidget) -> None:
        """Under the sentence: what is looked at, and beside it what is decided; under it where there is no room beside (``fold``)."""
        self._body, self._side = QBoxLayout(QBoxLayout.Direction.LeftToRight), side
        self._side_width = side.maximumWidth()
        self._body.setSpacing(20)
        self._body.addLayout(left, 1)
        self._body.addWidget(side)
        self.page.addLayout(self._body, 1)

    def fold(self, width: int) -> None:
        """Put what is decided under what is looked at where ``width`` (logical pixels) does not hold both, and back beside it."""
        if self._body is None or self._side is None:
            return
        margins, left = self.page.contentsMargins(), self._body.itemAt(0)
        assert left is not None
        least = left.minimumSize().width() + self._body.spacing() + self._side_width + margins.left() + margins.right()
        folds = width < least
        if folds == (self._body.direction() is QBoxLayout.Direction.TopToBottom):
            return
        self._body.setDirection(QBoxLayout.Direction.TopToBottom if folds else QBoxLayout.Direction.LeftToRight)
        self._side.setFixedWidth(self._side_width)
        if folds:
            self._side.setMaximumWidth(_NO_LIMIT)

    def refresh(self) -> None:
        """Put the current carrier's state on screen; a station that needs no more than its spine does so here."""
        self.show_carrier(self.state.current)

    def show_carrier(self, view: CarrierView | None) -> None:
        """Put a carrier's state on screen."""

    def entered(self) -> None:
        """The station came on screen."""

    def left(self) -> None:
        """Another station came on screen."""

    def primary(self) -> None:
        """What the filled button does."""

    def played(self) -> Played | None:
        """What the player shows for this station: the take, unless a station has more to say."""
        view = self.state.current
        if view is None or view.take is None:
            return None
        from yomikomi.core.playing.sources import FileSource  # what plays is loaded when first needed
        from yomikomi.ui.playing.deck import Named

        bottom = view.judged is not None and view.judged.scan.field_order == "bff"
        return Played((Named("the take", FileSource(view.take.path)),), view.label, bottom_first=bottom)

    def open_player(self) -> PlayerWindow | None:
        """Whatever can be played here, in a window of its own."""
        from yomikomi.ui.playing.window import PlayerWindow

        found = self.played()
        if found is None:
            self.state.tell(Weight.FINE, "Nothing to play here yet.")
            return None
        window = PlayerWindow(found.sources, found.title, self.window(), bottom_first=found.bottom_first, begins=found.begins)
        window.show()
        return window

    def act(self, key: str) -> None:
        """A command of the table in ``ui.actions`` that belongs to this station."""
