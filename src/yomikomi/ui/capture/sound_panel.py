"""Sound meters of all channels, loudness, and what is wrong with the sound."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QToolButton, QVBoxLayout

from yomikomi.core.capture.health import CaptureStatus
from yomikomi.core.capture.loudness import Loudness
from yomikomi.core.capture.sound_watch import SILENT_DB
from yomikomi.core.video.source import SourceFormat
from yomikomi.core.video.units import signed_text
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Well, label, row
from yomikomi.ui.widgets.meters import LevelMeter

_MOST_CHANNELS = 3


class SoundPanel(Well):
    """Emits ``hear_asked`` when the input is to be heard, or no longer."""

    hear_asked = Signal(bool)

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 8)
        layout.setSpacing(2)
        self.head = label("sound, programme", quiet=True)
        self.hear_button = QToolButton()
        self.hear_button.setText("Listen")
        self.hear_button.setCheckable(True)
        self.hear_button.setProperty("well", True)
        self.hear_button.setToolTip("The input on this machine's sound output; with an open microphone use headphones, or it howls")
        self.hear_button.setAccessibleName("Listen to the input")
        self.hear_button.toggled.connect(self.hear_asked)
        layout.addLayout(row(self.head, 1, self.hear_button))
        grid = QGridLayout()
        grid.setVerticalSpacing(0)
        grid.setHorizontalSpacing(8)
        self.meters: list[LevelMeter] = []
        self._names: list[QLabel] = []
        for number in range(_MOST_CHANNELS):
            name, meter = label(figure=True), LevelMeter(ticks=False)
            name.setFont(theme.mono(11))
            self._names.append(name)
            self.meters.append(meter)
            grid.addWidget(name, number, 0)
            grid.addWidget(meter, number, 1)
        self._scale = LevelMeter(bar=False)
        grid.addWidget(self._scale, _MOST_CHANNELS, 1)
        grid.setColumnStretch(1, 1)
        layout.addLayout(grid)
        self.figures = label(figure=True)
        self.figures.setFont(theme.mono(11))
        layout.addWidget(self.figures)
        self.show_channels(1, 0)

    def show_format(self, source: SourceFormat) -> None:
        self.show_channels(source.sound_channels - source.commentary_channels, source.commentary_channels)

    def show_channels(self, programme: int, commentary: int) -> None:
        names = {0: [], 1: ["M"]}.get(programme, ["L", "R"])
        names = [*names, *(["C"] * min(1, commentary))]
        self.head.setText("sound: none" if not names else "sound, programme" + (" and commentary" if commentary else ""))
        for number, (name, meter) in enumerate(zip(self._names, self.meters, strict=True)):
            there = number < len(names)
            name.setText(names[number] if there else "")
            name.setVisible(there)
            meter.setVisible(there)

    def show_status(self, status: CaptureStatus) -> None:
        levels = status.levels
        for number, meter in enumerate(self.meters):
            if number < len(levels.peak_db):
                if not meter.isVisibleTo(self):
                    self._names[number].setVisible(True)
                    meter.setVisible(True)
                meter.show_level(levels.peak_db[number], levels.rms_db[number])
        self.figures.setText(status.hearing if status.hearing and self.hear_button.isChecked() else _loudness_words(status.loudness))

    def clear(self) -> None:
        for meter in self.meters:
            meter.show_level(SILENT_DB, SILENT_DB)
        self.figures.setText(_loudness_words(None))


def _loudness_words(found: Loudness | None) -> str:
    if found is None or found.momentary <= -69:
        return "loudness –   true peak –"
    now, whole, peak = signed_text(found.momentary), signed_text(found.integrated, places=1), signed_text(found.true_peak, places=1)
    return f"now {now}  all {whole} LUFS   true peak {peak} dB"
