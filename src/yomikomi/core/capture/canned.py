"""Pictures for trying the machine: made beforehand, delivered by the clock, as hard to encode as a tape."""

from __future__ import annotations

import time
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.planning.trial_pictures import trial_planes
from yomikomi.core.video.clocked import ClockedSource
from yomikomi.core.video.colour import BT601_525, BT709
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.video.standards import FieldOrder, Standard

_SOUND_RATE = 48_000


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


class Canned(ClockedSource):
    """The opened source: endless."""

    def __init__(self, spec: CannedSpec) -> None:
        one = Fraction(1)
        colour = BT709 if spec.height > 576 else BT601_525
        standard = Standard("trial", spec.width, spec.height, spec.rate, one, one, colour, "trial", interlaced=spec.interlaced)
        form = SourceFormat(standard, FieldOrder.TFF if spec.interlaced else None, one, _SOUND_RATE, 2)
        super().__init__(form, frames=None, real_time=True)
        self._planes = list(trial_planes(spec.width, spec.height, spec.pictures))
        self.sound = _Noise()

    def picture(self, number: int) -> Picture:
        y, u, v = self._planes[number % len(self._planes)]
        return Picture(number, y, u, v, time.monotonic())


class _Noise:
    def __init__(self) -> None:
        self._round = np.random.default_rng(5).integers(-3000, 3000, (_SOUND_RATE // 10, 2)).astype(np.int16)

    def samples(self, start: int, count: int) -> NDArray[np.int16]:
        return np.take(self._round, np.arange(start, start + count) % len(self._round), axis=0)
