"""The rail of stations at the left."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QButtonGroup, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from yomikomi.ui import theme
from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.icons import icon

# Below this height the stations' names do not fit under their glyphs.
_LOW = 760


class Rail(QWidget):
    """Emits ``chosen`` with a station's key, ``asked`` with a command's."""

    chosen = Signal(str)
    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(84)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 10, 0, 12)
        layout.setSpacing(8)
        layout.addWidget(self._command("goto", "search"), 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addSpacing(10)
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
            made.setToolTip(f"{entry.words}: {entry.purpose} (Ctrl+{entry.number})")
            made.setAccessibleName(f"{entry.words}: {entry.purpose}")
            made.clicked.connect(lambda _checked=False, key=entry.key: self.chosen.emit(key))
            self._group.addButton(made)
            self._buttons[entry.key] = made
            layout.addWidget(made)
        layout.addStretch(1)
        layout.addWidget(self._command("reckoner", "calculator"), 0, Qt.AlignmentFlag.AlignHCenter)
        layout.addWidget(self._command("keys", "keyboard"), 0, Qt.AlignmentFlag.AlignHCenter)

    def _command(self, key: str, glyph: str) -> QToolButton:
        entry = next(action for action in ACTIONS if action.key == key)
        made = QToolButton()
        made.setIcon(icon(glyph, theme.MUTED))
        made.setIconSize(QSize(22, 22))
        made.setFixedSize(40, 40)
        made.setToolTip(f"{entry.words} ({entry.shortcut})")
        made.setAccessibleName(entry.words)
        made.clicked.connect(lambda _checked=False: self.asked.emit(key))
        return made

    def resizeEvent(self, event: QResizeEvent) -> None:
        """In a low window the glyphs stand alone, with their names in the tooltips."""
        super().resizeEvent(event)
        low = event.size().height() < _LOW
        style = Qt.ToolButtonStyle.ToolButtonIconOnly if low else Qt.ToolButtonStyle.ToolButtonTextUnderIcon
        for made in self._buttons.values():
            made.setToolButtonStyle(style)
            made.setFixedHeight(40 if low else 66)

    def show_station(self, key: str) -> None:
        self._buttons[key].setChecked(True)
