"""An outlet of a person's own as a form: begun from another one, with what it plays and its limits."""

from __future__ import annotations

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QFormLayout, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.outlets.fitting import LIBRARY_SOUND
from yomikomi.core.outlets.model import Outlet, outlets, shipped_outlets
from yomikomi.core.outlets.own import VideoWish, forget_outlet, keep_outlet, limits_of, sounds_of, wishes_of
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.levels import LEVELS
from yomikomi.core.recipes.sound import ENCODED
from yomikomi.core.sets.model import key_for, own_sets, sets_folder
from yomikomi.core.video.units import parse_size, size_text
from yomikomi.core.work.notices import Weight
from yomikomi.core.work.text import what_is_wrong
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import beside, button, form_body, label, number_box, row

_CONTAINERS = ("mp4", "mkv", "mov")
_ANY = "any"


class OutletForm(QDialog):
    """``kept`` with the outlet, ``forgotten`` with its key. ``begun``: the one that it begins from."""

    kept = Signal(object)
    forgotten = Signal(str)

    def __init__(self, state: AppState, begun: Outlet, parent: QWidget) -> None:
        super().__init__(parent)
        self._state = state
        self._begun = begun
        body = form_body(self, "Outlet of your own", width=820)
        self.base = QComboBox()
        self.base.setAccessibleName("Begin from")
        for one in outlets().values():
            self.base.addItem(one.words, one.key)
        self.base.setCurrentIndex(self.base.findData(begun.key))
        self.words = QLineEdit()
        self.words.setMaxLength(80)
        self.words.setAccessibleName("Name of the outlet")
        self.containers = {key: QCheckBox(key.upper()) for key in _CONTAINERS}
        self.video = {key: QCheckBox(one.words) for key, one in CODECS.items() if key != "source"}
        self.levels = {key: _levels(key) for key in self.video if key in LEVELS}
        self.sound = {key: QCheckBox(one.words) for key, one in ENCODED.items()}
        self.sound_kbps, self.channels = _number("Most of a sound stream", 512, " kb/s"), _number("Sound channels", 8, "")
        self.width_box, self.height_box = _number("Widest picture", 8192, ""), _number("Tallest picture", 8192, "")
        self.rate = _number("Most frames a second", 240, " fps")
        self.average, self.peak = _number("Most on average", 800_000, " kb/s"), _number("Most in a second", 800_000, " kb/s")
        self.file_size = QLineEdit()
        self.file_size.setPlaceholderText("no limit")
        self.file_size.setAccessibleName("Largest file")
        self.interlaced = QCheckBox("Shows interlaced pictures as they should be")
        self.wrong = label("", wrap=True)
        self.remove_button = button("Remove this outlet", self.remove)
        self.keep_button = button("Keep this outlet", self.keep, primary=True)
        self._lay_out(body)
        self.base.currentIndexChanged.connect(lambda _line: self.put(outlets()[self.base.currentData()]))
        for line in (self.words, self.file_size):
            line.textChanged.connect(lambda _text: self._check())
        for tick in (*self.containers.values(), *self.video.values(), *self.sound.values()):
            tick.toggled.connect(lambda _on: self._check())
        self.put(begun)

    def _lay_out(self, body: QVBoxLayout) -> None:
        body.addLayout(row(label("Begin from"), self.base, label("Name"), self.words))
        body.addLayout(row(label("Files"), *self.containers.values(), 1, label("Largest file"), self.file_size))
        times = label("×")
        times.setFixedWidth(10)
        left, right = QFormLayout(), QFormLayout()
        for key, tick in self.video.items():
            left.addRow(tick, beside(label("up to level"), self.levels[key]) if key in self.levels else QWidget())
        for words, field in (
            ("Sound", beside(*self.sound.values())), ("Sound rate", self.sound_kbps), ("Channels", self.channels),
            ("Picture", beside(self.width_box, times, self.height_box)), ("Frames", self.rate), ("On average", self.average),
            ("In a second", self.peak), ("", self.interlaced),
        ):  # fmt: skip
            right.addRow(label(words), field)
        for form in (left, right):
            form.setVerticalSpacing(6)
        columns = QHBoxLayout()
        columns.setSpacing(28)
        columns.addLayout(left, 1)
        columns.addLayout(right, 2)
        body.addLayout(columns)
        body.addWidget(self.wrong)
        body.addLayout(row(self.remove_button, 1, button("Cancel", self.reject), self.keep_button))

    def put(self, outlet: Outlet) -> None:
        """What another one takes, as a beginning; one of a person's own is changed."""
        self._begun = outlet
        own = outlet.key not in shipped_outlets()
        self.words.setText(outlet.words if own else f"{outlet.words}, mine")
        for key, tick in self.containers.items():
            tick.setChecked(key in outlet.containers)
        wishes = {one.codec: one.level for one in wishes_of(outlet)}
        for key, tick in self.video.items():
            tick.setChecked(key in wishes)
            if key in self.levels:
                self.levels[key].setCurrentIndex(max(0, self.levels[key].findData(wishes.get(key))))
        for key, tick in self.sound.items():
            tick.setChecked(outlet.hears(LIBRARY_SOUND.get(key, key)) is not None)
        self.sound_kbps.setValue(min((one.kbps for one in outlet.sound if one.kbps is not None), default=0))
        self.channels.setValue(max((one.channels for one in outlet.sound), default=2))
        for spin, value in (
            (self.width_box, outlet.width), (self.height_box, outlet.height), (self.average, outlet.average_kbps),
            (self.peak, outlet.peak_kbps), (self.rate, round(outlet.rate) if outlet.rate else None),
        ):  # fmt: skip
            spin.setValue(value or 0)
        self.file_size.setText(size_text(outlet.file_bytes) if outlet.file_bytes else "")
        self.interlaced.setChecked(outlet.interlaced)
        self.remove_button.setVisible(own)
        self._check()

    @property
    def outlet(self) -> Outlet:
        """As the form says it. Raises ValidationError for what nothing can play at, ValueError for a size that cannot be read."""
        typed, size = self.file_size.text().strip(), None
        if typed:
            size = parse_size(typed)
            if size is None:
                raise ValueError(f"“{typed}” is no size; write it as 4 GB.")
        own = self._begun.key not in shipped_outlets()
        video = [VideoWish(key, self.levels[key].currentData() if key in self.levels else None) for key in _ticked(self.video)]
        sound = sounds_of(_ticked(self.sound), kbps=self.sound_kbps.value() or None, channels=self.channels.value() or 8)
        return Outlet(
            key=self._begun.key if own else key_for(self.words.text(), outlets()), words=self.words.text().strip(),
            containers=tuple(_ticked(self.containers)), video=limits_of(video), sound=sound, width=self.width_box.value() or None,
            height=self.height_box.value() or None, rate=self.rate.value() or None, interlaced=self.interlaced.isChecked(),
            average_kbps=self.average.value() or None, peak_kbps=self.peak.value() or None, key_seconds=self._begun.key_seconds,
            buffer_seconds=self._begun.buffer_seconds, file_bytes=int(size) if size is not None else None,
            index_in_front=self._begun.index_in_front,
        )  # fmt: skip

    def keep(self) -> None:
        try:
            made = self.outlet
            keep_outlet(made)
        except ValueError:  # said already
            return
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self.kept.emit(made)
        self.accept()

    def remove(self) -> None:
        """Unless a set needs it, which would be no set any more."""
        key = self._begun.key
        using = [one.words for one in own_sets(sets_folder()).values() if any(key in copy.outlets for copy in one.copies)]
        if using:
            needed = f"“{self._begun.words}” stays: a set of copies needs it ({', '.join(using)})."
            self._state.tell(Weight.LOOK, needed, "Change the set first.")
            return
        try:
            forget_outlet(self._begun.key)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self.forgotten.emit(self._begun.key)
        self.accept()

    def _check(self) -> None:
        wrong = ""
        if not self.words.text().strip():
            wrong = "Give the outlet a name."
        elif not _ticked(self.containers) or not _ticked(self.video):
            wrong = "Tick at least one kind of file and one codec."
        else:
            try:
                _ = self.outlet
            except ValidationError as error:
                wrong = what_is_wrong(error)
            except ValueError as error:
                wrong = str(error)
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        self.keep_button.setEnabled(not wrong)


def _ticked(ticks: dict[str, QCheckBox]) -> list[str]:
    return [key for key, tick in ticks.items() if tick.isChecked()]


def _levels(codec: str) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(f"Highest level of {CODECS[codec].words}")
    box.addItem(_ANY, None)
    for one in LEVELS[codec]:
        box.addItem(one.name, one.name)
    return box


def _number(name: str, most: int, suffix: str) -> QSpinBox:
    """Nought stands for no limit."""
    spin = number_box(name, 0, most, suffix=suffix)
    spin.setSpecialValueText(_ANY)
    return spin
