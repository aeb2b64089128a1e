"""What was made, and its proof."""

from __future__ import annotations

from collections.abc import Iterator

from PySide6.QtCore import QModelIndex, Qt
from PySide6.QtWidgets import QAbstractItemView, QFormLayout, QHBoxLayout, QHeaderView, QPlainTextEdit, QTableView, QVBoxLayout, QWidget

from yomikomi.core.balance.learning import Account
from yomikomi.core.ledger.sentences import ledger_headline
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.playing.sources import FileSource, TreatedSource
from yomikomi.ui import theme
from yomikomi.ui.ledger.accuracy import AccuracyBox
from yomikomi.ui.ledger.model import COPY_ROLE, LedgerModel, StateDelegate
from yomikomi.ui.playing.deck import Named
from yomikomi.ui.shell.station import Played, Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, MarkShape, button, label, row


class LedgerStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.model = LedgerModel()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setItemDelegateForColumn(0, StateDelegate(self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(34)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setAccessibleName("Copies")
        head = self.table.horizontalHeader()
        head.setHighlightSections(False)
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.table.selectionModel().currentRowChanged.connect(self._on_row)
        self.page.addWidget(self.table, 5)

    def build(self) -> Iterator[None]:
        yield
        self.checks_card = Card(choosable=False)
        self.checks_card.body.setContentsMargins(18, 14, 18, 14)
        self.checks_head = label("Choose a copy to see its proof", name="section")
        self.checks_form = QFormLayout()
        self.checks_form.setVerticalSpacing(5)
        self.checks_card.body.addWidget(self.checks_head)
        self.checks_card.body.addSpacing(6)
        self.checks_card.body.addLayout(self.checks_form)
        self.checks_card.body.addStretch(1)
        self.history = QPlainTextEdit()
        self.history.setReadOnly(True)
        self.history.setFont(theme.mono(theme.SMALL_PX))
        self.history.setAccessibleName("History")
        history = QVBoxLayout()
        history.setSpacing(8)
        history.addWidget(label("History", name="section"))
        history.addWidget(self.history, 1)
        lower = QHBoxLayout()
        lower.setSpacing(20)
        lower.addWidget(self.checks_card, 1)
        lower.addLayout(history, 1)
        self.page.addLayout(lower, 6)
        self.shelf_button = button("Next carrier", self.primary, primary=True, tip="Back to the Shelf, Ctrl+Return")
        self.shelf_button.setMinimumWidth(150)
        note = label(
            "A take may be released when its copies are verified and you have looked at them; keep the original carrier.",
            quiet=True, wrap=True,
        )
        self.watch_button = button("Play…", self.open_player, tip="F12: the copy beside what it was made from")
        self.accuracy_button = button("Predicted and actual…", self.show_accuracy, tip="How far predictions can be trusted, by codec")
        last = row(note, self.accuracy_button, self.watch_button, self.shelf_button)
        last.setStretch(0, 1)
        self.page.addLayout(last)

    def show_carrier(self, _view: CarrierView | None) -> None:
        copies = [c for c in reversed(self.state.record.copies.all()) if c.state not in {"waiting", "running"}]
        self.model.put(copies)
        self._say(copies)
        if copies:
            self.table.selectRow(0)
        else:
            self._show_checks(None)
        lines = [f"{at[:16].replace('T', ' ')}  {who:<6} {words}" for at, who, words in self.state.record.history.events()]
        self.history.setPlainText("\n".join(lines))

    def entered(self) -> None:
        self.table.setFocus()

    def played(self) -> Played | None:
        """The copy that is selected, beside what it was made from where that is still there."""
        index = self.table.currentIndex()
        copy: CopyView | None = index.data(COPY_ROLE) if index.isValid() else None
        if copy is None or copy.result is None or not copy.file.exists():
            return super().played()
        sources = [Named("the copy", FileSource(copy.file))]
        view = next((one for one in self.state.carriers if one.take is not None and one.take.id == copy.take_id), None)
        if view is not None and view.take is not None and view.judged is not None and view.take.path.exists():
            sources.append(Named("the treated take", TreatedSource(view.take.path, view.judged, copy.treatment)))
        return Played(tuple(sources), f"{copy.carrier}: {copy.file.name}")

    def show_accuracy(self) -> None:
        """How predictions did: found in a thread, since it may be some hundred documents."""
        self.state.calls.call("accuracy", self.state.record.lessons.accounts, self._show_accounts)

    def _show_accounts(self, accounts: list[Account]) -> None:
        AccuracyBox(accounts, self).open()

    def primary(self) -> None:
        self.state.go.emit("shelf")

    def _say(self, copies: list[CopyView]) -> None:
        taken = sum(v.take.size_bytes or 0 for v in self.state.carriers if v.take and any(c.state == "verified" for c in v.copies))
        self.sentence.say(*ledger_headline(copies, taken_bytes=taken))

    def _on_row(self, current: QModelIndex, _before: QModelIndex) -> None:
        self._show_checks(current.data(COPY_ROLE) if current.isValid() else None)

    def _show_checks(self, copy: CopyView | None) -> None:
        while self.checks_form.rowCount():
            self.checks_form.removeRow(0)
        if copy is None:
            self.checks_head.setText("No copy yet")
            return
        if copy.result is None:
            self.checks_head.setText(f"{copy.carrier}: not made")
            self.checks_form.addRow(label(copy.trouble or "stopped", wrap=True))
            return
        if copy.result.reserves:
            self.checks_form.addRow(label(f"Note: {copy.result.reserves}", wrap=True))
        passed = sum(check.passed for check in copy.result.checks)
        self.checks_head.setText(f"{copy.carrier}: {passed} of {len(copy.result.checks)} checks passed")
        for check in copy.result.checks:
            self.checks_form.addRow(_check_head(check.name, check.passed), label(check.found, figure=True))


def _check_head(words: str, passed: bool) -> QWidget:
    made = QWidget()
    layout = row(MarkShape("fine" if passed else "fault"), label(words), 1)
    layout.setAlignment(Qt.AlignmentFlag.AlignLeft)
    made.setLayout(layout)
    made.setMinimumWidth(200)
    return made
