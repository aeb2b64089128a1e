"""How predictions did, and what earlier copies put on the next ones: a table, codec by codec."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtWidgets import QDialog, QHeaderView, QTableWidget, QTableWidgetItem, QWidget

from yomikomi.core.balance.learning import Account
from yomikomi.core.ledger.sentences import ACCOUNT_HEADINGS, account_row, accuracy_headline
from yomikomi.ui.widgets.basics import Sentence, button, form_body, row


class AccuracyBox(QDialog):
    def __init__(self, accounts: Sequence[Account], parent: QWidget) -> None:
        super().__init__(parent)
        body = form_body(self, "Predicted and actual", width=880)
        self.sentence = Sentence()
        self.sentence.say(*accuracy_headline(accounts))
        self.table = QTableWidget(len(accounts), len(ACCOUNT_HEADINGS))
        self.table.setHorizontalHeaderLabels(list(ACCOUNT_HEADINGS))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Predicted and actual size and time by codec")
        for line, account in enumerate(accounts):
            for column, words in enumerate(account_row(account)):
                self.table.setItem(line, column, QTableWidgetItem(words))
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.horizontalHeader().setStretchLastSection(True)
        self.table.setMinimumHeight(180)
        self.table.setVisible(bool(accounts))
        body.addWidget(self.sentence)
        body.addWidget(self.table)
        body.addLayout(row(1, button("Close", self.accept, primary=True)))
