"""All copies with what they were predicted to be, and the proof of one."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, Qt
from PySide6.QtWidgets import QAbstractItemView, QFormLayout, QHeaderView, QTableView, QVBoxLayout, QWidget

from yomikomi.core.ledger.looks import Look
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted
from yomikomi.ui.ledger.model import COPY_ROLE, LedgerModel, StateDelegate
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, MarkShape, button, label, row, scrolled_widget

_LOOKED = {"good": "fine", "poor": "check", "wrong": "fault"}
# So many of the newest are listed; older ones are found by searching.
MOST = 500


class CopiesPage(QWidget):
    def __init__(self, state: AppState) -> None:
        super().__init__()
        self._state = state
        self.shown: CopyView | None = None
        self.model = LedgerModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setItemDelegateForColumn(0, StateDelegate(self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(30)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setAccessibleName("Copies")
        head = self.table.horizontalHeader()
        head.setHighlightSections(False)
        for column, width in enumerate((150, 90, 0, 150, 80, 80, 84, 80, 80, 84)):
            if width:
                self.table.setColumnWidth(column, width)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.table.selectionModel().currentRowChanged.connect(self._on_row)
        self.checks_card = Card(choosable=False)
        self.checks_head = label("Choose a copy to see its proof", name="section")
        self.checks_form = QFormLayout()
        self.checks_form.setVerticalSpacing(4)
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addLayout(self.checks_form)
        inside.addStretch(1)
        self.checks_card.body.setContentsMargins(18, 12, 18, 12)
        self.look_button = button("Look at it…", lambda: None, tip="Spots where it would show, beside the take; one key each")
        self.checks_card.body.addLayout(row(self.checks_head, 1, self.look_button))
        self.checks_card.body.addWidget(scrolled_widget(holder), 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addWidget(self.table, 5)
        layout.addWidget(self.checks_card, 4)

    def show_copies(self, rows: list[RunRow]) -> None:
        before = self.shown.id if self.shown is not None else 0
        self.model.put(rows)
        place = next((number for number, one in enumerate(rows) if one.copy == before), 0)
        if rows:
            self.table.selectRow(place)
        else:
            self._show(None, [])

    def _on_row(self, current: QModelIndex, _before: QModelIndex) -> None:
        one: RunRow | None = current.data(COPY_ROLE) if current.isValid() else None
        record = self._state.record
        self._show(record.copies.one(one.copy) if one is not None else None, record.looks.of(one.copy) if one is not None else [])

    def _show(self, copy: CopyView | None, looks: list[Look]) -> None:
        self.shown = copy
        self.look_button.setVisible(copy is not None and copy.result is not None)
        while self.checks_form.rowCount():
            self.checks_form.removeRow(0)
        if copy is None:
            self.checks_head.setText("No copy yet")
            return
        if copy.result is None:
            self.checks_head.setText(f"{copy.carrier}: not made")
            self.checks_form.addRow(label(copy.trouble or "stopped", wrap=True))
            return
        passed = sum(check.passed for check in copy.result.checks)
        self.checks_head.setText(f"{copy.carrier}: {passed} of {counted(len(copy.result.checks), 'check', 'checks')} passed")
        if copy.result.reserves:
            self.checks_form.addRow(label(f"Note: {copy.result.reserves}", wrap=True))
        for look in looks:
            told = f"{look.verdict}, {look.who}" + (f": {look.note}" if look.note else "")
            self.checks_form.addRow(_head(f"looked at {clock(look.seconds)}, {look.why}", _LOOKED.get(look.verdict, "check")), label(told))
        for check in copy.result.checks:
            self.checks_form.addRow(_head(check.name, "fine" if check.passed else "fault"), label(check.found, figure=True))


def _head(words: str, mark: str) -> QWidget:
    made = QWidget()
    layout = row(MarkShape(mark), label(words), 1)
    layout.setAlignment(Qt.AlignmentFlag.AlignLeft)
    made.setLayout(layout)
    made.setMinimumWidth(200)
    return made
