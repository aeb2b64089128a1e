"""What every station is to the window."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QLayout, QVBoxLayout, QWidget

from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Sentence

if TYPE_CHECKING:
    from yomikomi.core.ledger.views import CarrierView


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

    def build(self) -> Iterator[None]:
        """Makes what takes longer than a moment, in pieces: the window takes its events in between. Widgets are given their place first
        and filled then, since each move to another place has the style sheet applied anew."""
        yield from ()

    def lay_out(self, left: QLayout, side: QWidget) -> None:
        """Under the sentence: what is looked at, and beside it what is decided."""
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addLayout(left, 1)
        body.addWidget(side)
        self.page.addLayout(body, 1)

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

    def act(self, key: str) -> None:
        """A command of the table in ``ui.actions`` that belongs to this station."""
