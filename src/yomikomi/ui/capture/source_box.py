"""Choosing where a carrier's pictures come from: the simulation, or a device of this machine."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QVBoxLayout, QWidget

from yomikomi.core.capture.devices.finding import InputFound, find_inputs
from yomikomi.core.capture.devices.layer import DeviceFormat, DeviceLayer, SoundDevice, VideoDevice
from yomikomi.core.capture.devices.reading import DeviceSpec
from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.ui.background import Calls
from yomikomi.ui.widgets.basics import button, label, row

_LOOK_AGAIN_MS = 2000


class SourceBox(QDialog):
    """``chosen`` after it was accepted: what the record keeps of the source, None for the simulation. The list follows what is
    plugged in and out."""

    def __init__(self, layer: DeviceLayer, current: dict[str, Any], calls: Calls, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Where the pictures come from")
        self.setMinimumWidth(460)
        self.layer, self._calls = layer, calls
        self._wanted = current.get("video") if current.get("kind") == "device" else None
        self.chosen: dict[str, Any] | None = None
        self._videos: list[VideoDevice] = []
        self._sounds: list[SoundDevice] = []
        self._asked = False
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 18, 20, 16)
        layout.setSpacing(10)
        self.device = QComboBox()
        self.state = label(quiet=True, wrap=True)
        form = QFormLayout()
        form.setHorizontalSpacing(14)
        self.input, self.standard, self.format, self.rate, self.fields, self.sound, self.commentary = (QComboBox() for _ in range(7))
        for words, box in (
            ("Source", self.device), ("Input", self.input), ("Standard", self.standard), ("Picture", self.format), ("Rate", self.rate),
            ("Fields", self.fields), ("Sound", self.sound), ("Commentary", self.commentary),
        ):  # fmt: skip
            form.addRow(words, box)
        self._form = form
        for words, value in (("top field first", "tff"), ("bottom field first", "bff"), ("progressive", "")):
            self.fields.addItem(words, value)
        layout.addLayout(form)
        self.find_button = button("Find the sound input", self.find_sound, tip="Play the source: each input is opened for a second")
        layout.addLayout(row(self.find_button, 1))
        layout.addWidget(self.state)
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        self.buttons.accepted.connect(self._accept)
        self.buttons.rejected.connect(self.reject)
        layout.addWidget(self.buttons)
        self.device.activated.connect(self._show_device)
        self.format.activated.connect(self._show_rates)
        self.standard.activated.connect(self._follow_standard)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_AGAIN_MS)
        self._timer.timeout.connect(self.look_again)
        self._timer.start()
        self.device.addItem("simulated, at the far end of its path", None)
        self._show_device()
        self.state.setText("Looking for devices …")
        self.look_again()

    def look_again(self) -> None:
        """Ask what is plugged in now, in a thread: going through who holds what takes a while."""
        self._calls.call("devices", lambda: (self.layer.video_devices(), self.layer.sound_devices()), self._found)

    def _found(self, devices: tuple[list[VideoDevice], list[SoundDevice]]) -> None:
        """The choice stays where it can."""
        videos, sounds = devices
        if videos == self._videos and sounds == self._sounds and self._asked:
            return
        self._videos, self._sounds = videos, sounds
        kept, self._wanted = self._wanted or self.device.currentData(), None
        self._asked = True
        self.device.clear()
        self.device.addItem("simulated, at the far end of its path", None)
        for one in videos:
            self.device.addItem(f"{one.name} ({one.path})", one.path)
        place = self.device.findData(kept)
        self.device.setCurrentIndex(max(0, place))
        for box, first in ((self.sound, "none"), (self.commentary, "none")):
            box.clear()
            box.addItem(first, "")
            for sound in sounds:
                box.addItem(f"{sound.name} ({sound.path})" + (", in use" if sound.busy else ""), sound.path)
        self._show_device()
        if kept is not None and place < 0:
            self.state.setText(f"{kept} is not plugged in.")

    def find_sound(self) -> None:
        """Which input moves while the source plays."""
        self.find_button.setEnabled(False)
        self.state.setText(f"Listening to {len(self._sounds)} inputs; let the source play …")
        sounds, kind = list(self._sounds), self.layer.sound_kind
        self._calls.call("sound inputs", lambda: find_inputs(sounds, layer=kind), self._found_sound, self._not_found)

    def _found_sound(self, found: list[InputFound]) -> None:
        self.find_button.setEnabled(True)
        best = found[0] if found and found[0].moves else None
        if best is not None:
            self.sound.setCurrentIndex(max(0, self.sound.findData(best.device.path)))
        none = "No input moves: check the cables, and whether the source plays."
        first = f"{best.device.name} moves with the source." if best is not None else none
        self.state.setText("\n".join([first, *(one.words for one in found)]))

    def _not_found(self, error: YomikomiError) -> None:
        self.find_button.setEnabled(True)
        self.state.setText(str(error))

    def _video(self) -> VideoDevice | None:
        return next((one for one in self._videos if one.path == self.device.currentData()), None)

    def _show_device(self) -> None:
        video = self._video()
        for place in range(1, self._form.rowCount()):
            self._form.setRowVisible(place, video is not None)
        self.find_button.setVisible(video is not None and bool(self._sounds))
        ok = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        ok.setEnabled(video is None or not video.busy)
        if video is None:
            self.state.setText(f"Found on this machine: {len(self._videos)}." if self._videos else "No capture device is plugged in.")
            return
        _fill(self.input, [(name, name) for name in video.inputs])
        _fill(self.standard, [(STANDARDS[key].words, key) for key in video.standards])
        self._form.setRowVisible(1, bool(video.inputs))
        self._form.setRowVisible(2, bool(video.standards))
        formats = video.formats or tuple(DeviceFormat("", "", s.width, s.height, (s.rate,)) for s in STANDARDS.values())
        _fill(self.format, [(f"{one.width} x {one.height} {one.words}".strip(), one) for one in formats])
        self._show_rates()
        self._follow_standard()
        busy = f"In use by {', '.join(video.busy)}: close that program first." if video.busy else ""
        self.state.setText(busy or f"{video.driver} {video.bus}".strip())

    def _show_rates(self) -> None:
        chosen = self.format.currentData()
        rates: Sequence[Fraction] = (
            chosen.rates if isinstance(chosen, DeviceFormat) and chosen.rates else (Fraction(30000, 1001), Fraction(25))
        )
        _fill(self.rate, [(rate_text(rate), rate) for rate in rates])

    def _follow_standard(self) -> None:
        """The size and rate of the line standard that is set, where the device offers them."""
        standard = STANDARDS.get(str(self.standard.currentData()))
        if standard is None:
            self.fields.setCurrentIndex(self.fields.findData(""))
            return
        for place in range(self.format.count()):
            one = self.format.itemData(place)
            if (one.width, one.height) == (standard.width, standard.height):
                self.format.setCurrentIndex(place)
                break
        self._show_rates()
        nearest = min(range(self.rate.count()), key=lambda place: abs(self.rate.itemData(place) - standard.rate))
        self.rate.setCurrentIndex(nearest)
        self.fields.setCurrentIndex(self.fields.findData(standard.first_field or ""))

    def _accept(self) -> None:
        video, chosen = self._video(), self.format.currentData()
        if video is not None and isinstance(chosen, DeviceFormat):
            order = self.fields.currentData()
            standard = STANDARDS.get(str(self.standard.currentData()))
            spec = DeviceSpec(
                video.path, chosen.width, chosen.height, Fraction(self.rate.currentData()), sound=self.sound.currentData() or "",
                code=chosen.code, input_name=self.input.currentData(), standard=self.standard.currentData(),
                field_order=FieldOrder(order) if order else None, commentary=self.commentary.currentData() or "",
                sample_aspect=standard.sample_aspect_4_3 if standard else Fraction(1),
            )  # fmt: skip
            self.chosen = spec.to_json()
        self.accept()


def _fill(box: QComboBox, entries: Sequence[tuple[str, Any]]) -> None:
    box.clear()
    for words, value in entries:
        box.addItem(words, value)
    box.setCurrentIndex(0 if entries else -1)
