"""How it is recorded: source, codec, sound, parts, and the rules that end it."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QSpinBox,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.video.source import SourceFormat
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Card, button, label, row, scrolled_widget

_GB = 1_000_000_000


class HowPage(QWidget):
    """``changed`` carries the new settings; ``source_asked`` asks for the box in which a device is chosen."""

    changed = Signal(object)
    source_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.settings = CaptureSettings()
        self._filling = False
        self.source_card = Card(choosable=False)
        self.source_head, self.source_words = label(), label(quiet=True, wrap=True)
        self.caution = label(quiet=True, wrap=True)
        self.source_card.body.addWidget(self.source_head)
        self.source_card.body.addWidget(self.source_words)
        self.source_button = button("Another source…", self.source_asked.emit, link=True)
        self.source_card.body.addLayout(row(self.source_button, 1))
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.setSpacing(8)
        layout.addWidget(self.source_card)
        layout.addWidget(self.caution)
        layout.addWidget(label("Recording format", name="section"))
        layout.addLayout(self._make_recording())
        self.losses = label(quiet=True, wrap=True)
        layout.addWidget(self.losses)
        layout.addWidget(label("Automatic stop", name="section"))
        layout.addLayout(self._make_rules())
        layout.addStretch(1)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled_widget(inner))
        self._source: SourceFormat | None = None

    def _make_recording(self) -> QFormLayout:
        form = _form()
        self.codec = QComboBox()
        for key, one in CAPTURE_CODECS.items():
            self.codec.addItem(one.words, key)
        self.sound = QComboBox()
        for key, words in (("pcm", "PCM"), ("flac", "FLAC, lossless"), ("aac", "AAC")):
            self.sound.addItem(words, key)
        self.quality = _number(QSpinBox(), 0, 51, "")
        self.fixed = _number(QDoubleSpinBox(), 0, 500, " Mb/s")
        self.fixed.setSpecialValueText("by quality")
        self.parts = _number(QDoubleSpinBox(), 0, 600, " min")
        self.parts.setSpecialValueText("one file")
        self.timecode = QLineEdit()
        self.timecode.setMaximumWidth(120)
        self.later = _number(QDoubleSpinBox(), -1000, 1000, " ms")
        self.spill = button("None, choose…", self._choose_spill, link=True)
        for words, field in (
            ("Codec", self.codec), ("Sound", self.sound), ("Quality", self.quality), ("Fixed rate", self.fixed),
            ("New file every", self.parts),
            ("Start timecode", self.timecode), ("Audio delay", self.later), ("Overflow drive", _left(self.spill)),
        ):  # fmt: skip
            form.addRow(words, field)
        self._form = form
        self.codec.activated.connect(self._told)
        self.sound.activated.connect(self._told)
        for field in (self.quality, self.fixed, self.parts, self.later):
            field.valueChanged.connect(self._told)
        self.timecode.editingFinished.connect(self._told)
        return form

    def _make_rules(self) -> QFormLayout:
        form = _form()
        self.blank = _number(QDoubleSpinBox(), 0, 3600, " s")
        self.blank.setSpecialValueText("never")
        self.length = _number(QDoubleSpinBox(), 0, 1440, " min")
        self.length.setSpecialValueText("no limit")
        self.most_lost = _number(QSpinBox(), 0, 100_000, " lost")
        self.most_lost.setSpecialValueText("losses raise a warning")
        self.floor = _number(QDoubleSpinBox(), 0.1, 10_000, " GB")
        self.ring = _number(QDoubleSpinBox(), 0.2, 240, " min")
        self.cue = QCheckBox("Sound a warning on faults")
        for words, field in (
            ("Blank and silent", self.blank), ("Duration", self.length), ("Frames lost", self.most_lost), ("Free space under", self.floor),
            ("Look-back buffer", self.ring), ("", self.cue),
        ):  # fmt: skip
            form.addRow(words, field)
        for field in (self.blank, self.length, self.most_lost, self.floor, self.ring):
            field.valueChanged.connect(self._told)
        self.cue.toggled.connect(self._told)
        return form

    def show_settings(self, settings: CaptureSettings, later_ms: float) -> None:
        self._filling = True
        self.settings = settings
        how, rules = settings.record_as, settings.rules
        self.codec.setCurrentIndex(self.codec.findData(how.codec))
        self.sound.setCurrentIndex(self.sound.findData(how.sound))
        self.quality.setValue(how.quality if how.quality is not None else 15)
        self.fixed.setValue(how.mbps or 0)
        self.parts.setValue(how.part_minutes or 0)
        self.timecode.setText(how.timecode)
        self.later.setValue(later_ms)
        self.blank.setValue(rules.blank_seconds or 0)
        self.length.setValue((rules.max_seconds or 0) / 60)
        self.most_lost.setValue(rules.most_lost or 0)
        self.floor.setValue(rules.floor_bytes / _GB)
        self.cue.setChecked(settings.cue)
        self.ring.setValue(settings.ring.minutes)
        self.spill.setText(settings.spill[0] if settings.spill else "None, choose…")
        has_quality = how.row.crf is not None
        self._form.setRowVisible(self.quality, has_quality and not how.mbps)
        self._form.setRowVisible(self.fixed, has_quality)
        self._filling = False
        self._say_losses()

    def show_source(self, head: str, words: str, caution: str, source: SourceFormat | None, *, can_change: bool) -> None:
        self.source_head.setText(head)
        self.source_words.setText(words)
        self.caution.setText(caution)
        self.source_button.setVisible(can_change)
        self._source = source
        self._say_losses()

    def set_locked(self, locked: bool) -> None:
        """While a pass runs, only the rules can be changed."""
        for row_number in range(self._form.rowCount()):
            item = self._form.itemAt(row_number, QFormLayout.ItemRole.FieldRole)
            if item is not None and (widget := item.widget()) is not None:
                widget.setEnabled(not locked)
        self.source_button.setEnabled(not locked)

    def _say_losses(self) -> None:
        found = self.settings.record_as.losses(self._source) if self._source else []
        suffix = self.settings.record_as.suffix(self._source.bits if self._source else 8)
        kept = "Nothing is thrown away." if self.settings.record_as.row.lossless and not found else ""
        cut = "" if self.settings.record_as.row.whole else "It can be cut only at some pictures."
        self.losses.setText(" ".join(part for part in (f"A file ending in {suffix}.", kept, *found, cut) if part))

    def _choose_spill(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Where a take goes on when its drive is full")
        self.set_spill(folder)

    def set_spill(self, folder: str) -> None:
        """An empty name: nowhere."""
        self.settings = self.settings.model_copy(update={"spill": (folder,) if folder else ()})
        self._told()

    def _told(self, *_ignored: object) -> None:
        if self._filling:
            return
        crf = CAPTURE_CODECS[self.codec.currentData()].crf
        how = RecordAs(
            codec=self.codec.currentData(), sound=self.sound.currentData(), crf=self.quality.value() if crf is not None else None,
            mbps=self.fixed.value() or None if crf is not None else None, part_minutes=self.parts.value() or None,
            timecode=self.timecode.text().strip() or "00:00:00:00",
        )  # fmt: skip
        rules = EndRules(
            floor_bytes=round(self.floor.value() * _GB), blank_seconds=self.blank.value() or None,
            max_seconds=self.length.value() * 60 or None, most_lost=self.most_lost.value() or None,
        )  # fmt: skip
        ring = self.settings.ring.model_copy(update={"minutes": self.ring.value()})
        self.settings = self.settings.model_copy(update={"record_as": how, "rules": rules, "ring": ring, "cue": self.cue.isChecked()})
        self.changed.emit(self.settings)


def _left(widget: QWidget) -> QWidget:
    """A widget at the left of its row, as wide as it wants to be."""
    holder = QWidget()
    layout = QHBoxLayout(holder)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(widget)
    layout.addStretch(1)
    return holder


def _form() -> QFormLayout:
    form = QFormLayout()
    form.setContentsMargins(0, 0, 0, 0)
    form.setHorizontalSpacing(12)
    form.setVerticalSpacing(6)
    return form


def _number(box: QSpinBox | QDoubleSpinBox, low: float, high: float, unit: str):  # type: ignore[no-untyped-def]
    box.setRange(low, high)  # type: ignore[arg-type]
    box.setSuffix(unit)
    box.setKeyboardTracking(False)
    if isinstance(box, QDoubleSpinBox):
        box.setDecimals(1)
    theme.inset(box)
    return box
