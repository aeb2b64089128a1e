"""Noise of luma and chroma, from what changes in blocks that stand still.

The change of a block against the same field of the frame before is twice the variance of the noise where nothing moves. The
stillest blocks are few among moving ones and many among still ones; a low percentile, corrected for how far a mean over so
many samples strays, serves both. Tape noise is alike along a line, so a high-pass along the line would read it far too low.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import median_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight

_LINES, _COLUMNS = 8, 8
# The lowest part of blocks that is looked at, and the samples of a block that count as independent along a line of tape noise.
_LOW = 0.15
_ALONG = 0.5
# Codes below or above this may be clipped, and then hold less noise.
_DARK, _BRIGHT = 20, 230


class NoiseMeter:
    def __init__(self) -> None:
        self._luma: list[float] = []
        self.luma_sigma = 0.0  # standard deviation in codes, by the looks so far; 0 where it is not known
        self._chroma: list[float] = []

    def look(self, before: Sight, now: Sight) -> None:
        if before.codes.shape != now.codes.shape or min(now.codes.shape) < 64:
            return
        one, two = before.codes[::2].astype(np.float32), now.codes[::2].astype(np.float32)
        energy = still_energy(one, two)
        if energy is not None:
            self._luma.append(float(np.sqrt(energy / 2)))
            self.luma_sigma = float(np.median(self._luma))
        if before.chroma is not None and now.chroma is not None:
            found = [still_energy(a[::2], b[::2], clipped=False) for a, b in zip(before.chroma, now.chroma, strict=True)]
            kept = [value for value in found if value is not None]
            if kept:
                self._chroma.append(float(np.sqrt(np.mean(kept) / 2)))

    def result(self) -> tuple[Measured | None, Measured | None]:
        return median_of(self._luma, "codes"), median_of(self._chroma, "codes")


def still_energy(one: NDArray[np.float32], two: NDArray[np.float32], *, clipped: bool = True) -> float | None:
    """Mean square change in the stillest blocks, as it would be over many: two fields of shape (lines, columns)."""
    lines, columns = one.shape[0] // _LINES * _LINES, one.shape[1] // _COLUMNS * _COLUMNS
    if not lines or not columns:
        return None
    change = (two - one)[:lines, :columns]
    size = (columns // _COLUMNS, lines // _LINES)
    energy = cv2.resize(change * change, size, interpolation=cv2.INTER_AREA)
    if clipped:
        level = cv2.resize(one[:lines, :columns], size, interpolation=cv2.INTER_AREA)
        energy = energy[(level > _DARK) & (level < _BRIGHT)]
    energy = energy.ravel()
    if len(energy) < 20:
        return None
    # A mean over k independent squares of normal samples scatters by sqrt(2/k) about the variance (chi-square).
    independent = _LINES * _COLUMNS * _ALONG
    low = float(np.quantile(energy, _LOW))
    return low / (1 - 1.04 * np.sqrt(2 / independent))
