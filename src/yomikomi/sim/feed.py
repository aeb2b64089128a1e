"""A simulated camera or console: a programme in any size and rate, whole pictures or fields, without a tape's faults."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from yomikomi.core.video.colour import BT601_525, BT709
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceFormat
from yomikomi.core.video.standards import FieldOrder, Standard
from yomikomi.sim.canvas import Raster
from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound


@dataclass(frozen=True)
class FeedSpec:
    """``width`` x ``height`` samples at ``rate`` frames a second; ``seconds``: None for ever."""

    width: int
    height: int
    rate: Fraction
    interlaced: bool = False
    seed: int = 1
    mixture: str = "mixed"
    seconds: float | None = None
    real_time: bool = True

    def open(self) -> Feed:
        return Feed(self)


class Feed:
    """The opened source; pictures depend on the seed and the frame number alone."""

    def __init__(self, spec: FeedSpec, *, now: Callable[[], float] = time.monotonic) -> None:
        self.spec = spec
        colour = BT709 if spec.height >= 720 else BT601_525
        words = f"{spec.height} lines, {float(spec.rate):.2f}"
        one = Fraction(1)
        standard = Standard("feed", spec.width, spec.height, spec.rate, one, one, colour, words, interlaced=spec.interlaced)
        self.format = SourceFormat(standard, FieldOrder.TFF if spec.interlaced else None, one, SAMPLE_RATE, 1)
        self.programme = Programme(spec.seed, mixture=spec.mixture, rate=spec.rate)
        self.sound = ProgrammeSound(spec.seed)
        self._next = 0
        self._now = now
        self._started: float | None = None

    def read(self) -> tuple[Picture, SoundBlock]:
        """The next frame and its sound; a feed waits for its reader, for it may be slower to draw than to play."""
        number, self._next = self._next, self._next + 1
        if self.spec.seconds is not None and number >= round(self.spec.seconds * self.spec.rate):
            raise SourceEnded
        picture = self.picture(number)
        if self.spec.real_time:
            self._started = self._started if self._started is not None else self._now()
            time.sleep(max(0.0, self._started + number / float(self.spec.rate) - self._now()))
        start, end = (int(SAMPLE_RATE * frame / self.spec.rate) for frame in (number, number + 1))
        return replace(picture, ready_at=self._now()), SoundBlock(start, self.sound.samples(start, end - start))

    def picture(self, number: int) -> Picture:
        spec = self.spec
        y = np.empty((spec.height, spec.width), np.uint8)
        u = np.empty((spec.height, spec.width // 2), np.uint8)
        v = np.empty_like(u)
        step = 2 if spec.interlaced else 1
        for first in range(step):
            instant = (number * step + first) / (spec.rate * step)
            image = self.programme.draw(number, instant, Raster(spec.width, spec.height, first=first, step=step))
            y[first::step], u[first::step], v[first::step] = image[..., 0], image[:, ::2, 1], image[:, ::2, 2]
        return Picture(number, y, u, v, self._now())

    def close(self) -> None:
        self._next = 2**40
