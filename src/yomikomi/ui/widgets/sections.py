"""Parts of a station that take turns in one place, each named in a row above it."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QStackedWidget, QToolButton, QVBoxLayout, QWidget

from yomikomi.ui.widgets.basics import row


class Sections(QWidget):
    """``turned`` tells the key of the part that is shown now."""

    turned = Signal(str)

    def __init__(self, parts: Sequence[tuple[str, str, QWidget]]) -> None:
        super().__init__()
        self.buttons: dict[str, QToolButton] = {}
        self._keys = [key for key, _, _ in parts]
        self.stack = QStackedWidget()
        group = QButtonGroup(self)
        for key, words, widget in parts:
            made = QToolButton()
            made.setText(words)
            made.setCheckable(True)
            made.setProperty("section", True)
            made.setCursor(Qt.CursorShape.PointingHandCursor)
            made.clicked.connect(lambda _checked=False, key=key: self.turn(key))
            group.addButton(made)
            self.buttons[key] = made
            self.stack.addWidget(widget)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addLayout(row(*self.buttons.values(), 1, spacing=4))
        layout.addWidget(self.stack, 1)
        self.buttons[self._keys[0]].setChecked(True)

    @property
    def key(self) -> str:
        return self._keys[self.stack.currentIndex()]

    def turn(self, key: str) -> None:
        self.buttons[key].setChecked(True)
        self.stack.setCurrentIndex(self._keys.index(key))
        self.turned.emit(key)
