"""Pictures for trying the machine: made beforehand, delivered by the clock, as hard to encode as a tape."""

from __future__ import annotations

import time
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from yomikomi.core.planning.trial_pictures import trial_planes
from yomikomi.core.video.colour import BT601_525, BT709
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.video.standards import FieldOrder, Standard

_SOUND_RATE = 48_000
# What a device holds before it loses a frame.
_BOX_FRAMES = 8


@dataclass(frozen=True)
class CannedSpec:
    """``pictures``: how many different ones go round."""

    width: int
    height: int
    rate: Fraction
    interlaced: bool = False
    pictures: int = 8

    def open(self) -> Canned:
        return Canned(self)


class Canned:
    """The opened source: endless."""

    def __init__(self, spec: CannedSpec) -> None:
        one = Fraction(1)
        colour = BT709 if spec.height > 576 else BT601_525
        standard = Standard("trial", spec.width, spec.height, spec.rate, one, one, colour, "trial", interlaced=spec.interlaced)
        self.format = SourceFormat(standard, FieldOrder.TFF if spec.interlaced else None, one, _SOUND_RATE, 2)
        self._planes = list(trial_planes(spec.width, spec.height, spec.pictures))
        self._noise = np.random.default_rng(5).integers(-3000, 3000, (_SOUND_RATE // 10, 2)).astype(np.int16)
        self._next = 0
        self._began: float | None = None

    def read(self) -> tuple[Picture, SoundBlock]:
        rate = float(self.format.standard.rate)
        now = time.monotonic()
        self._began = now if self._began is None else self._began
        behind = int((now - self._began) * rate) - self._next
        first, number = self._next, self._next + max(0, behind - _BOX_FRAMES)
        time.sleep(max(0.0, self._began + number / rate - now))
        self._next = number + 1
        start, end = self.format.first_sample(first), self.format.first_sample(number + 1)
        y, u, v = self._planes[number % len(self._planes)]
        samples = np.take(self._noise, np.arange(start, end) % len(self._noise), axis=0)
        return Picture(number, y, u, v, time.monotonic(), round(number * 1e6 / rate)), SoundBlock(
            start, samples, round(start * 1e6 / _SOUND_RATE)
        )

    def close(self) -> None:
        self._planes = []
