"""How predictions did, and what earlier copies put on the next ones: a table by codec, by kind of carrier or by machine."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QDialog, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from yomikomi.core.balance.learning import Account
from yomikomi.core.ledger.lessons import Grouping
from yomikomi.core.ledger.sentences import ACCOUNT_GROUPS, ACCOUNT_HEADINGS, account_row, accuracy_headline
from yomikomi.ui.widgets.basics import Sentence, button, form_body, row


class AccuracyBox(QDialog):
    def __init__(self, accounts: Mapping[Grouping, Sequence[Account]], parent: QWidget) -> None:
        super().__init__(parent)
        self._accounts = accounts
        body = form_body(self, "Predicted and actual", width=880)
        self.sentence = Sentence()
        self.sentence.say(*accuracy_headline(accounts["codec"]))
        self.group = QComboBox()
        self.group.setAccessibleName("Grouped")
        for key, words in ACCOUNT_GROUPS.items():
            self.group.addItem(words, key)
        self.group.currentIndexChanged.connect(lambda _place: self._fill())
        self.table = QTableWidget(0, len(ACCOUNT_HEADINGS))
        self.table.setHorizontalHeaderLabels(list(ACCOUNT_HEADINGS))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Predicted and actual size, time and fidelity")
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.table.setMinimumHeight(180)
        self.table.setVisible(bool(accounts["codec"]))
        self.group.setVisible(bool(accounts["codec"]))
        body.addWidget(self.sentence)
        body.addLayout(row(self.group, 1))
        body.addWidget(self.table)
        body.addLayout(row(1, button("Close", self.accept, primary=True)))
        self._fill()

    def _fill(self) -> None:
        by: Grouping = self.group.currentData()
        rows = [account_row(one, by) for one in self._accounts[by]]
        self.table.setRowCount(len(rows))
        for line, cells in enumerate(rows):
            for column, words in enumerate(cells):
                self.table.setItem(line, column, QTableWidgetItem(words))
        for column in range(len(ACCOUNT_HEADINGS)):  # what is learned is learned by codec: the others say nothing of it
            self.table.setColumnHidden(column, not any(cells[column] for cells in rows))
