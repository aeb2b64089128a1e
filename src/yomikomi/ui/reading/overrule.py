"""Overruling a verdict: what it is instead, and why."""

from __future__ import annotations

from PySide6.QtWidgets import QButtonGroup, QDialog, QLineEdit, QRadioButton, QVBoxLayout, QWidget

from yomikomi.core.reading.models import Scan
from yomikomi.ui.widgets.basics import button, label, row

_CHOICES = (
    ("interlaced tff", "Interlaced, top field first"),
    ("interlaced bff", "Interlaced, bottom field first"),
    ("progressive", "Progressive"),
    ("undetermined", "Cannot be told"),
)


def scan_key(scan: Scan) -> str:
    return f"{scan.kind} {scan.field_order}" if scan.field_order else scan.kind


class OverruleDialog(QDialog):
    def __init__(self, scan: Scan, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Overrule the scan type")
        self.setMinimumWidth(420)
        self._group = QButtonGroup(self)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 20)
        layout.setSpacing(8)
        layout.addWidget(label("What is it?", name="section"))
        for number, (key, words) in enumerate(_CHOICES):
            choice = QRadioButton(words)
            choice.setChecked(key == scan_key(scan))
            self._group.addButton(choice, number)
            layout.addWidget(choice)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why, for whoever reads the record later")
        self.reason.setAccessibleName("Reason")
        layout.addSpacing(8)
        layout.addWidget(self.reason)
        layout.addWidget(
            label("The measurement stays in the record. Treatment and trials made on it are put aside.", quiet=True, wrap=True)
        )
        layout.addSpacing(8)
        self.accept_button = button("Overrule", self.accept, primary=True)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))

    def choose(self, key: str) -> None:
        self._group.button([k for k, _ in _CHOICES].index(key)).setChecked(True)

    @property
    def answer(self) -> tuple[str, str]:
        """What it is now (``kind order``), and the reason."""
        return _CHOICES[self._group.checkedId()][0], self.reason.text().strip()
