"""The Shelf station."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QItemSelectionModel, QModelIndex, Qt
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QAbstractItemView, QComboBox, QLineEdit, QListView, QToolButton, QVBoxLayout

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.naming import next_label
from yomikomi.core.ledger.sentences import shelf_headline
from yomikomi.core.ledger.spine import DISC_TITLE, Spine
from yomikomi.core.planning.carriers import KINDS, kind_of
from yomikomi.core.work.notices import Weight
from yomikomi.ui import theme
from yomikomi.ui.icons import icon
from yomikomi.ui.shelf.intake import Filled, IntakeForm
from yomikomi.ui.shelf.model import ORDERS, STATES, Narrowing, ShelfModel, SpineDelegate, ViewRole, state_of
from yomikomi.ui.shelf.outlook import Outlook
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, button, label, menu_button, row

if TYPE_CHECKING:
    from yomikomi.ui.shelf.bringing import Bringing

_EMPTY = "The shelf is empty. Take in a tape at the right, or drop video files, a disc folder or a disc image here."
_NONE_FOUND = "Nothing on the shelf is like that."


class ShelfStation(Station):
    """Spines at the left with the forecast under them, intake at the right; files can be dropped anywhere on it."""

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setAcceptDrops(True)
        self.model = ShelfModel()
        self.list = self._make_list()
        self.empty = label(_EMPTY, quiet=True, wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.form = IntakeForm()
        self.outlook = Outlook(state)
        self.onward = button("Continue", self._go_on, tip="To this carrier's next station")
        self.onward.setIcon(icon("arrow-right", theme.INK))
        self.import_button = button(
            "Import files…", partial(self.act, "import"), tip="Any footage, or a disc image; it stays where it is (Ctrl+O)"
        )
        self.import_button.setIcon(icon("upload", theme.INK))
        self.change_button = button("Edit", self._change, tip="Edit the selected carrier (F2)")
        self.change_button.setIcon(icon("pencil", theme.INK))
        intake = Card(choosable=False)
        intake.setFixedWidth(372)
        intake.body.setContentsMargins(18, 14, 12, 14)
        intake.body.addWidget(self.form, 1)
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addLayout(self._make_filter())
        left.addWidget(self.list, 1)
        left.addWidget(self.empty, 1)
        left.addLayout(row(self.import_button, self._make_more(), 1, self.change_button, self.onward))
        left.addWidget(self.outlook)
        self.lay_out(left, intake)
        self.list.selectionModel().currentChanged.connect(self._on_current)
        self.list.activated.connect(lambda _index: self._go_on())
        self.form.filled.connect(self._take_in)
        self.form.wrong.connect(state.tell_error)
        self.form.given_up.connect(self._begin_form)
        self.outlook.measure.connect(self._measure)
        self._stale = False
        state.shelf_changed.connect(self._on_shelf)
        self._refill()
        self._begin_form()

    @cached_property
    def bringing(self) -> Bringing:
        """What brings files, discs and tables; loaded when first needed."""
        from yomikomi.ui.shelf.bringing import Bringing

        return Bringing(self.state, self)

    def _make_list(self) -> QListView:
        made = QListView()
        made.setObjectName("shelf")
        made.setMinimumHeight(190)  # a row of carriers, and the next one's beginning
        made.setModel(self.model)
        made.setItemDelegate(SpineDelegate(made))
        made.setViewMode(QListView.ViewMode.IconMode)
        made.setResizeMode(QListView.ResizeMode.Adjust)
        made.setMovement(QListView.Movement.Static)
        made.setUniformItemSizes(True)
        made.setLayoutMode(QListView.LayoutMode.Batched)
        made.setBatchSize(200)
        made.setSpacing(0)
        made.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        made.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        made.setAccessibleName("Carriers on the shelf")
        made.viewport().setAutoFillBackground(False)
        return made

    def _make_filter(self) -> QVBoxLayout:
        self.search = QLineEdit()
        self.search.setPlaceholderText("find by label, title, tag or note")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Find on the shelf")
        clear = self.search.findChild(QToolButton)
        if clear is not None:
            clear.setToolTip("Clear")
            clear.setAccessibleName("Clear what is searched for")
        self.kind_box, self.state_box, self.order_box = QComboBox(), QComboBox(), QComboBox()
        self.kind_box.addItem("all kinds", "")
        for key, kind in KINDS.items():
            self.kind_box.addItem(icon(kind.icon, theme.INK), kind.words, key)
        for box, table, name in ((self.state_box, STATES, "Show"), (self.order_box, ORDERS, "Order")):
            for key, (words, _) in table.items():
                box.addItem(words, key)
            box.setAccessibleName(name)
        self.kind_box.setAccessibleName("Kind")
        self.search.textChanged.connect(self._narrow)
        for box in (self.kind_box, self.state_box, self.order_box):
            box.currentIndexChanged.connect(self._narrow)
        self.found = label(quiet=True)
        made = QVBoxLayout()
        line = row(self.search, self.kind_box, self.state_box, self.order_box, self.found)
        line.setStretch(0, 1)
        made.addLayout(line)
        return made

    def _make_more(self) -> QToolButton:
        """What is done seldom, in a menu; all of it is in the go-to box too."""
        return menu_button(
            "More",
            (
                (words, partial(self.act, key))
                for words, key in (
                    ("Import a folder or disc…", "import_folder"), ("Import an inventory (CSV)…", "import_table"),
                    ("Export what is shown (CSV)…", "export_table"), ("Labels for what is shown (PDF)…", "labels"),
                    ("Take the chosen one off the shelf", "remove"),
                )
            ),
        )  # fmt: skip

    def refresh(self) -> None:
        if self._stale:
            self._refill()
            return
        view = self.state.chosen
        self._say(view)
        if view is not None:
            index = self.model.index(self.model.row_of(view.id), 0)
            if index.isValid():
                self.list.selectionModel().setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            else:
                self.list.selectionModel().clear()

    def entered(self) -> None:
        (self.list if self.state.spines else self.form.title_line).setFocus()
        self.outlook.refresh()

    def primary(self) -> None:
        self.form.submit()

    def act(self, key: str) -> None:
        own: dict[str, Callable[[], object]] = {
            "take_in": self._begin_form, "change": self._change, "remove": self._remove, "find": self.search.setFocus,
            "measure": self._measure,
        }  # fmt: skip
        (own.get(key) or self._brings()[key])()
        if key == "take_in":
            self.form.title_line.setFocus()

    def _brings(self) -> dict[str, Callable[[], object]]:
        bringing, shown = self.bringing, self.model.views()
        return {
            "import": bringing.ask_files,
            "import_folder": bringing.ask_folder,
            "import_table": bringing.ask_table,
            "export_table": partial(bringing.ask_export, shown),
            "labels": partial(bringing.ask_labels, shown),
        }

    def import_files(self, paths: list[Path]) -> None:
        self.bringing.bring(paths)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        event.acceptProposedAction()
        self.import_files([Path(url.toLocalFile()) for url in event.mimeData().urls() if url.isLocalFile()])

    def _measure(self) -> None:
        self.state.upkeep.measure_machine()

    def _begin_form(self) -> None:
        last = next((view for view in reversed(self.state.spines) if view.kind not in {"file", "disc"}), None)
        self.form.begin(next_label(self._labels()), self._labels(), last)

    def _labels(self) -> set[str]:
        return {view.label for view in self.state.spines}

    def _take_in(self, filled: Filled) -> None:
        record = self.state.record
        try:
            if filled.changes is not None:
                source = _with_changes(record.carrier(filled.changes).source, filled.sources[0])
                record.shelf.change(filled.changes, filled.intakes[0], source=source)
                chosen = filled.changes
            else:
                chosen = record.shelf.put(filled.intakes, filled.sources)[0]
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.reload()
        self.state.choose(chosen)
        first = filled.intakes[0]
        count = len(filled.intakes)
        who = f"{first.label} to {filled.intakes[-1].label} are" if count > 1 else f"{first.label} is"
        if first.details.condition.verdict == "unfit":
            self.state.tell(Weight.LOOK, f"{who} on the shelf, {first.details.condition.words}.", "Do not play it as it is.")
        elif filled.changes is not None:
            self.state.tell(Weight.FINE, f"{first.label} is written down anew.")
        else:
            self.state.tell(Weight.FINE, f"{who} on the shelf. Next: {_next_words(filled)}.")
        self._begin_form()

    def _change(self) -> None:
        if self.state.chosen is not None:
            self.form.change(self.state.chosen, self._labels())
            self.form.title_line.setFocus()

    def _remove(self) -> None:
        if self.state.chosen is None:
            return
        name = self.state.chosen.label
        try:
            self.state.record.shelf.remove(self.state.chosen.id)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self.state.reload()
        self.state.tell(Weight.FINE, f"{name} was taken off the shelf.")

    def _narrow(self) -> None:
        words = tuple(self.search.text().casefold().split())
        self.model.narrow(Narrowing(words, self.kind_box.currentData(), self.state_box.currentData(), self.order_box.currentData()))
        self._show_count()
        self.refresh()

    def _on_shelf(self) -> None:
        """A thousand spines are not laid out anew while another station is on screen."""
        if self.isHidden():
            self._stale = True
        else:
            self._refill()

    def _refill(self) -> None:
        self._stale = False
        self.model.put(self.state.spines)
        self._show_count()
        self.form.offer_label(next_label(self._labels()), self._labels())
        self.refresh()

    def _show_count(self) -> None:
        shown, count = self.model.rowCount(), len(self.state.spines)
        self.found.setText(f"{shown} of {count}" if self.model.narrowed else "")
        self.list.setVisible(bool(shown))
        self.empty.setVisible(not shown)
        self.empty.setText(_NONE_FOUND if count else _EMPTY)
        for one in (self.onward, self.change_button):
            one.setEnabled(bool(count))

    def _say(self, view: Spine | None) -> None:
        self.sentence.say(*shelf_headline(self.state.spines, view))

    def _on_current(self, current: QModelIndex, _before: QModelIndex) -> None:
        view = current.data(ViewRole) if current.isValid() else None
        if isinstance(view, Spine) and (self.state.chosen is None or view.id != self.state.chosen.id):
            self.state.choose(view.id)

    def _go_on(self) -> None:
        view = self.state.chosen
        if view is None:
            return
        if view.take is None and (view.source or {}).get("kind") == DISC_TITLE:
            self.bringing.copy_title(view)
        elif view.unfit and view.take is None:
            self.state.tell(
                Weight.WRONG, f"{view.label} is {view.details.condition.words}.", "Judge its condition anew (F2) before it is played."
            )
        elif view.next_station == "shelf":
            self.state.tell(Weight.LOOK, f"{view.label}: {state_of(view)[1]}.", _wanting(view))
        else:
            self.state.go.emit(view.next_station)


def _with_changes(before: dict[str, Any] | None, asked: dict[str, Any] | None) -> dict[str, Any] | None:
    """A simulated player with what the form asks put in place; what the form does not ask stays as it was."""
    if before is None or asked is None:
        return asked
    return {**before, **{key: asked[key] for key in ("standard", "field_order", "seed", "tape", "corrector", "seconds")}}


def _wanting(view: Spine) -> str:
    """What a carrier that can go nowhere yet is waiting for."""
    if kind_of(view.kind).way == "copy":
        return "Drop its files, its disc folder or an image of it here."
    return "No player for it is connected." if view.standard else "Say which standard it has (F2)."


def _next_words(filled: Filled) -> str:
    if filled.sources[0] is not None:
        return "capture it" if len(filled.intakes) == 1 else "capture them"
    return "say which standard it has" if not filled.intakes[0].format else "bring its data in, or wait for a player"
