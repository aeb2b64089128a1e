"""The Reckoner's window."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PySide6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QStackedWidget, QVBoxLayout, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.reckoner.sheets import SHEETS
from yomikomi.core.video.units import ratio_text
from yomikomi.core.work.notices import Weight
from yomikomi.ui.reckoner.sheet_form import SheetForm
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, label, plain_tip, row, scrolled_widget

_HISTORY_SHOWN = 60
_SHEET_PX = 28


class ReckonerWindow(QDialog):
    """Sheets at the left, the sides of one in the middle, history under them. It stays open beside the main window."""

    def __init__(self, state: AppState, parent: QWidget) -> None:
        super().__init__(parent)
        self.state = state
        self.setWindowTitle("Reckoner")
        self.setModal(False)
        self.resize(700, 680)
        self._forms: dict[str, SheetForm] = {}
        self._scrolls: dict[str, QWidget] = {}
        self.list = QListWidget()
        self.list.setFixedWidth(190)
        self.list.setAccessibleName("Sheets")
        for key, sheet in SHEETS.items():
            item = QListWidgetItem(sheet.words)
            item.setData(Qt.ItemDataRole.UserRole, key)
            item.setSizeHint(QSize(0, _SHEET_PX))
            self.list.addItem(item)
        self._stack = QStackedWidget()
        self.history = QListWidget()
        self.history.setAccessibleName("History")
        self.history.setToolTip("Enter brings a line back")
        self.history.setFixedHeight(104)
        self.history.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.copy_button = button("Copy", self.copy, tip="The result and how it was worked out (Ctrl+Shift+C)")
        self.send_button = button(
            "Send to the carrier", self.send, tip="A length or a shape goes to its place, anything else into the note"
        )
        right = QVBoxLayout()
        right.setSpacing(10)
        right.addWidget(self._stack, 1)
        right.addLayout(row(1, self.copy_button, self.send_button))
        right.addWidget(label("History", quiet=True))
        right.addWidget(self.history)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(16, 16, 16, 16)
        layout.setSpacing(16)
        layout.addWidget(self.list)
        layout.addLayout(right, 1)
        self.list.currentItemChanged.connect(lambda item, _before: self._show_sheet(item))
        self.history.itemActivated.connect(self._bring_back)
        QShortcut(QKeySequence("Ctrl+Shift+C"), self, self.copy)
        state.carrier_changed.connect(self._show_carrier)
        state.machine_changed.connect(self._show_machine)
        self._show_carrier()
        self._show_history()
        self.list.setCurrentRow(0)

    def form(self, key: str) -> SheetForm:
        """A sheet's form, made when first needed."""
        if key not in self._forms:
            made = SheetForm(SHEETS[key])
            made.settled.connect(lambda key=key: self._remember(key))
            self._forms[key] = made
            self._scrolls[key] = scrolled_widget(made)
            self._stack.addWidget(self._scrolls[key])
            if key == "drive":
                self._show_machine()
        return self._forms[key]

    @property
    def current(self) -> SheetForm:
        return self.form(self.list.currentItem().data(Qt.ItemDataRole.UserRole))

    def show_sheet(self, key: str) -> None:
        self.list.setCurrentRow(list(SHEETS).index(key))

    @property
    def answer(self) -> str:
        """What the last change came to, in words: the sides that followed."""
        form = self.current
        keys = form.reckoning.followed or [field.key for field in form.sheet.fields if not field.steady and not field.choices]
        return ", ".join(f"{form.sheet.field(key).words} {form.reckoning.text(key)}" for key in keys)

    def copy(self) -> None:
        """The result with its explanation, as text."""
        lines = [f"{self.current.sheet.words}: {self.answer}", *self.current.reckoning.explain()]
        QGuiApplication.clipboard().setText("\n".join(lines))
        self.state.tell(Weight.FINE, f"On the clipboard: {self.answer}.")

    def send(self) -> None:
        """The result goes to the current carrier: a length or a shape to its place, anything else to its note."""
        view = self.state.current
        if view is None:
            self.state.tell(Weight.LOOK, "There is no carrier to send it to.", "Take one in on the Shelf.")
            return
        form = self.current
        moved = {*form.reckoning.followed, *form.typed}
        placed = next((one for one in form.sheet.fields if one.place and one.key in moved), None)
        intake = view.intake
        if placed is not None and placed.place == "length":
            seconds = float(form.reckoning.values[placed.key])
            intake, told = intake.model_copy(update={"seconds": seconds}), f"runs {form.reckoning.text(placed.key)}"
        elif placed is not None:
            shape = ratio_text(form.reckoning.values[placed.key])
            details = intake.details.model_copy(update={"shape": shape})
            intake, told = intake.model_copy(update={"details": details}), f"has the shape {shape}"
        else:
            line = f"{form.sheet.words}: {self.answer}"
            note = f"{intake.note}; {line}" if intake.note else line
            intake, told = intake.model_copy(update={"note": note}), f"has in its note: {line}"
        try:
            self.state.record.shelf.change(view.id, type(intake).model_validate(intake.model_dump()))
        except (YomikomiError, ValueError) as error:
            self.state.tell(Weight.WRONG, f"{view.label} cannot take that: {error}.", "Change a side first.")
            return
        self.state.reload()
        self.state.tell(Weight.FINE, f"{view.label} {told} now.")

    def _show_sheet(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        form = self.form(item.data(Qt.ItemDataRole.UserRole))
        self._stack.setCurrentWidget(self._scrolls[form.sheet.key])

    def _show_carrier(self) -> None:
        view = self.state.chosen
        self.send_button.setEnabled(view is not None)
        self.send_button.setText(f"Send to {view.label}" if view else "Send to the carrier")

    def _show_machine(self) -> None:
        """The drive's sheet begins with what was measured here."""
        form = self._forms.get("drive")
        if form is None:
            return
        try:
            form.reckoning.type("free", f"{self.state.free_bytes()} B")
        except (OSError, YomikomiError):
            return
        if self.state.machine is not None:
            form.put("measured", f"{self.state.machine.write_bytes_per_second.usual / 1e6:.1f} MB/s")

    def _remember(self, key: str) -> None:
        form = self._forms[key]
        if form is self.current and form.typed:
            self.state.record.settings.save_reckoning(key, form.typed, f"{form.sheet.words}: {self.answer}")
            self._show_history()

    def _show_history(self) -> None:
        self.history.clear()
        for sheet, typed, words in self.state.record.settings.reckonings()[:_HISTORY_SHOWN]:
            if sheet not in SHEETS:
                continue  # from a newer version
            given = ", ".join(f"{one.words} {typed[one.key]}" for one in SHEETS[sheet].fields if one.key in typed)
            item = QListWidgetItem(f"{words}   ({given})")
            item.setData(Qt.ItemDataRole.UserRole, (sheet, typed))
            item.setToolTip(plain_tip(item.text()))
            self.history.addItem(item)

    def _bring_back(self, item: QListWidgetItem) -> None:
        sheet, typed = item.data(Qt.ItemDataRole.UserRole)
        self.show_sheet(sheet)
        self.form(sheet).bring_back(typed)
