"""What every station is to the window."""

from __future__ import annotations

from PySide6.QtWidgets import QHBoxLayout, QLayout, QVBoxLayout, QWidget

from yomikomi.core.ledger.views import CarrierView
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Sentence


class Station(QWidget):
    """Shows its part of the current carrier. ``show_carrier`` is called when the carrier or what is known of it changed,
    and only while the station is on screen or about to be."""

    def __init__(self, state: AppState) -> None:
        super().__init__()
        self.state = state
        self.sentence = Sentence()
        self.page = QVBoxLayout(self)
        self.page.setContentsMargins(24, 14, 24, 20)
        self.page.setSpacing(14)
        self.page.addWidget(self.sentence)

    def lay_out(self, left: QLayout, side: QWidget) -> None:
        """Under the sentence: what is looked at, and beside it what is decided."""
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addLayout(left, 1)
        body.addWidget(side)
        self.page.addLayout(body, 1)

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
