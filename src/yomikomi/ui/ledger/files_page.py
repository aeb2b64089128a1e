"""Files and the places they lie in: what is whole, what is not, and second copies."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QFileDialog, QHeaderView, QInputDialog, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.ledger.files import Located
from yomikomi.core.ledger.places import PlaceView
from yomikomi.core.video.units import size_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import button, label, row

_PLACES = ("Place", "", "Drive", "Files", "Size", "Free", "Last seen")
_TROUBLES = ("Carrier", "File", "Where", "State", "What is known")


class FilesPage(QWidget):
    """Signals tell what a person wants: ``adds`` a folder and its name, ``copies`` the id of a place, ``checks`` everything, ``mends`` the
    files in trouble, ``seeks`` missing files in a folder, ``takes_all`` that new copies go to a place by themselves, or not."""

    adds = Signal(str, str)
    copies = Signal(int)
    checks = Signal()
    mends = Signal()
    seeks = Signal(str)
    takes_all = Signal(int, bool)

    def __init__(self) -> None:
        super().__init__()
        self._places: list[PlaceView] = []
        self.places = _table(_PLACES, "Places that second copies lie in", stretch=0)
        self.troubles = _table(_TROUBLES, "Files that are not whole", stretch=4)
        self.state = label(wrap=True, quiet=True)
        self.add_button = button("Add a place…", self._add, tip="A folder for second copies, best on another drive")
        tip = "Each file is read back from the drive; what was cut off goes on"
        self.copy_button = button("Copy what is missing there", self._copy, tip=tip)
        self.always = QCheckBox("New copies go there by themselves")
        self.always.clicked.connect(self._set_always)
        self.check_button = button("Check all files now", self.checks.emit, tip="Every file is read and held against its digest")
        self.mend_button = button("Repair from second copies", self.mends.emit, tip="The damaged file is kept beside the repaired one")
        self.seek_button = button("Find moved files…", self._seek, tip="By content, whatever they are called now")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.state)
        layout.addLayout(row(label("Places", name="section"), 1, self.always, self.copy_button, self.add_button))
        layout.addWidget(self.places, 3)
        layout.addLayout(row(label("Files that are not whole", name="section"), 1, self.seek_button, self.mend_button, self.check_button))
        layout.addWidget(self.troubles, 4)
        self.places.itemSelectionChanged.connect(self._offer)

    def show_files(self, words: str, places: list[PlaceView], there: set[str], troubles: list[Located]) -> None:
        self.state.setText(words)
        self._places = places
        chosen = self.places.currentRow()
        self.places.setRowCount(len(places))
        for number, one in enumerate(places):
            cells = (
                one.name, "there" if one.key in there else "away", one.disk, str(one.files), size_text(one.bytes),
                size_text(one.free_bytes) if one.free_bytes is not None else "–", one.seen_at[:10],
            )  # fmt: skip
            _fill(self.places, number, cells, figures={3, 4, 5, 6})
        self.places.setCurrentCell(min(max(0, chosen), len(places) - 1), 0)
        self.troubles.setRowCount(len(troubles))
        for number, bad in enumerate(troubles):
            _fill(self.troubles, number, (bad.label, bad.path.name, bad.place or "workspace", bad.state, bad.words), figures=set())
        self.mend_button.setEnabled(bool(troubles))
        self.seek_button.setEnabled(any(bad.state == "missing" for bad in troubles))
        self._offer()

    def _offer(self) -> None:
        chosen = self._chosen
        self.copy_button.setEnabled(chosen is not None)
        self.always.setEnabled(chosen is not None)
        self.always.setChecked(chosen is not None and chosen.always)

    @property
    def _chosen(self) -> PlaceView | None:
        place = self.places.currentRow()
        return self._places[place] if 0 <= place < len(self._places) else None

    def _set_always(self, on: bool) -> None:
        if self._chosen is not None:
            self.takes_all.emit(self._chosen.id, on)

    def _add(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "A folder for second copies")
        if folder:
            name, sure = QInputDialog.getText(self, "Add a place", "What is it called?", text=folder.rstrip("/").rpartition("/")[2])
            if sure:
                self.adds.emit(folder, name)

    def _copy(self) -> None:
        if self._chosen is not None:
            self.copies.emit(self._chosen.id)

    def _seek(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Look for moved files in")
        if folder:
            self.seeks.emit(folder)


def _table(heads: tuple[str, ...], name: str, *, stretch: int) -> QTableWidget:
    made = QTableWidget(0, len(heads))
    made.setHorizontalHeaderLabels(list(heads))
    made.verticalHeader().hide()
    made.verticalHeader().setDefaultSectionSize(28)
    made.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    made.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    made.setSelectionMode(QTableWidget.SelectionMode.SingleSelection)
    made.setShowGrid(False)
    made.setWordWrap(False)
    made.setAccessibleName(name)
    made.horizontalHeader().setHighlightSections(False)
    made.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    made.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
    made.horizontalHeader().setSectionResizeMode(stretch, QHeaderView.ResizeMode.Stretch)
    return made


def _fill(table: QTableWidget, number: int, cells: tuple[str, ...], *, figures: set[int]) -> None:
    for column, words in enumerate(cells):
        item = QTableWidgetItem(words)
        item.setToolTip(words if len(words) > 30 else "")
        if column in figures:
            item.setFont(theme.mono(theme.SMALL_PX))
            item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        table.setItem(number, column, item)
