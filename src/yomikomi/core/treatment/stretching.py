"""Sound made evenly longer or shorter, block by block."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import numpy as np
import soxr
from numpy.typing import NDArray

# Blocks that are farther apart than this do not belong together.
_GAP_S = Fraction(1, 50)


def exact_stretch(stretch: float) -> Fraction:
    """As places of sound are counted by it."""
    return Fraction(stretch).limit_denominator(10**12)


class Stretcher:
    """``stretch``: seconds of output for a second of input. Places count from the first picture, which stays where it is."""

    def __init__(self, stretch: float) -> None:
        self._stretch = exact_stretch(stretch)
        self._stream: Any = None
        self._like: av.AudioFrame | None = None
        self._ends = Fraction(0)
        self._place = Fraction(0)

    def push(self, block: av.AudioFrame, begin: Fraction) -> Iterator[tuple[av.AudioFrame, Fraction]]:
        """``begin``: seconds. Gives blocks of packed floats with where they begin."""
        kind = (block.layout.name, block.sample_rate)
        same = self._like is not None and kind == (self._like.layout.name, self._like.sample_rate)
        if self._stream is None or not same or abs(begin - self._ends) > _GAP_S:
            yield from self.finish()
            channels = block.layout.nb_channels
            self._stream = soxr.ResampleStream(block.sample_rate, float(block.sample_rate * self._stretch), channels, quality="VHQ")
            self._like, self._place, self._ends = block, begin * self._stretch, begin
        self._ends += Fraction(block.samples, block.sample_rate)
        yield from self._give(self._stream.resample_chunk(_floats(block)))

    def finish(self) -> Iterator[tuple[av.AudioFrame, Fraction]]:
        """What the filter still holds."""
        if self._stream is not None and self._like is not None:
            rest = self._stream.resample_chunk(np.zeros((0, self._like.layout.nb_channels), np.float32), last=True)
            yield from self._give(rest)
        self._stream = None

    def _give(self, samples: NDArray[np.float32]) -> Iterator[tuple[av.AudioFrame, Fraction]]:
        if not len(samples) or self._like is None:
            return
        packed = np.ascontiguousarray(samples.reshape(1, -1), np.float32)
        made = av.AudioFrame.from_ndarray(packed, format="flt", layout=self._like.layout.name)
        made.sample_rate = self._like.sample_rate
        begin, self._place = self._place, self._place + Fraction(len(samples), self._like.sample_rate)
        yield made, begin


def _floats(block: av.AudioFrame) -> NDArray[np.float32]:
    """ndarray [shape=(samples, channels), full scale 1]."""
    channels = block.layout.nb_channels
    given: NDArray[Any] = np.asarray(block.to_ndarray())
    samples = given.T if block.format.is_planar else given.reshape(-1, channels)
    if samples.dtype == np.uint8:
        return ((samples.astype(np.float32) - 128) / 128).astype(np.float32)
    if samples.dtype.kind == "i":
        return (samples / np.float32(2 ** (8 * samples.dtype.itemsize - 1))).astype(np.float32)
    return np.ascontiguousarray(samples, np.float32)
