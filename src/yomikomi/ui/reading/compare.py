"""Holding a take against another of the same carrier."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.reading.comparing import compare
from yomikomi.core.reading.models import Reading
from yomikomi.ui.widgets.basics import button, label, row

_BETTER = {"first": "● this one", "second": "○ the other", "alike": "alike"}


class CompareDialog(QDialog):
    """``others``: names and readings of the takes there are to choose from."""

    def __init__(self, this: str, reading: Reading, others: Sequence[tuple[str, Reading]], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Compare two takes")
        self.setMinimumSize(680, 470)
        self._reading, self._others = reading, list(others)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 20, 24, 20)
        layout.setSpacing(10)
        self.choice = QComboBox()
        self.choice.setAccessibleName("The other take")
        self.choice.addItems([name for name, _ in self._others])
        layout.addLayout(row(label(f"{this} against"), self.choice, 1))
        self.sentence = label("", name="section", wrap=True)
        layout.addWidget(self.sentence)
        self.table = QTableWidget(0, 5)
        self.table.setHorizontalHeaderLabels(["", "this one", "the other", "better", "by"])
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        layout.addWidget(self.table, 1)
        hint = "A difference counts where the intervals of both are apart, or where counts differ by more than chance."
        layout.addWidget(label(hint, quiet=True, wrap=True))
        layout.addLayout(row(1, button("Close", self.accept, primary=True)))
        self.choice.currentIndexChanged.connect(self._compare)
        self._compare()

    def _compare(self) -> None:
        place = self.choice.currentIndex()
        if not 0 <= place < len(self._others):
            return
        found = compare(self._reading, self._others[place][1])
        self.sentence.setText(found.sentence_for("This take", "The other take"))
        self.table.setRowCount(len(found.rows))
        for line, one in enumerate(found.rows):
            words = (one.topic, one.first, one.second, _BETTER[one.better], one.by if one.better != "alike" else "")
            for column, text in enumerate(words):
                item = QTableWidgetItem(text)
                if column in {1, 2, 4}:
                    item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.table.setItem(line, column, item)
