"""What stands in a station's place while it has nothing to show: what it is for, and what to do."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QVBoxLayout, QWidget

from yomikomi.ui.widgets.basics import label


class EmptyNote(QWidget):
    """Two texts in the middle: ``purpose`` large, ``step`` under it."""

    def __init__(self, purpose: str, step: str = "") -> None:
        super().__init__()
        self._purpose, self._step = label(purpose, wrap=True, name="section"), label(step, quiet=True, wrap=True)
        layout = QVBoxLayout(self)
        layout.setSpacing(6)
        layout.addStretch(2)
        for one in (self._purpose, self._step):
            one.setAlignment(Qt.AlignmentFlag.AlignHCenter)
            layout.addWidget(one)
        layout.addStretch(3)

    def say(self, step: str) -> None:
        self._step.setText(step)
        self.setAccessibleName(f"{self._purpose.text()} {step}")
