"""What the chosen container cannot hold of a take: said before anything is made."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtWidgets import QLabel

from yomikomi.core.copying.others import left_before
from yomikomi.core.errors import YomikomiError
from yomikomi.core.treatment.model import Treatment
from yomikomi.ui.state import AppState


class LeftOut(QLabel):
    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self.setProperty("quiet", True)
        self.setWordWrap(True)
        self.hide()

    def ask(self, path: Path, treatment: Treatment, container: str) -> None:
        self._state.calls.call("left out", lambda: left_before(path, treatment, container), self.say, self._gone)

    def say(self, left: list[str]) -> None:
        self.setText(f"Not in the copy: {'; '.join(left)}.")
        self.setVisible(bool(left))

    def _gone(self, _error: YomikomiError) -> None:
        """Of a file that went away more is said elsewhere."""
        self.say([])
