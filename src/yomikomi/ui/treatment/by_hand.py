"""Steps set by hand: a form for whichever step there is, made from its settings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal, get_args, get_origin

from pydantic import ValidationError
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QDoubleSpinBox, QFormLayout, QLineEdit, QSpinBox, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.treatment.audio_steps import AnyAudioStep, AudioStep, Channels, Downmix, Drift, Gain, Hum, Move
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.steps import (
    AnyStep,
    Colour,
    Crop,
    CutOut,
    Denoise,
    Fade,
    Frame,
    HighRange,
    Legal,
    Levels,
    Mask,
    Matrix,
    Part,
    RateCap,
    Reframe,
    Shape,
    Size,
    Split,
    Trim,
    Turn,
)
from yomikomi.core.video.rates import fraction_text
from yomikomi.ui.widgets.basics import button, form_body, label, row

# Shown instead of what the settings are called in a document.
_WORDS = {
    "top": "Lines above", "bottom": "Lines below", "left": "Columns at the left", "right": "Columns at the right",
    "width": "Width", "height": "Height", "square": "Square pixels", "kernel": "Kernel", "sample_aspect": "Pixel shape (width/height)",
    "black": "Black is at", "white": "White is at", "to_black": "Black becomes", "to_white": "White becomes",
    "chroma": "Chroma factor (0: as luma)", "range": "Range of the result", "later_ms": "Audio delay", "how": "Channels", "db": "Gain",
    "start": "From", "end": "To (0: the end)", "hz": "Frequency", "overtones": "Tones notched", "track": "Sound track",
    "parts": "Parts cut out (seconds)", "at": "Split at (seconds)",
    "fade_in": "Fade in", "fade_out": "Fade out", "each": "Of so many frames one",
    "saturation": "Saturation (1: as it is)", "hue": "Hue turned by", "blue": "Added to Cb (code values)",
    "red": "Added to Cr (code values)", "to": "Matrix of the result", "exposure": "Exposure (stops)", "peak": "Brightest light",
    "ms_per_hour": "Audio drift an hour", "even": "Lowered, so that it cannot clip",
    "noise": "Noise (code values, rms)", "careful": "Careful (several times the time)",
}  # fmt: skip
_UNITS = {
    "later_ms": " ms", "db": " dB", "hz": " Hz", "start": " s", "end": " s", "fade_in": " s", "fade_out": " s", "hue": "°",
    "peak": " cd/m²", "ms_per_hour": " ms",
}  # fmt: skip
_FINE = {"chroma": 3, "start": 3, "end": 3, "saturation": 2, "exposure": 2, "noise": 1}
_WIDEST = 20_000


@dataclass(frozen=True)
class Kind:
    """A step that can be added; ``begin``: as it stands in the form at first, for a picture of some format."""

    words: str
    begin: Callable[[PictureFormat], AnyStep | AnyAudioStep]


KINDS: tuple[Kind, ...] = (
    Kind("In and out", lambda _now: Trim()),
    Kind("Cut out parts", lambda _now: CutOut(parts=(Part(start=0, end=1),))),
    Kind("Split into copies", lambda _now: Split(at=(60.0,))),
    Kind("Fades", lambda _now: Fade()),
    Kind("Fewer frames", lambda _now: RateCap()),
    Kind("Noise", lambda _now: Denoise()),
    Kind("Crop", lambda _now: Crop()),
    Kind("Mask", lambda _now: Mask(bottom=8)),
    Kind("Turn", lambda _now: Turn(how="quarter clockwise")),
    Kind("Reframe", lambda _now: Reframe()),
    Kind("Pixel shape", lambda now: Shape(sample_aspect=fraction_text(now.geometry.sample_aspect))),
    Kind("Levels: full range to limited", lambda _now: Levels(black=0, white=255, chroma=round(224 / 255, 4))),
    Kind("Colour", lambda _now: Colour()),
    Kind("Grey", lambda _now: Colour(saturation=0)),
    Kind("Matrix", lambda now: Matrix(to="BT.709" if now.colour.matrix != 1 else "BT.601 (525 lines)")),
    Kind("Size", lambda now: Size(height=now.geometry.height)),
    Kind("PQ or HLG to BT.709", lambda _now: HighRange()),
    Kind("Legal values", lambda _now: Legal()),
    Kind("Fixed frame", lambda _now: Frame(width=1920, height=1080)),
    Kind("Sync", lambda _now: Move(later_ms=0)),
    Kind("Channels", lambda _now: Channels(how="mono")),
    Kind("Gain", lambda _now: Gain(db=0)),
    Kind("Drift", lambda _now: Drift(ms_per_hour=0)),
    Kind("Downmix to stereo", lambda _now: Downmix()),
    Kind("Hum filter", lambda _now: Hum(hz=50)),
)


class StepForm(QDialog):
    """The settings of one step. ``step``: what is set, once it was accepted."""

    def __init__(self, step: AnyStep | AnyAudioStep, before: PictureFormat, parent: QWidget) -> None:
        super().__init__(parent)
        self._kind, self._before = type(step), before
        self.step: AnyStep | AnyAudioStep = step
        layout = form_body(self, step.title, width=380)
        self.fields: dict[str, QWidget] = {}
        form = QFormLayout()
        for name, info in self._kind.model_fields.items():
            if name in {"step", "order"}:
                continue
            made = _field(name, info.annotation, info.metadata, getattr(step, name))
            made.setAccessibleName(_WORDS.get(name, name))
            form.addRow(_WORDS.get(name, name), made)
            self.fields[name] = made
        self.trouble = label("", quiet=True, wrap=True)
        self.accept_button = button("Set", self._accept, primary=True)
        layout.addLayout(form)
        layout.addWidget(self.trouble)
        layout.addLayout(row(1, button("Leave it", self.reject), self.accept_button))

    def _accept(self) -> None:
        try:
            made = self._kind.model_validate({name: _value(name, field) for name, field in self.fields.items()})
            if not isinstance(made, AudioStep):
                made.output(self._before)  # refuses what cannot be
        except ValidationError as error:
            first = error.errors()[0]
            name = next((_WORDS[str(part)] for part in first["loc"] if str(part) in _WORDS), "This")
            self.trouble.setText(f"{name}: {first['msg'].lower()}.")
            return
        except YomikomiError as error:
            self.trouble.setText(str(error))
            return
        self.step = made
        self.accept()


def _limits(metadata: list[Any]) -> tuple[float, float]:
    low, high = 0.0, float(_WIDEST)
    for one in metadata:
        low = next((float(value) for name in ("ge", "gt") if (value := getattr(one, name, None)) is not None), low)
        high = next((float(value) for name in ("le", "lt") if (value := getattr(one, name, None)) is not None), high)
    return low, high


def _field(name: str, kind: Any, metadata: list[Any], now: Any) -> QWidget:
    low, high = _limits(metadata)
    if name == "track":
        made = QSpinBox()  # counted from 1, as they are called; 0 stands for all of them
        made.setRange(1 if kind is int else 0, 32)
        made.setSpecialValueText("" if kind is int else "all")
        made.setValue(0 if now is None else now + 1)
        return made
    if name == "at":
        return QLineEdit("; ".join(f"{one:g}" for one in now))
    if name == "parts":
        return QLineEdit("; ".join(f"{part.start:g}-{part.end:g}" for part in now))
    if get_origin(kind) is Literal:
        choice = QComboBox()
        choice.addItems([str(one) for one in get_args(kind)])
        choice.setCurrentText(str(now))
        return choice
    if kind is bool:
        tick = QCheckBox()
        tick.setChecked(now)
        return tick
    if kind is float:
        number = QDoubleSpinBox()
        number.setDecimals(_FINE.get(name, 1))
        number.setRange(low, high)
        number.setSuffix(_UNITS.get(name, ""))
        number.setValue(now)
        return number
    if kind is str:
        return QLineEdit(now)
    whole = QSpinBox()
    whole.setRange(int(low), int(high))
    whole.setValue(now)
    return whole


def _parts(text: str) -> list[dict[str, str]]:
    """Written as ``10-20; 31.5-40``."""
    pairs = [part.replace("\N{EN DASH}", "-").split("-") for part in text.split(";") if part.strip()]
    return [{"start": pair[0].strip(), "end": pair[1].strip()} if len(pair) == 2 else {} for pair in pairs]


def _value(name: str, field: QWidget) -> Any:
    if isinstance(field, QComboBox):
        return field.currentText()
    if isinstance(field, QCheckBox):
        return field.isChecked()
    if name == "at":
        assert isinstance(field, QLineEdit)
        return [part.strip() for part in field.text().split(";") if part.strip()]
    if name == "parts":
        assert isinstance(field, QLineEdit)
        return _parts(field.text())
    if isinstance(field, QLineEdit):
        return field.text().strip()
    assert isinstance(field, QSpinBox | QDoubleSpinBox)
    if name == "track":
        return field.value() - 1 if field.value() else None
    return field.value()
