"""Taking in a new carrier, or a series of like ones, and changing one: few fields, sensible beginnings, all by keyboard."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QGridLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.carriers import KINDS, OUTCOMES, kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.intake import (
    SERIES_LIMIT,
    CarrierDetails,
    Cassette,
    Condition,
    Intake,
    series_labels,
    tags_of,
    usual_details,
)
from yomikomi.core.planning.lengths import factor_of, marked_minutes_for, marked_text, parse_marked, running_seconds
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import parse_time
from yomikomi.sim.stand_ins import has_stand_in, stand_in
from yomikomi.ui import theme
from yomikomi.ui.shelf.condition import ConditionCheck
from yomikomi.ui.widgets.basics import beside, button, label, row, scrolled_widget

_KINDS_TO_TAKE_IN = [key for key, kind in KINDS.items() if kind.formats]


@dataclass(frozen=True)
class Filled:
    """What was filled in: carriers with the simulated players they lie in, and which one was changed, if one was."""

    intakes: tuple[Intake, ...]
    sources: tuple[dict[str, Any] | None, ...]
    changes: int | None = None


class IntakeForm(QWidget):
    """Emits ``filled`` with a Filled, ``wrong`` with an error, ``left`` when changing was given up."""

    filled = Signal(object)
    wrong = Signal(object)
    given_up = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._taken: set[str] = set()
        self._changes: int | None = None
        self._make_fields()
        self.title = label("Add a carrier", name="section")
        form = self._form = QFormLayout()
        form.setHorizontalSpacing(10)
        form.setVerticalSpacing(7)
        form.setContentsMargins(0, 0, 6, 0)
        for words, widget in self._rows():
            if widget is self.condition:
                form.addRow(widget)  # its questions need the whole width
            else:
                form.addRow(words, widget)
        self.put = button("Put on the shelf", self.submit, primary=True, tip="Ctrl+Return")
        self.give_up = button("Leave it as it was", self._give_up)
        self.give_up.hide()
        holder = QWidget()
        holder.setLayout(form)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(10)
        layout.addWidget(self.title)
        layout.addWidget(scrolled_widget(holder), 1)
        layout.addLayout(row(self.give_up, 1, self.put))
        self._connect()
        self._on_kind()

    def _make_fields(self) -> None:
        self.label_line, self.title_line = QLineEdit(), QLineEdit()
        self.title_line.setPlaceholderText("what is on it")
        self.count = QSpinBox()
        self.count.setRange(1, SERIES_LIMIT)
        self.count.setSuffix(" ×")
        self.count.setToolTip("How many like this: the number at the end of the label counts up")
        self.count.setFixedWidth(84)
        self.series = label(quiet=True, wrap=True)
        self.kind, self.standard = QComboBox(), QComboBox()
        self.kind.setMinimumWidth(60)
        self.standard.setMinimumWidth(60)
        for key in _KINDS_TO_TAKE_IN:
            self.kind.addItem(KINDS[key].words, key)
        self.marked, self.speed = QComboBox(), QComboBox()
        self.marked.setEditable(True)
        self.marked.setToolTip("What stands on the shell: 120, T-120 or E-180; minutes at the standard speed")
        self.length = QLineEdit()
        self.length.setPlaceholderText("1:58:00, 2h")
        self.length.setToolTip("Running time; follows from marked minutes and speed, and the other way round")
        self.shape, self.sound = QComboBox(), QComboBox()
        for free in (self.shape, self.sound):
            free.setEditable(True)
        for box in (self.marked, self.speed, self.shape, self.sound):
            box.setMinimumWidth(60)
        self.tags_line, self.note_line = QLineEdit(), QLineEdit()
        self.tags_line.setPlaceholderText("parade, 1993")
        self.wanted = {key: QCheckBox(words) for key, words in OUTCOMES.items()}
        self.rights = QCheckBox("We hold the rights, or may copy it")
        self.rights_words = label(quiet=True, wrap=True)
        self.condition = ConditionCheck()
        self.order = QComboBox()
        self.order.addItem("usual field order", "")
        for order in FieldOrder:
            self.order.addItem(order.words, order.value)
        self.order.setToolTip("Usual: of 525 lines the bottom field first, of 625 lines the top one. Recorders differ.")
        self.seed = QSpinBox()
        self.seed.setRange(0, 9999)
        self.seed.setValue(1)
        self.seed.setPrefix("tape ")
        self.seed.setFixedWidth(104)
        self.order.setMinimumWidth(60)
        self.seed.setToolTip("Which tape lies in the simulated player: the same number plays the same tape; a series counts up")
        self.corrector = QCheckBox("time-base corrector")
        for number in (self.seed, self.count):
            theme.inset(number)

    def _rows(self) -> list[tuple[str, QWidget]]:
        outcomes = QWidget()
        grid = QGridLayout(outcomes)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        for number, box in enumerate(self.wanted.values()):
            grid.addWidget(box, number // 2, number % 2)
        self._player, self._tape_length = beside(self.seed, self.order), beside(self.marked, self.speed)
        rows: list[tuple[str, QWidget]] = [
            ("Label", beside(self.label_line, self.count)), ("", self.series), ("Title", self.title_line), ("Kind", self.kind),
            ("Standard", self.standard), ("Marked", self._tape_length), ("Length", self.length),
            ("Picture", self.shape), ("Sound", self.sound), ("Condition", self.condition), ("Rights", self.rights),
            ("", self.rights_words), ("Wanted", outcomes), ("Tags", self.tags_line), ("Note", self.note_line),
            ("Player", self._player), ("", self.corrector),
        ]  # fmt: skip
        names = {
            self.label_line: "Label", self.count: "How many", self.title_line: "Title", self.kind: "Kind", self.standard: "Standard",
            self.marked: "Marked minutes", self.speed: "Speed", self.length: "Running time", self.shape: "Picture shape",
            self.sound: "Sound", self.tags_line: "Tags", self.note_line: "Note", self.seed: "Tape number", self.order: "Field order",
        }  # fmt: skip
        for widget, name in names.items():
            widget.setAccessibleName(name)
        return rows

    def _connect(self) -> None:
        self.kind.currentIndexChanged.connect(self._on_kind)
        self.marked.currentTextChanged.connect(self._on_marked)
        self.speed.currentIndexChanged.connect(self._on_marked)
        self.standard.activated.connect(self._on_marked)
        self.length.editingFinished.connect(self._on_length)
        self.count.valueChanged.connect(self._show_series)
        self.label_line.textChanged.connect(self._show_series)
        self.title_line.returnPressed.connect(self.submit)

    def begin(self, free_label: str, taken: set[str], last: Spine | None = None) -> None:
        """Start over with the next free label; what stood there, or what was taken in last, stays as a beginning."""
        self._changes, self._taken = None, taken
        self.title.setText("Add a carrier")
        self.put.setText("Put on the shelf")
        self.give_up.hide()
        self.count.setEnabled(True)
        if last is not None and last.kind in _KINDS_TO_TAKE_IN:
            self._show_intake(last.intake)
        self.label_line.setText(free_label)
        self.title_line.clear()
        self.note_line.clear()
        self.count.setValue(1)
        self.condition.show_condition(Condition())

    def change(self, view: Spine, taken: set[str]) -> None:
        """Show what is written down of a carrier, to be changed."""
        self._changes, self._taken = view.id, taken - {view.label}
        self.title.setText(f"Change {view.label}")
        self.put.setText("Keep the changes")
        self.give_up.show()
        self.count.setValue(1)
        self.count.setEnabled(False)
        self._show_intake(view.intake)
        source = view.source or {}
        self.seed.setValue(int(source.get("seed", 1)))
        self.order.setCurrentIndex(max(0, self.order.findData(source.get("field_order") or "")))
        self.corrector.setChecked(bool(source.get("corrector", False)))

    @property
    def changing(self) -> bool:
        return self._changes is not None

    def offer_label(self, free_label: str, taken: set[str]) -> None:
        """Another label where the one that stands there was given away meanwhile."""
        if self.changing:
            return
        self._taken = taken
        if self.label_line.text().strip() in taken:
            self.label_line.setText(free_label)

    def submit(self) -> None:
        try:
            filled = self._filled()
        except WrongUseError as error:
            self.wrong.emit(error)
        else:
            self.filled.emit(filled)

    def _filled(self) -> Filled:
        kind, chosen = kind_of(self.kind.currentData()), self.standard.currentData()
        words = self.length.text().strip()
        seconds = parse_time(words) if words else None
        if words and not seconds:
            raise WrongUseError(f"{words!r} is no running time.", remedy="Write it as 1:58:00, 2h or 118 min; empty if not known.")
        marked, cassette = self._marked_minutes()
        details = CarrierDetails(
            shape=self.shape.currentText().strip(), sound=self.sound.currentText().strip(),
            marked_minutes=marked if kind.speeds else None, cassette=cassette, speed=self.speed.currentText() if kind.speeds else "",
            condition=self.condition.condition, rights=self.rights.isChecked(),
            wanted=tuple(key for key, box in self.wanted.items() if box.isChecked()), tags=tags_of(self.tags_line.text()),
        )  # fmt: skip
        labels = series_labels(self.label_line.text(), self.count.value(), self._taken)
        length = float(seconds) if seconds else None
        intakes = tuple(
            Intake(
                label=one, title=self.title_line.text().strip(), kind=kind.key, format=chosen or None, seconds=length,
                note=self.note_line.text().strip(), details=details,
            )
            for one in labels
        )  # fmt: skip
        order = FieldOrder(self.order.currentData()) if self.order.currentData() else None
        sources = tuple(
            stand_in(
                kind.key, chosen, seed=self.seed.value() + number, seconds=length, order=order, corrector=self.corrector.isChecked()
            )
            for number in range(len(labels))
        )  # fmt: skip
        return Filled(intakes, sources, self._changes)

    def _show_intake(self, intake: Intake) -> None:
        details = intake.details
        place = self.kind.findData(intake.kind)
        if place < 0:  # a kind that is not taken in by hand, such as a file
            self.kind.addItem(kind_of(intake.kind).words, intake.kind)
            place = self.kind.count() - 1
        self.kind.setCurrentIndex(place)
        self._on_kind()
        self.label_line.setText(intake.label)
        self.title_line.setText(intake.title)
        self.note_line.setText(intake.note)
        self.standard.setCurrentIndex(max(0, self.standard.findData(intake.format or "")))
        for box, words in ((self.shape, details.shape), (self.sound, details.sound)):
            box.setCurrentText(words)
        with QSignalBlocker(self.marked), QSignalBlocker(self.speed):
            if details.speed:
                self.speed.setCurrentText(details.speed)
            self.marked.setCurrentText(marked_text(details.marked_minutes, details.cassette) if details.marked_minutes else "")
        self.length.setText(clock(intake.seconds) if intake.seconds else "")
        self.condition.show_condition(details.condition)
        self.rights.setChecked(details.rights)
        for key, wanted in self.wanted.items():
            wanted.setChecked(key in details.wanted)
        self.tags_line.setText(", ".join(details.tags))

    def _on_kind(self) -> None:
        """Offer what is usual for the kind."""
        kind = kind_of(self.kind.currentData())
        usual = usual_details(kind.key)
        standard = self.standard.currentData()
        self.standard.clear()
        for key in kind.formats:
            self.standard.addItem(f"{key} · {FORMATS[key].words}", key)
        self.standard.addItem("not known", "")
        self.standard.setCurrentIndex(max(0, self.standard.findData(standard)) if standard else 0)
        speed = self.speed.currentText()
        with QSignalBlocker(self.marked), QSignalBlocker(self.speed):
            self.marked.clear()
            self.marked.addItems(["", *map(str, kind.marked)])
            self.speed.clear()
            self.speed.addItems([words for words, _ in kind.speeds])
            if speed:
                self.speed.setCurrentText(speed)
        for box, choices, first in ((self.shape, kind.shapes, usual.shape), (self.sound, kind.sounds, usual.sound)):
            box.clear()
            box.addItems(choices)
            box.setCurrentText(first)
        if not any(outcome.isChecked() for outcome in self.wanted.values()):
            for key, outcome in self.wanted.items():
                outcome.setChecked(key in usual.wanted)
        self._form.setRowVisible(self._tape_length, bool(kind.speeds))
        for widget in (self._player, self.corrector):
            self._form.setRowVisible(widget, has_stand_in(kind.key))
        self._form.setRowVisible(self.condition, bool(kind.checks))
        self.rights_words.setText("\n".join(kind.caution_words("copy")))
        self.condition.show_kind(kind.key)

    def _marked_minutes(self) -> tuple[float | None, Cassette]:
        words = self.marked.currentText().strip()
        if not words:
            return None, ""
        found = parse_marked(words)
        if found is None:
            raise WrongUseError(f"{words!r} are no marked minutes.", remedy="Write what stands on it: 120, T-120 or E-180.")
        return found

    def _on_marked(self) -> None:
        """Marked minutes and speed give the running time."""
        kind = kind_of(self.kind.currentData())
        try:
            marked, cassette = self._marked_minutes()
        except WrongUseError:
            return
        if marked and kind.speeds:
            lines, speed = self.standard.currentData() or None, self.speed.currentText()
            runs = running_seconds(kind, marked_minutes=marked, speed=speed, lines=lines, cassette=cassette)
            self.length.setText(clock(runs))

    def _on_length(self) -> None:
        """A running time that was typed gives the marked minutes, where the kind has them."""
        kind = kind_of(self.kind.currentData())
        seconds = parse_time(self.length.text())
        if not seconds or not kind.speeds or factor_of(kind, self.speed.currentText()) <= 0:
            return
        self.length.setText(clock(float(seconds)))
        _, cassette = parse_marked(self.marked.currentText()) or (None, "")
        lines = self.standard.currentData() or None
        minutes = marked_minutes_for(kind, seconds=float(seconds), speed=self.speed.currentText(), lines=lines, cassette=cassette)
        with QSignalBlocker(self.marked):
            self.marked.setCurrentText(marked_text(round(minutes, 1), cassette))

    def _show_series(self) -> None:
        count = self.count.value()
        words = ""
        if count > 1:
            try:
                labels = series_labels(self.label_line.text(), count, self._taken)
                words = f"{labels[0]} to {labels[-1]}"
            except WrongUseError as error:
                words = error.message
        self.series.setText(words)
        self.series.setVisible(count > 1)
        if not self.changing:
            self.put.setText(f"Put {count} on the shelf" if count > 1 else "Put on the shelf")

    def _give_up(self) -> None:
        self._changes = None
        self.given_up.emit()
