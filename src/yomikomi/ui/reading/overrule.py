"""Overruling a verdict: what it is instead, and why."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QDialog, QLineEdit, QRadioButton, QVBoxLayout, QWidget

from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import changes_the_picture, choices, current
from yomikomi.ui.widgets.basics import button, label, row

_QUESTIONS = {
    "scan": "How was it scanned?",
    "rate": "What is the frame rate?",
    "shape": "What shape is the picture shown at?",
}


class OverruleDialog(QDialog):
    """Asks for another verdict on one topic of a reading."""

    def __init__(self, topic: str, reading: Reading, parent: QWidget, *, about: str = "") -> None:
        super().__init__(parent)
        self.topic = topic
        self._choices = choices(topic, reading)
        self.setWindowTitle("Overrule")
        self.setMinimumWidth(420)
        self._group = QButtonGroup(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 20)
        layout.setSpacing(8)
        layout.addWidget(label(_QUESTIONS.get(topic, f"Is this as it should be: {about}?"), name="section", wrap=True))
        for number, choice in enumerate(self._choices):
            made = QRadioButton(choice.words)
            made.setChecked(choice.key == current(topic, reading))
            self._group.addButton(made, number)
            layout.addWidget(made)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why, for whoever reads the record later")
        self.reason.setAccessibleName("Reason")
        layout.addSpacing(8)
        layout.addWidget(self.reason)
        aside = " Treatment and trials made on it are put aside." if changes_the_picture(topic) else ""
        layout.addWidget(label(f"The measurement stays in the record.{aside}", quiet=True, wrap=True))
        layout.addSpacing(8)
        self.accept_button = button("Overrule", self.accept, primary=True)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))

    def choose(self, key: str) -> None:
        self._group.button([choice.key for choice in self._choices].index(key)).setChecked(True)

    @property
    def answer(self) -> tuple[str, str]:
        """What it is now (a choice's key; empty for none), and the reason."""
        number = self._group.checkedId()
        return (self._choices[number].key if number >= 0 else ""), self.reason.text().strip()
