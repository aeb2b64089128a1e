"""My equipment: what there is, taken from the catalogue, copied, changed, exchanged as a file."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.errors import YomikomiError
from yomikomi.core.path.catalogue import DeviceKind
from yomikomi.core.path.equipment import PIECE_LIMIT, Equipment, read_equipment, write_equipment
from yomikomi.core.work.text import capital
from yomikomi.ui.path.kind_form import KindForm
from yomikomi.ui.widgets.basics import Sentence, button, label, row

_ROLES = {
    "player": "Players", "camera": "Cameras", "console": "Consoles", "reader": "Readers of data", "recorder": "Recorders",
    "converter": "Converters", "interface": "Sound", "microphone": "Sound", "amplifier": "Sound", "headset": "Sound", "screen": "Screens",
    "computer": "Computers, drives, cards", "hub": "Computers, drives, cards", "drive": "Computers, drives, cards",
    "card": "Computers, drives, cards", "cable": "Cables",
}  # fmt: skip
_ID = Qt.ItemDataRole.UserRole


class EquipmentBox(QDialog):
    """Emits ``changed`` with the new Equipment at every change."""

    changed = Signal(object)
    wrong = Signal(object)

    def __init__(self, equipment: Equipment, parent: QWidget) -> None:
        super().__init__(parent)
        self.equipment = equipment
        self.setWindowTitle("My equipment")
        self.resize(1080, 680)
        self.sentence = Sentence()
        self.catalogue, self.mine = self._tree("Catalogue of kinds"), self._tree("My equipment")
        self.catalogue.setHeaderLabels(["Kind"])
        self.mine.setHeaderLabels(["Piece", "Where it is"])
        self.mine.setColumnWidth(0, 250)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find in the catalogue")
        self.search.setAccessibleName("Find in the catalogue")
        self.search.setClearButtonEnabled(True)
        self.name, self.where = QLineEdit(), QLineEdit()
        self.name.setPlaceholderText("name of this piece")
        self.where.setPlaceholderText("where it is: shelf B")
        for line, words in ((self.name, "Name of the piece"), (self.where, "Where the piece is")):
            line.setAccessibleName(words)
            line.editingFinished.connect(self._rename)
        self.about = label(quiet=True, wrap=True)
        self.about.setMinimumHeight(64)
        self.about.setAlignment(Qt.AlignmentFlag.AlignTop)
        left = QVBoxLayout()
        left.addWidget(label("Catalogue", name="section"))
        left.addWidget(self.search)
        left.addWidget(self.catalogue, 1)
        left.addLayout(
            row(
                button("Add", self.add, primary=True, tip="One more piece of the chosen kind (Enter)"),
                button("New kind like this…", self.copy_kind, tip="A kind of your own, begun as a copy"), 1,
            )
        )  # fmt: skip
        right = QVBoxLayout()
        right.addWidget(label("Mine", name="section"))
        right.addLayout(row(self.name, self.where))
        right.addWidget(self.mine, 1)
        right.addLayout(
            row(
                button("Take away", self.remove, tip="Delete"), button("One more", self.again, tip="Another piece of the same kind"),
                button("Change its kind…", self.edit_kind, tip="Ports, settings and limits of this kind, for this workspace"), 1,
            )
        )  # fmt: skip
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addLayout(left, 1)
        body.addLayout(right, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(12)
        layout.addWidget(self.sentence)
        layout.addLayout(body, 1)
        layout.addWidget(self.about)
        layout.addLayout(
            row(button("Import…", self._ask_import), button("Export…", self._ask_export), 1, button("Close", self.accept, primary=True))
        )
        delete = QShortcut(QKeySequence(Qt.Key.Key_Delete), self.mine, self.remove)
        delete.setContext(Qt.ShortcutContext.WidgetShortcut)
        self.search.textChanged.connect(self._show_catalogue)
        self.catalogue.itemActivated.connect(lambda *_: self.add())
        self.catalogue.currentItemChanged.connect(lambda item, _before: self._tell(self._kind_at(item)))
        self.mine.currentItemChanged.connect(lambda item, _before: self._tell_piece(item))
        self._show()

    def _tree(self, words: str) -> QTreeWidget:
        made = QTreeWidget()
        made.setAccessibleName(words)
        made.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        made.setUniformRowHeights(True)
        made.setIndentation(14)
        return made

    # -- what the buttons do

    def add(self) -> None:
        kind = self._kind_at(self.catalogue.currentItem())
        if kind is not None:
            self._add_piece(kind.key)

    def again(self) -> None:
        piece = self._piece()
        if piece is not None:
            self._add_piece(self.equipment.by_id[piece].kind)

    def remove(self) -> None:
        piece = self._piece()
        if piece is not None:
            self._take(self.equipment.without_piece(piece))

    def copy_kind(self) -> None:
        kind = self._kind_at(self.catalogue.currentItem())
        if kind is not None:
            words = f"{kind.words} of mine"
            self._open_form(kind.model_copy(update={"key": self.equipment.free_kind_key(words), "words": words}))

    def edit_kind(self) -> None:
        piece = self._piece()
        if piece is not None:
            self._open_form(self.equipment.kind_of(piece))

    def import_file(self, path: Path) -> None:
        try:
            self._take(read_equipment(path))
        except YomikomiError as error:
            self.sentence.say(error.message, error.remedy)
            self.wrong.emit(error)

    def export_file(self, path: Path) -> None:
        try:
            write_equipment(self.equipment, path, over=True)
        except YomikomiError as error:
            self.sentence.say(error.message, error.remedy)
            self.wrong.emit(error)

    def _add_piece(self, kind: str) -> None:
        if len(self.equipment.pieces) >= PIECE_LIMIT:
            self.sentence.say(f"More than {PIECE_LIMIT} pieces are not kept.", "Take away what is not used")
            return
        piece_id = self.equipment.free_id(kind)
        self._take(self.equipment.with_piece(kind, piece_id=piece_id), current=piece_id)

    def _rename(self) -> None:
        piece = self._piece()
        if piece is None:
            return
        before = self.equipment.by_id[piece]
        after = before.model_copy(update={"words": self.name.text().strip()[:80], "where": self.where.text().strip()[:120]})
        if after != before:
            self._take(self.equipment.with_changed(after), current=piece)

    def _open_form(self, kind: DeviceKind) -> None:
        form = KindForm(kind, self)
        form.made.connect(lambda made: self._take(self.equipment.with_kind(made)))
        form.open()

    def _ask_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Import equipment", "", "Equipment (*.json)")
        if name:
            self.import_file(Path(name))

    def _ask_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Export equipment", "equipment.json", "Equipment (*.json)")
        if name:
            self.export_file(Path(name))

    # -- what is shown

    def _take(self, equipment: Equipment, *, current: str = "") -> None:
        self.equipment = equipment
        self._show(current)
        self.changed.emit(equipment)

    def _show(self, current: str = "") -> None:
        self._show_catalogue()
        self.mine.clear()
        groups: dict[str, QTreeWidgetItem] = {}
        for piece in self.equipment.pieces:
            kind = self.equipment.known[piece.kind]
            group = self._group(self.mine, groups, _ROLES[kind.role])
            words = self.equipment.words_of(piece.id)
            item = QTreeWidgetItem(group, [words if piece.words == "" else f"{words} ({kind.words})", piece.where])
            item.setData(0, _ID, piece.id)
            if piece.id == current:
                self.mine.setCurrentItem(item)
        self.mine.expandAll()
        count = len(self.equipment.pieces)
        if count:
            self.sentence.say(f"{count} pieces of equipment are yours.", "Paths are found through these; what is not listed is not used")
        else:
            self.sentence.say(
                "Pick from the catalogue what you have.", "Players, recorders, the computer, and the cables: paths follow by themselves"
            )

    def _show_catalogue(self) -> None:
        before = self._kind_at(self.catalogue.currentItem())
        wanted = self.search.text().strip().lower()
        self.catalogue.clear()
        groups: dict[str, QTreeWidgetItem] = {}
        own = {kind.key for kind in self.equipment.kinds}
        for kind in self.equipment.known.values():
            if wanted and wanted not in kind.words.lower() and wanted not in kind.role:
                continue
            group = self._group(self.catalogue, groups, _ROLES[kind.role])
            item = QTreeWidgetItem(group, [kind.words + (" · your own" if kind.key in own else "")])
            item.setData(0, _ID, kind.key)
            if before is not None and kind.key == before.key:
                self.catalogue.setCurrentItem(item)
        self.catalogue.expandAll()

    @staticmethod
    def _group(tree: QTreeWidget, groups: dict[str, QTreeWidgetItem], words: str) -> QTreeWidgetItem:
        if words not in groups:
            made = QTreeWidgetItem(tree, [words])
            made.setFlags(made.flags() & ~Qt.ItemFlag.ItemIsSelectable)
            groups[words] = made
        return groups[words]

    def _kind_at(self, item: QTreeWidgetItem | None) -> DeviceKind | None:
        return self.equipment.known.get(item.data(0, _ID) or "") if item is not None else None

    def _piece(self) -> str | None:
        item = self.mine.currentItem()
        found: str | None = item.data(0, _ID) if item is not None else None
        return found

    def _tell_piece(self, item: QTreeWidgetItem | None) -> None:
        piece = self.equipment.by_id.get((item.data(0, _ID) or "") if item is not None else "")
        self.name.setText(piece.words if piece else "")
        self.where.setText(piece.where if piece else "")
        for line in (self.name, self.where):
            line.setEnabled(piece is not None)
        if piece is not None:
            self._tell(self.equipment.known[piece.kind])

    def _tell(self, kind: DeviceKind | None) -> None:
        if kind is None:
            return
        ins = ", ".join(port.words for port in kind.ports if port.way == "in") or "none"
        outs = ", ".join(port.words + (" (loop-through)" if port.loop else "") for port in kind.ports if port.way == "out") or "none"
        ends = "; ".join(f"{a} to {b}".replace("_", " ") for a, b in kind.ends)
        facts = f"Joins {ends}." if ends else f"Inputs: {ins}. Outputs: {outs}."
        self.about.setText(f"{capital(kind.words)}. {facts} {' '.join(kind.quirks)}")
