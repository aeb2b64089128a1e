"""Taking in a new carrier: a few fields, sensible beginnings, cautions beside them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from yomikomi.core.planning.carriers import KINDS, RIGHTS_CAUTION, kind_of
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import MarkShape, button, label

_TAPES = tuple(key for key, kind in KINDS.items() if kind.standards)


@dataclass(frozen=True)
class Intake:
    """What was filled in."""

    label: str
    title: str
    kind: str
    standard: str
    seconds: float | None
    source: dict[str, Any]


class IntakeForm(QWidget):
    """Emits ``filled`` with an Intake."""

    filled = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.label_line, self.title_line = QLineEdit(), QLineEdit()
        self.title_line.setPlaceholderText("what is on it")
        self.kind = QComboBox()
        for key in _TAPES:
            self.kind.addItem(KINDS[key].words, key)
        self.standard = QComboBox()
        for key, standard in STANDARDS.items():
            self.standard.addItem(f"{key} · {standard.words}", key)
        self.order = QComboBox()
        for order in FieldOrder:
            self.order.addItem(order.words, order.value)
        self.minutes = QSpinBox()
        self.minutes.setRange(0, 600)
        self.minutes.setSuffix(" min")
        self.minutes.setSpecialValueText("not known")
        self.seed = QSpinBox()
        self.seed.setRange(0, 9999)
        self.seed.setValue(1)
        self.seed.setToolTip("Which tape lies in the simulated player: the same number plays the same tape")
        for number in (self.minutes, self.seed):
            theme.inset(number)
        self.corrector = QCheckBox("time-base corrector fitted")
        self.caution_mark, self.caution = MarkShape("look here"), label(wrap=True, quiet=True)
        form = QFormLayout()
        form.setSpacing(8)
        form.setContentsMargins(0, 0, 0, 0)
        for words, widget in (
            ("Label", self.label_line),
            ("Title", self.title_line),
            ("Kind", self.kind),
            ("Standard", self.standard),
            ("Length", self.minutes),
            ("Player", label("simulated tape player")),
            ("Tape no.", self.seed),
            ("Fields", self.order),
            ("", self.corrector),
        ):
            form.addRow(words, widget)
            widget.setAccessibleName(words or self.corrector.text())
        self.put = button("Put on the shelf", self.submit, primary=True, tip="Ctrl+Return")
        caution = QHBoxLayout()
        caution.setSpacing(8)
        aside = QVBoxLayout()
        aside.addWidget(self.caution_mark)
        aside.addStretch(1)
        caution.addLayout(aside)
        caution.addWidget(self.caution, 1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addLayout(form)
        layout.addLayout(caution)
        layout.addStretch(1)
        bottom = QHBoxLayout()
        bottom.addStretch(1)
        bottom.addWidget(self.put)
        layout.addLayout(bottom)
        self.kind.currentIndexChanged.connect(self._show_caution)
        self.title_line.returnPressed.connect(self.submit)
        self._show_caution()

    def begin(self, free_label: str) -> None:
        """Start over with the next free label; kind and standard stay as they were."""
        self.label_line.setText(free_label)
        self.title_line.clear()

    def offer_label(self, free_label: str, taken: set[str]) -> None:
        """Another label where the one that stands there was given away meanwhile."""
        if self.label_line.text().strip() in taken:
            self.label_line.setText(free_label)

    def submit(self) -> None:
        kind = self.kind.currentData()
        minutes = self.minutes.value()
        spec = TapePlayerSpec(
            standard=self.standard.currentData(),
            field_order=FieldOrder(self.order.currentData()),
            seed=self.seed.value(),
            tape=kind,
            corrector=self.corrector.isChecked(),
            seconds=60.0 * minutes if minutes else None,
        )
        self.filled.emit(
            Intake(self.label_line.text(), self.title_line.text(), kind, spec.standard, 60.0 * minutes if minutes else None, spec.to_json())
        )

    def _show_caution(self) -> None:
        cautions = (*kind_of(self.kind.currentData()).cautions, RIGHTS_CAUTION)
        self.caution.setText("\n".join(cautions))
