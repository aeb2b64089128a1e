"""The rail of stations at the left."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from yomikomi.ui import theme
from yomikomi.ui.actions import STATIONS
from yomikomi.ui.icons import icon


class Rail(QWidget):
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(84)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 68, 0, 8)
        layout.setSpacing(8)
        self._group = QButtonGroup(self)
        self._buttons: dict[str, QToolButton] = {}
        for entry in STATIONS:
            made = QToolButton()
            made.setProperty("rail", True)
            made.setCheckable(True)
            made.setText(entry.words)
            made.setIcon(icon(entry.icon, theme.INK, chosen=theme.ACCENT))
            made.setIconSize(QSize(24, 24))
            made.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            made.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            made.setFixedHeight(66)
            made.setToolTip(f"{entry.words}: {entry.purpose} (Ctrl+{entry.number})")
            made.setAccessibleName(f"{entry.words}: {entry.purpose}")
            made.clicked.connect(lambda _checked=False, key=entry.key: self.chosen.emit(key))
            self._group.addButton(made)
            self._buttons[entry.key] = made
            layout.addWidget(made)
        layout.addStretch(1)

    def show_station(self, key: str) -> None:
        self._buttons[key].setChecked(True)
