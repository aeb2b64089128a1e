"""Gives the keyboard back to the window when a box over it closes: without a widget that has it, shortcuts go nowhere."""

from __future__ import annotations

from PySide6.QtCore import QObject, Qt, QTimer
from PySide6.QtWidgets import QApplication, QDialog, QWidget
from shiboken6 import isValid


class FocusKeeper(QObject):
    """Watches one window; what had the keyboard in it last gets it again, or else the window itself."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._last: QWidget | None = None
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._on_focus)

    def give_back(self) -> None:
        """Unless another box is open, or something in the window has the keyboard already."""
        if not isValid(self._window) or not self._window.isVisible() or QApplication.activeModalWidget() is not None:
            return
        now = QApplication.focusWidget()
        if now is not None and now.window() is self._window and now.isVisible():
            return
        self._window.activateWindow()
        last = self._last
        if last is None or not isValid(last) or not last.isVisible() or not last.isEnabled():
            last = self._window
        last.setFocus()

    def _on_focus(self, before: QWidget | None, now: QWidget | None) -> None:
        if now is not None and now.window() is self._window:
            self._last = now
        elif now is None and ((before is not None and isinstance(before.window(), QDialog)) or _is_active()):
            QTimer.singleShot(0, self, self.give_back)  # a box closed; where another program has the keyboard now, it is still there


def _is_active() -> bool:
    return QApplication.applicationState() == Qt.ApplicationState.ApplicationActive
