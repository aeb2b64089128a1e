"""What is put before a camera or into a path to measure sync: a flash with a beep, or a person who claps.

Both are given at exact moments of time; what fields or frames make of it follows from their exposure.
"""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.clocked import ClockedSource, frames_in
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.sim.canvas import Raster, disc, limb
from yomikomi.sim.sound import SAMPLE_RATE
from yomikomi.sim.tape import FORMATS, Tape
from yomikomi.sim.textures import Image

# A period that is no whole number of frames at any rate in use, so that events fall on all phases of a frame.
_PERIOD_S = 1.0373
_FLASH_S, _BEEP_S, _BEEP_HZ = 0.060, 0.060, 1000.0
_DARK, _BRIGHT = 40.0, 220.0
_CLAP_S = 0.16  # the hands come together for so long, and part more slowly


@dataclass(frozen=True)
class SyncTestSpec:
    """Parameters
    ----------
    kind : ``synctest`` (flash and beep) or ``clap``; ``none``: the picture of the clap without anybody clapping.
    offset_ms : how much later the sound comes than its picture (negative: sooner).
    drift_ms_per_hour : how much later still it is after an hour.
    tape : a key of ``sim.tape.FORMATS``: the test is played through a tape's faults.
    field_order : None: the convention of the standard.
    progressive : whole pictures at the standard's rate, exposed at once.
    """

    kind: Literal["synctest", "clap", "none"] = "synctest"
    offset_ms: float = 0.0
    drift_ms_per_hour: float = 0.0
    standard: str = "525i"
    field_order: FieldOrder | None = None
    seed: int = 1
    seconds: float | None = 20.0
    tape: str = "perfect"
    progressive: bool = False
    real_time: bool = False

    def open(self) -> SyncTest:
        return SyncTest(self)

    @property
    def format(self) -> SourceFormat:
        standard = replace(STANDARDS[self.standard], interlaced=not self.progressive)
        order = None if self.progressive else self.field_order or STANDARDS[self.standard].first_field
        return SourceFormat(standard, order, standard.sample_aspect_4_3, SAMPLE_RATE, 1)

    def truth(self) -> dict[str, Any]:
        seconds = self.seconds or 0.0
        events = [float(at) for at in _moments(self, seconds)]
        return {"kind": self.kind, "offset_ms": self.offset_ms, "drift_ms_per_hour": self.drift_ms_per_hour, "events": events}


def _moments(spec: SyncTestSpec, until: float) -> list[float]:
    """When the flashes begin, or hands meet, in seconds."""
    if spec.kind == "none":
        return []
    rng = np.random.default_rng([spec.seed, 50])
    moments, at = [], 0.9
    while at < until - 0.3:
        moments.append(at)
        at += _PERIOD_S if spec.kind == "synctest" else float(rng.uniform(0.8, 1.7))
    return moments


@lru_cache(maxsize=8)
def _even(lines: int, columns: int, luma: int) -> Image:
    """A picture of one grey; nearly all are dark, and filling one takes longer than all else that is done to it. Not to be written to."""
    image = np.empty((lines, columns, 3), np.uint8)
    image[..., 0], image[..., 1:] = luma, 128
    image.flags.writeable = False
    return image


class SyncTestSound:
    """Beeps or claps over a quiet room."""

    def __init__(self, spec: SyncTestSpec, moments: list[float]) -> None:
        self._spec, self._moments = spec, np.array(moments)
        rng = np.random.default_rng([spec.seed, 51])
        self._room = (rng.standard_normal(SAMPLE_RATE) * 32767 * 10 ** (-62 / 20)).astype(np.float32)
        self._event = self._beep() if spec.kind == "synctest" else self._clap(rng)

    def samples(self, start: int, count: int) -> NDArray[np.int16]:
        """Shape (count, 1)."""
        out = np.take(self._room, np.arange(start, start + count) % SAMPLE_RATE)
        for at in self._heard_at():
            first = round(at * SAMPLE_RATE)
            a, b = max(start, first), min(start + count, first + len(self._event))
            if a < b:
                out[a - start : b - start] += self._event[a - first : b - first]
        return np.clip(np.round(out), -32768, 32767).astype(np.int16)[:, None]

    def _heard_at(self) -> NDArray[np.float64]:
        spec = self._spec
        return np.asarray(self._moments + spec.offset_ms / 1000 + self._moments / 3600 * spec.drift_ms_per_hour / 1000)

    @staticmethod
    def _beep() -> NDArray[np.float32]:
        t = np.arange(round(_BEEP_S * SAMPLE_RATE)) / SAMPLE_RATE
        return (0.35 * 32767 * np.sin(2 * np.pi * _BEEP_HZ * t)).astype(np.float32)

    @staticmethod
    def _clap(rng: np.random.Generator) -> NDArray[np.float32]:
        """A burst of noise that dies in some hundredths of a second, with the room's answer after it."""
        t = np.arange(round(0.2 * SAMPLE_RATE)) / SAMPLE_RATE
        burst = rng.standard_normal(len(t)) * (np.exp(-t / 0.006) + 0.12 * np.exp(-t / 0.05))
        return (0.3 * 32767 * burst / np.abs(burst).max()).astype(np.float32)


class SyncTest(ClockedSource):
    """The opened source."""

    def __init__(self, spec: SyncTestSpec) -> None:
        self.spec = spec
        standard = spec.format.standard
        super().__init__(spec.format, frames=frames_in(spec.seconds, standard.rate), real_time=spec.real_time)
        self._moments = _moments(spec, spec.seconds if spec.seconds is not None else 3600.0)
        self.sound = SyncTestSound(spec, self._moments)
        self._tape = Tape(FORMATS[spec.tape], seed=spec.seed, field_rate=float(standard.field_rate))
        self._room = _room(spec.seed, standard.width, standard.height)

    def picture(self, number: int) -> Picture:
        standard = self.format.standard
        step = 2 if self.format.field_order else 1
        y = np.empty((standard.height, standard.width), np.uint8)
        u = np.empty((standard.height, standard.width // 2), np.uint8)
        v = np.empty_like(u)
        order = (0,) if step == 1 else (0, 1) if self.format.field_order is FieldOrder.TFF else (1, 0)
        for index, first in enumerate(order):
            unit = step * number + index
            begins, lasts = Fraction(unit, 1) / (standard.rate * step), 1 / (standard.rate * step)
            image = self._draw(float(begins), float(lasts), Raster(standard.width, standard.height, first=first, step=step))
            y[first::step], u[first::step], v[first::step] = self._played(image, unit)
        return Picture(number, y, u, v, time.monotonic())

    def _played(self, image: Image, unit: int) -> tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]:
        if self.spec.tape == "perfect":
            return image[..., 0], image[:, ::2, 1], image[:, ::2, 2]
        return self._tape.play(image, unit)

    def _draw(self, begins: float, lasts: float, raster: Raster) -> Image:
        """What is seen from ``begins`` on for ``lasts`` seconds; the shutter is open all the time."""
        if self.spec.kind == "synctest":
            lit = sum(max(0.0, min(begins + lasts, at + _FLASH_S) - max(begins, at)) for at in self._near(begins)) / lasts
            return _even(raster.lines, raster.width, round(_DARK + (_BRIGHT - _DARK) * min(1.0, lit)))
        image = self._room[raster.first :: raster.step].copy()
        # A short shutter: hands are sharp, and seen where they are in the middle of the field.
        self._hands(image, raster, begins + lasts / 2)
        return image

    def _near(self, at: float) -> list[float]:
        return [moment for moment in self._moments if abs(moment - at) < 2.5]

    def _hands(self, image: Image, raster: Raster, at: float) -> None:
        apart = 150.0
        for moment in self._near(at):
            if moment - _CLAP_S < at <= moment:
                apart = 150 * (1 - ((at - moment + _CLAP_S) / _CLAP_S) ** 2)
            elif moment < at < moment + 0.55:
                apart = 150 * (max(0.0, at - moment - 0.12) / 0.43)
        middle, high = raster.width / 2, raster.frame_height * 0.55
        raster.polygon(image, disc(middle, high - 130, 42, 52), (150, 116, 146))
        raster.polygon(image, limb(middle, high - 70, middle, high + 190, 130), (70, 136, 120))
        for side in (-1, 1):
            x = middle + side * (9 + apart)
            raster.polygon(image, limb(middle + side * 66, high - 40, x + side * 12, high + 8, 26), (70, 136, 120))
            raster.polygon(image, disc(x, high, 16, 30), (168, 114, 148))


def _room(seed: int, width: int, height: int) -> Image:
    rng = np.random.default_rng([seed, 52])
    soft = cv2.GaussianBlur(rng.standard_normal((height, width)).astype(np.float32), (0, 0), 12)
    image = np.empty((height, width, 3), np.uint8)
    image[..., 0] = np.clip(96 + 18 * soft / soft.std(), 16, 235)
    image[..., 1:] = 128
    return image
