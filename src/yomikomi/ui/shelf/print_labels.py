"""Printing labels for carriers: which sheet, how many places of it are used up."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QDialog, QFormLayout, QSpinBox, QVBoxLayout, QWidget

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.labels import SHEETS, LabelText
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Sentence, button, row


def label_text(view: Spine) -> LabelText:
    """What the label of a carrier says."""
    length = clock(view.nominal_seconds) if view.nominal_seconds else ""
    line = " · ".join(part for part in (kind_of(view.kind).words, view.standard or "", length) if part)
    return LabelText(view.label, view.title, line)


class LabelsBox(QDialog):
    """Emits ``chosen`` with the key of a sheet and the number of places to skip."""

    chosen = Signal(str, int)

    def __init__(self, count: int, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Labels")
        sentence = Sentence()
        sentence.setMinimumWidth(460)
        sentence.say(f"Labels for {counted(count, 'carrier', 'carriers')}.", "Each with a QR code that holds its label")
        self.sheet = QComboBox()
        for key, sheet in SHEETS.items():
            self.sheet.addItem(sheet.words, key)
        self.skip = QSpinBox()
        self.skip.setToolTip("Places at the start of the first page that are used up already")
        theme.inset(self.skip)
        self.sheet.currentIndexChanged.connect(self._limit)
        self._limit()
        form = QFormLayout()
        form.addRow("Sheet", self.sheet)
        form.addRow("Used up", self.skip)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(14)
        layout.addWidget(sentence)
        layout.addLayout(form)
        layout.addLayout(row(1, button("Leave it", self.reject), button("Save as PDF…", self._take, primary=True)))

    def _limit(self) -> None:
        self.skip.setRange(0, SHEETS[self.sheet.currentData()].count - 1)

    def _take(self) -> None:
        self.accept()
        self.chosen.emit(self.sheet.currentData(), self.skip.value())
