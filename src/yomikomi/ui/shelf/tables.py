"""Taking in an inventory table: which column holds what, what will come of it, what was not understood."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QComboBox,
    QDialog,
    QGridLayout,
    QPlainTextEdit,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.carriers import KINDS, kind_of
from yomikomi.core.planning.inventory import FIELDS, Inventory, Table, match_columns, take_in
from yomikomi.core.video.timecode import clock
from yomikomi.core.work.text import capital
from yomikomi.ui.widgets.basics import Sentence, button, label, row

_SHOWN_ROWS, _SHOWN_PROBLEMS = 50, 100


class TableBox(QDialog):
    """Emits ``chosen`` with the Inventory to be put on the shelf."""

    chosen = Signal(object)

    def __init__(self, path: Path, table: Table, taken: set[str], parent: QWidget) -> None:
        super().__init__(parent)
        self._table, self._taken = table, taken
        self.inventory: Inventory | None = None
        self.setWindowTitle(f"Inventory {path.name}")
        self.resize(980, 640)
        self.sentence = Sentence()
        found = match_columns(table.headings)
        self.columns: dict[str, QComboBox] = {}
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        for number, field in enumerate(FIELDS):
            box = QComboBox()
            box.addItem("–", -1)
            for column, heading in enumerate(table.headings):
                box.addItem(heading or f"column {column + 1}", column)
            box.setCurrentIndex(found.get(field, -1) + 1)
            box.setAccessibleName(f"Column of {field}")
            box.currentIndexChanged.connect(self._show)
            self.columns[field] = box
            line, place = divmod(number, 4)
            grid.addWidget(label(capital(FIELDS[field][0]), quiet=True), line, 2 * place)
            grid.addWidget(box, line, 2 * place + 1)
            grid.setColumnStretch(2 * place + 1, 1)
        self.kind = QComboBox()
        for key, kind in KINDS.items():
            self.kind.addItem(kind.words, key)
        self.kind.setToolTip("For rows that name no kind")
        self.kind.currentIndexChanged.connect(self._show)
        self.rows = QTableWidget()
        self.rows.verticalHeader().hide()
        self.rows.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.setAccessibleName("What will be put on the shelf")
        self.problems = QPlainTextEdit()
        self.problems.setReadOnly(True)
        self.problems.setMaximumHeight(110)
        self.problems.setAccessibleName("Rows that were not understood")
        self.take = button("Put on the shelf", self._take, primary=True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(12)
        layout.addWidget(self.sentence)
        layout.addLayout(grid)
        layout.addWidget(self.rows, 1)
        layout.addWidget(self.problems)
        layout.addLayout(row(label("Rows without a kind are"), self.kind, 1, button("Leave it", self.reject), self.take))
        self._show()

    def _show(self) -> None:
        columns = {field: box.currentData() for field, box in self.columns.items() if box.currentData() >= 0}
        try:
            self.inventory = take_in(self._table, columns, kind=self.kind.currentData(), taken=self._taken)
        except WrongUseError as error:
            self.inventory = None
            self.sentence.say(error.message, error.remedy)
            self.take.setEnabled(False)
            return
        made = self.inventory
        self.sentence.say(
            f"{len(made.intakes)} of {len(self._table.rows)} rows are understood.",
            "Columns were matched by their headings; change any of them below" if made.intakes else "Say which column holds what",
        )
        self.take.setText(f"Put {len(made.intakes)} on the shelf")
        self.take.setEnabled(bool(made.intakes))
        self._show_rows(made)
        self.problems.setVisible(bool(made.problems))
        self.problems.setPlainText("\n".join(f"row {one.number}: {one.words}" for one in made.problems[:_SHOWN_PROBLEMS]))

    def _show_rows(self, made: Inventory) -> None:
        headings = ("Label", "Title", "Kind", "Standard", "Length", "Condition", "Tags")
        shown = made.intakes[:_SHOWN_ROWS]
        self.rows.setColumnCount(len(headings))
        self.rows.setHorizontalHeaderLabels(headings)
        self.rows.setRowCount(len(shown))
        for line, one in enumerate(shown):
            cells = (
                one.label, one.title, kind_of(one.kind).words, one.format or "not known", clock(one.seconds) if one.seconds else "",
                one.details.condition.words, ", ".join(one.details.tags),
            )  # fmt: skip
            for column, words in enumerate(cells):
                self.rows.setItem(line, column, QTableWidgetItem(words))
        self.rows.resizeColumnsToContents()
        self.rows.setColumnWidth(1, min(280, self.rows.columnWidth(1)))
        self.rows.horizontalHeader().setStretchLastSection(True)

    def _take(self) -> None:
        self.accept()
        self.chosen.emit(self.inventory)
