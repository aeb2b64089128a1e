"""The Shelf station."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtCore import QItemSelectionModel, QModelIndex, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QAbstractItemView, QFileDialog, QListView, QVBoxLayout

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.record import CarrierView
from yomikomi.core.work.notices import Weight
from yomikomi.ui import theme
from yomikomi.ui.icons import icon
from yomikomi.ui.shelf.intake import Intake, IntakeForm
from yomikomi.ui.shelf.model import ShelfModel, SpineDelegate, ViewRole
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, button, label, row

_EMPTY = "The shelf is empty. Take in a tape at the right, or drop video files here."


class ShelfStation(Station):
    """Spines at the left, intake at the right; files can be dropped anywhere on it."""

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setAcceptDrops(True)
        self.model = ShelfModel()
        self.list = QListView()
        self.list.setObjectName("shelf")
        self.list.setModel(self.model)
        self.list.setItemDelegate(SpineDelegate(self.list))
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setUniformItemSizes(True)
        self.list.setSpacing(2)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.list.setAccessibleName("Carriers on the shelf")
        self.list.viewport().setAutoFillBackground(False)
        self.empty = label(_EMPTY, quiet=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.form = IntakeForm()
        self.import_button = button("Import files…", self.ask_files, tip="Any footage; it stays where it is (Ctrl+O)")
        self.import_button.setIcon(icon("upload", theme.INK))
        self.onward = button("Go on with it", self._go_on, tip="To the station where this carrier's work goes on")
        self.onward.setIcon(icon("arrow-right", theme.INK))
        intake = Card(choosable=False)
        intake.setFixedWidth(368)
        intake.body.setContentsMargins(20, 16, 20, 16)
        intake.body.setSpacing(12)
        intake.body.addWidget(label("Take in a carrier", name="section"))
        intake.body.addWidget(self.form, 1)
        left = QVBoxLayout()
        left.setSpacing(12)
        left.addWidget(self.list, 1)
        left.addWidget(self.empty, 1)
        left.addLayout(row(self.import_button, label("or drop them here; they are never moved or altered", quiet=True), 1, self.onward))
        self.lay_out(left, intake)
        self.list.selectionModel().currentChanged.connect(self._on_current)
        self.list.activated.connect(lambda _index: self._go_on())
        self.form.filled.connect(self._take_in)
        state.shelf_changed.connect(self._refill)
        self._refill()
        self.form.begin(state.record.next_label())

    def show_carrier(self, view: CarrierView | None) -> None:
        self._say(view)
        if view is not None:
            row_number = self.model.row_of(view.id)
            index = self.model.index(row_number, 0)
            self.list.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)

    def entered(self) -> None:
        (self.list if self.state.carriers else self.form.title_line).setFocus()

    def primary(self) -> None:
        self.form.submit()

    def act(self, key: str) -> None:
        if key == "import":
            self.ask_files()
        elif key == "take_in":
            self.form.begin(self.state.record.next_label())
            self.form.title_line.setFocus()

    def ask_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Files to import")
        self.import_files([Path(name) for name in names])

    def import_files(self, paths: list[Path]) -> None:
        """Look at each file in a thread and put it on the shelf, or say why not."""
        for path in paths:
            self.state.calls.call(
                "import", partial(self.state.record.import_file, path), self._imported, self.state.tell_error, stale_allowed=True
            )

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.import_files([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def _imported(self, answer: tuple[int, str]) -> None:
        carrier_id, warning = answer
        self.state.reload()
        self.state.choose(carrier_id)
        name = self.state.current.title if self.state.current else ""
        if warning:
            self.state.tell(Weight.LOOK, f"{name} was taken in, but {warning}.", "What is there can be used.")
        else:
            self.state.tell(Weight.FINE, f"{name} is on the shelf. Next: read it.")

    def _take_in(self, intake: Intake) -> None:
        try:
            carrier_id = self.state.record.add_carrier(
                label=intake.label, title=intake.title, kind=intake.kind, standard=intake.standard,
                nominal_seconds=intake.seconds, source=intake.source,
            )  # fmt: skip
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.reload()
        self.state.choose(carrier_id)
        self.state.tell(Weight.FINE, f"{intake.label} is on the shelf. Next: capture it.")
        self.form.begin(self.state.record.next_label())

    def _refill(self) -> None:
        self.model.put(self.state.carriers)
        self.list.setVisible(bool(self.state.carriers))
        self.empty.setVisible(not self.state.carriers)
        self.onward.setEnabled(bool(self.state.carriers))
        self.form.offer_label(self.state.record.next_label(), {view.label for view in self.state.carriers})
        self.show_carrier(self.state.current)

    def _say(self, view: CarrierView | None) -> None:
        if not self.state.carriers:
            self.sentence.say("Begin by putting a carrier on the shelf.", "A tape to be captured, or a file that is there already")
            return
        waiting = [v for v in self.state.carriers if v.progress < 8]
        done = len(self.state.carriers) - len(waiting)
        count = len(self.state.carriers)
        head = f"{count} carrier{'s' if count != 1 else ''}, {done} copied and verified."
        if view is not None and view.progress < 8:
            where = view.next_station.capitalize()
            head += f" {view.label} goes on at {where}."
        self.sentence.say(head, "Enter goes on with the chosen one · Ctrl+K finds anything by name")

    def _on_current(self, current: QModelIndex, _before: QModelIndex) -> None:
        view = current.data(ViewRole) if current.isValid() else None
        if isinstance(view, CarrierView) and (self.state.current is None or view.id != self.state.current.id):
            self.state.choose(view.id)

    def _go_on(self) -> None:
        if self.state.current is not None:
            self.state.go.emit(self.state.current.next_station)
