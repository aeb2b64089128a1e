"""Every setting of a recipe as a form; what a codec cannot do is not there to be chosen."""

from __future__ import annotations

import contextlib
from collections.abc import Iterable, Iterator
from typing import Literal

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QFormLayout, QHBoxLayout, QLineEdit, QSlider, QVBoxLayout, QWidget

from yomikomi.core.recipes.codecs import CODECS, EFFORTS, Codec
from yomikomi.core.recipes.levels import LEVELS
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantQuality, ConstantRate, Lossless, Rate, RateKind, TargetSize
from yomikomi.core.recipes.recipe import MOST_GRAIN, Recipe
from yomikomi.core.recipes.sound import SOUND_CODECS
from yomikomi.core.video.units import parse_size, size_text
from yomikomi.ui.theme import inset
from yomikomi.ui.widgets.basics import beside, label, number_box

_RATES: dict[RateKind, str] = {
    "quality": "Constant quality", "capped": "Quality with a cap", "average": "Average rate", "size": "Target size",
    "constant": "Constant rate", "lossless": "Lossless",
}  # fmt: skip
# A disc of one sort, and less than any copy takes.
_USUAL_SIZE, _LEAST_SIZE = 700_000_000, 10_000
# Where a rate begins that nobody has typed yet: comfortable for standard definition (common practice, no source).
_USUAL_KBPS = 2000
_PASSES = (("Two passes", 2), ("One pass", 1))
_CHANNELS = (("As the source", None), ("Two", 2), ("One", 1))


class RecipeForm(QWidget):
    """``changed`` when a setting is another one."""

    changed = Signal()

    def __init__(self, recipe: Recipe) -> None:
        super().__init__()
        self._filling = False
        self._shown_size = ("", _USUAL_SIZE)  # what the line says, and its bytes: words are rounded
        self.codec = _box("Codec", [(one.words, key) for key, one in CODECS.items() if key != "source"])
        self.rate = _box("What rules the rate", [])
        self.quality, self.slider = number_box("Quality", 0, 1), QSlider(Qt.Orientation.Horizontal)
        self.slider.setAccessibleName("Quality, from the best")
        self.kbps = number_box("Rate", 50, 800_000, step=100, suffix=" kb/s")
        self.cap = number_box("Cap", 50, 800_000, step=100, suffix=" kb/s at most")
        self.target_size = QLineEdit()
        self.target_size.setAccessibleName("Target size")
        self.target_size.setPlaceholderText("700 MB")
        self.passes = _box("Passes", _PASSES)
        self.speed = _box("Preset", [])
        self.keys = QDoubleSpinBox()
        self.keys.setRange(0.1, 60.0)
        self.keys.setDecimals(1)
        self.keys.setSuffix(" s")
        self.keys.setAccessibleName("Longest time between key pictures")
        self.keys.setToolTip("The longest time between key pictures: less seeks quicker and takes more bytes")
        self.lines = number_box("Most lines", 0, 8192, step=16, suffix=" lines at most")
        self.lines.setSpecialValueText("As treated")
        self.lines.setToolTip("Pictures with more lines are made smaller; none is enlarged")
        self.grain = number_box("Grain synthesis", 0, MOST_GRAIN)
        self.grain.setSpecialValueText("Off: noise is encoded")
        self.grain.setToolTip("Noise is taken out before encoding and made anew by players, in this strength: smaller files, slower")
        self.container = _box("Container", [])
        self.level = _box("Highest level", [])
        self.level.setToolTip("The encoder keeps to it; players that name a level need no more")
        self.sound = _box("Sound codec", [])
        self.sound_kbps = number_box("Sound rate", 32, 512, step=16, suffix=" kb/s")
        self.channels = _box("Sound channels", _CHANNELS)
        self.kbps.setValue(_USUAL_KBPS)
        self.cap.setValue(2 * _USUAL_KBPS)
        self._lay_out()
        for box in (self.codec, self.rate, self.passes, self.speed, self.container, self.level, self.sound, self.channels):
            box.currentIndexChanged.connect(self._on_changed)
        for spin in (self.quality, self.kbps, self.cap, self.lines, self.grain, self.sound_kbps):
            spin.valueChanged.connect(self._on_changed)
        self.keys.valueChanged.connect(self._on_changed)
        inset(self.keys)
        self.slider.valueChanged.connect(self.quality.setValue)
        self.target_size.editingFinished.connect(self._on_changed)
        self._recipe = recipe
        self.put(recipe)

    @property
    def recipe(self) -> Recipe:
        """As the form says it; a size that cannot be read leaves the one before."""
        return self._recipe

    def put(self, recipe: Recipe) -> None:
        """Another recipe into the form."""
        with self._quietly():
            self._recipe = recipe
            _choose(self.codec, recipe.codec)
            self._offer(recipe.row)
            self._fill(recipe)
        self._show_fields()
        self.changed.emit()

    def _lay_out(self) -> None:
        self._pictures, self._file = QFormLayout(), QFormLayout()
        for form in (self._pictures, self._file):
            form.setVerticalSpacing(8)
        for words, field in (
            ("Codec", self.codec), ("Rate", self.rate), ("Quality", beside(self.quality, self.slider)), ("Average", self.kbps),
            ("Cap", self.cap), ("Size", self.target_size), ("Passes", self.passes), ("Preset", self.speed), ("Key pictures", self.keys),
            ("Picture", self.lines), ("Grain", self.grain),
        ):  # fmt: skip
            self._pictures.addRow(label(words), field)
        for words, field in (
            ("Container", self.container), ("Level", self.level), ("Sound", self.sound), ("Sound rate", self.sound_kbps),
            ("Channels", self.channels),
        ):  # fmt: skip
            self._file.addRow(label(words), field)
        columns = QHBoxLayout(self)
        columns.setContentsMargins(0, 0, 0, 0)
        columns.setSpacing(28)
        for form in (self._pictures, self._file):
            column = QVBoxLayout()
            column.addLayout(form)
            column.addStretch(1)
            columns.addLayout(column, 1)

    def _offer(self, codec: Codec) -> None:
        """What a codec can do."""
        _offer(self.rate, [(words, kind) for kind, words in _RATES.items() if kind in codec.rates])
        _offer(self.speed, [(_speed_words(codec, one), one) for one in codec.speeds])
        _offer(self.container, [(one.upper(), one) for one in codec.containers])
        _offer(self.level, [("Any", None), *((one.name, one.name) for one in LEVELS.get(codec.key, ()))])
        for widget in (self.quality, self.slider):
            widget.setRange(0, max(1, codec.highest_quality_number))
        self._offer_sound()

    def _offer_sound(self) -> None:
        container = self.container.currentData()
        _offer(self.sound, [(one.words, key) for key, one in SOUND_CODECS.items() if container in one.containers])

    def _fill(self, recipe: Recipe) -> None:
        rate = recipe.rate
        _choose(self.rate, rate.kind)
        if recipe.quality is not None:
            self.quality.setValue(recipe.quality)
            self.slider.setValue(recipe.quality)
        if isinstance(rate, AverageRate | ConstantRate):
            self.kbps.setValue(rate.kbps)
        if isinstance(rate, CappedQuality):
            self.cap.setValue(rate.cap_kbps)
        if isinstance(rate, TargetSize):
            self._show_size(rate.size_bytes)
        if isinstance(rate, AverageRate):
            _choose(self.passes, rate.passes)
        _choose(self.speed, recipe.speed)
        self.keys.setValue(recipe.key_seconds)
        self.lines.setValue(recipe.lines or 0)
        self.grain.setValue(recipe.grain)
        _choose(self.container, recipe.container)
        self._offer_sound()
        _choose(self.level, recipe.codec_level)
        _choose(self.sound, recipe.sound_codec)
        self.sound_kbps.setValue(recipe.sound_kbps)
        _choose(self.channels, recipe.sound_channels)

    def _on_changed(self) -> None:
        if self._filling:
            return
        with self._quietly():
            if self.codec.currentData() != self._recipe.codec:  # another codec: its own presets and kinds of rate
                row_of = CODECS[self.codec.currentData()]
                kept = (self.rate.currentData(), self.container.currentData(), self.sound.currentData())
                self._offer(row_of)
                _choose(self.speed, row_of.speed_at("medium"))
                _choose(self.rate, kept[0])
                _choose(self.container, kept[1])
                self._offer_sound()
                _choose(self.sound, kept[2])
                if row_of.probes:
                    self.quality.setValue(row_of.probes[1])
            if self.container.currentData() != self._recipe.container:
                kept_sound = self.sound.currentData()
                self._offer_sound()
                _choose(self.sound, kept_sound)
            self.slider.setValue(self.quality.value())
            self._recipe = self._made()
        self._show_fields()
        self.changed.emit()

    def _made(self) -> Recipe:
        return self._recipe.model_copy(
            update={
                "codec": self.codec.currentData(), "rate": self._rate(), "speed": self.speed.currentData(),
                "container": self.container.currentData(), "codec_level": self.level.currentData(), "key_seconds": self.keys.value(),
                "lines": max(16, self.lines.value()) if self.lines.value() else None,
                "grain": self.grain.value() if CODECS[self.codec.currentData()].makes_grain else 0,
                "sound_codec": self.sound.currentData(), "sound_kbps": self.sound_kbps.value(),
                "sound_channels": self.channels.currentData(),
            }
        )  # fmt: skip

    def _rate(self) -> Rate:
        row_of = CODECS[self.codec.currentData()]
        match self.rate.currentData():
            case "capped":
                return CappedQuality(quality=self.quality.value(), cap_kbps=self.cap.value())
            case "average":
                passes: Literal[1, 2] = 2 if row_of.two_passes and self.passes.currentData() == 2 else 1
                return AverageRate(kbps=self.kbps.value(), passes=passes)
            case "size":
                return TargetSize(size_bytes=self._typed_size())
            case "constant":
                return ConstantRate(kbps=self.kbps.value())
            case "lossless":
                return Lossless()
            case _:
                return ConstantQuality(quality=self.quality.value() if row_of.highest_quality_number else 0)

    def _typed_size(self) -> int:
        """Bytes; words that are no size give way to the one before."""
        words, size = self._shown_size
        typed = parse_size(self.target_size.text(), bare="MB") if self.target_size.text() != words else None
        self._show_size(max(_LEAST_SIZE, int(typed)) if typed is not None else size)
        return self._shown_size[1]

    def _show_size(self, size: int) -> None:
        self._shown_size = (size_text(size), size)
        self.target_size.setText(self._shown_size[0])

    def _show_fields(self) -> None:
        """Those that rule something now."""
        row_of, kind = CODECS[self.codec.currentData()], self.rate.currentData()
        by_quality = bool(row_of.highest_quality_number)
        shown = {
            2: kind in {"quality", "capped"} and by_quality, 3: kind in {"average", "constant"}, 4: kind == "capped", 5: kind == "size",
            6: kind == "average" and row_of.two_passes, 7: len(row_of.speeds) > 1, 8: by_quality, 10: row_of.makes_grain,
        }  # fmt: skip
        for line, visible in shown.items():
            self._pictures.setRowVisible(line, visible)
        self._file.setRowVisible(1, row_of.key in LEVELS)
        sound = SOUND_CODECS[self.sound.currentData()]
        self._file.setRowVisible(3, bool(sound.encoder) and sound.lossless_share is None)
        self._file.setRowVisible(4, bool(sound.encoder))

    @contextlib.contextmanager
    def _quietly(self) -> Iterator[None]:
        before, self._filling = self._filling, True
        try:
            yield
        finally:
            self._filling = before


def _speed_words(codec: Codec, speed: str) -> str:
    effort = next((words.split(":")[0] for words, one in zip(EFFORTS.values(), codec.presets, strict=True) if one == speed), "")
    return f"{speed} ({effort} effort)" if effort and codec.probes else speed


def _box(name: str, entries: Iterable[tuple[str, object]]) -> QComboBox:
    box = QComboBox()
    box.setAccessibleName(name)
    for words, value in entries:
        box.addItem(words, value)
    return box


def _offer(box: QComboBox, entries: Iterable[tuple[str, object]]) -> None:
    box.clear()
    for words, value in entries:
        box.addItem(words, value)


def _choose(box: QComboBox, value: object) -> None:
    """An entry by its value; one that there is not leaves the first."""
    index = box.findData(value)
    box.setCurrentIndex(max(0, index))
