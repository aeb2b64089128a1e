"""Noise of luma and chroma, from what changes in blocks that stand still.

The change of a block against the same field of the frame before is twice the variance of the noise where nothing moves. The
stillest blocks are few among moving ones and many among still ones; a low percentile, corrected for how far a mean over so
many samples strays, serves both. Tape noise is alike along a line, so a high-pass along the line would read it far too low.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import median_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight

_LINES, _COLUMNS = 8, 8
# The lowest part of blocks that is looked at for how alike noise is.
_LOW = 0.15
# Parts of all blocks whose quantiles are looked at, with so many blocks below at least; parts of them that may be still; how deep into
# those it is looked; and how far the logarithms may stray from what noise would give.
_PARTS = np.array([0.004, 0.008, 0.015, 0.03, 0.05, 0.08, 0.12, 0.18, 0.25])
_STILL_PARTS = (1.0, 0.8, 0.6, 0.45, 0.35, 0.25, 0.18, 0.13, 0.1, 0.07, 0.05)
_FEWEST_BELOW, _DEEPEST, _MOST_STRAY = 8, 0.6, 0.15
# How far noise is looked at for how alike it is to its neighbours, samples; what is above shows no more than chance.
_REACH = 3
# By so much of its value the noise was found to be off, one way or the other, on material of known noise: where all stands still, and
# what it grows by towards nothing being still (docs/science.md).
_BIAS, _BIAS_MOVING = 0.04, 0.16
# Codes below or above this may be clipped, and then hold less noise.
_DARK, _BRIGHT = 20, 230


class NoiseMeter:
    def __init__(self) -> None:
        self._luma: list[float] = []
        self._still: list[float] = []
        self.luma_sigma = 0.0  # standard deviation in codes, by the looks so far; 0 where it is not known
        self._chroma: list[float] = []

    def look(self, before: Sight, now: Sight) -> None:
        if before.codes.shape != now.codes.shape or min(now.codes.shape) < 64:
            return
        one, two = before.codes[::2].astype(np.float32), now.codes[::2].astype(np.float32)
        luma = still_energy(one, two)
        if luma is not None:
            self._luma.append(float(np.sqrt(luma.energy / 2)))
            self._still.append(luma.part)
            self.luma_sigma = float(np.median(self._luma))
        if before.chroma is not None and now.chroma is not None:
            found = [still_energy(a[::2], b[::2], clipped=False) for a, b in zip(before.chroma, now.chroma, strict=True)]
            kept = [value.energy for value in found if value is not None]
            if kept:
                self._chroma.append(float(np.sqrt(np.mean(kept) / 2)))

    def result(self) -> tuple[Measured | None, Measured | None]:
        bias = _BIAS + _BIAS_MOVING * (1 - float(np.median(self._still))) if self._still else _BIAS
        return median_of(self._luma, "code values", bias=bias), median_of(self._chroma, "code values", bias=bias)


@dataclass(frozen=True)
class StillBlocks:
    """``energy``: mean square change where nothing moves, code values squared; ``part``: of all blocks that stand still, 0…1."""

    energy: float
    part: float


def still_energy(one: NDArray[np.float32], two: NDArray[np.float32], *, clipped: bool = True) -> StillBlocks | None:
    """Two fields of shape (lines, columns), code values; ``clipped``: some of them may be."""
    lines, columns = one.shape[0] // _LINES * _LINES, one.shape[1] // _COLUMNS * _COLUMNS
    if not lines or not columns:
        return None
    change = (two - one)[:lines, :columns]
    size = (columns // _COLUMNS, lines // _LINES)
    energy = cv2.resize(change * change, size, interpolation=cv2.INTER_AREA)
    alike = _likeness(change, energy)
    if clipped:
        level = cv2.resize(one[:lines, :columns], size, interpolation=cv2.INTER_AREA)
        energy = energy[(level > _DARK) & (level < _BRIGHT)]
    energy = energy.ravel()
    if len(energy) < 20:
        return None
    return _variance(energy, _LINES * _COLUMNS / alike)


def _variance(energy: NDArray[np.float32], independent: float) -> StillBlocks | None:
    """What the means of still blocks would be over many samples, from blocks of which some move: the lowest of all are the lowest of
    the still ones, and how they rise tells what part of all is still. None where too little is.

    Source: the quantiles of a mean of k squares of normal samples, Wilson and Hilferty (1931) (from memory).
    """
    from scipy.special import ndtri

    ordered = np.sort(energy)
    places = _PARTS[_PARTS * len(ordered) >= _FEWEST_BELOW]
    found = np.maximum(np.quantile(ordered, places), 1e-6)
    best: tuple[float, StillBlocks] | None = None
    for still in _STILL_PARTS:
        inside = places < _DEEPEST * still
        if np.count_nonzero(inside) < 4:
            break
        scale = 2 / (9 * independent)
        expected = (1 - scale + ndtri(places[inside] / still) * np.sqrt(scale)) ** 3
        ratios = np.log(found[inside] / np.maximum(expected, 1e-3))
        stray = float(ratios.std())
        # Of parts that fit about as well, the larger.
        if best is None or stray < 0.7 * best[0]:
            best = (stray, StillBlocks(float(np.exp(np.median(ratios))), still))
    return best[1] if best is not None and best[0] < _MOST_STRAY else None


def _likeness(change: NDArray[np.float32], energy: NDArray[np.float32]) -> float:
    """By how many times neighbouring samples make a mean of squares stray more than independent ones would, from the stillest blocks:
    one and twice the sum of the squared correlations, along the line and across (tape noise is alike along it only)."""
    still = energy <= np.quantile(energy, 2 * _LOW)
    noise = np.where(still.repeat(_LINES, axis=0).repeat(_COLUMNS, axis=1), change, np.float32(0))
    power = float((noise * noise).sum())
    if power <= 0:
        return 1.0
    samples, total = int(still.sum()) * _LINES * _COLUMNS, 1.0
    for axis in (0, 1):
        squares = 1.0
        for lag in range(1, _REACH + 1):
            one, two = (noise[lag:], noise[:-lag]) if axis == 0 else (noise[:, lag:], noise[:, :-lag])
            alike = float((one * two).sum()) / power * samples / max(1, _pairs(still, axis, lag))
            squares += 2 * min(alike, 1.0) ** 2
        total *= squares
    return total


def _pairs(still: NDArray[np.bool_], axis: int, lag: int) -> int:
    """How many samples of still blocks have another so far on along an axis, in the same block or in a still one beside it; ``still``:
    shape=(blocks down, blocks across), of 8 x 8 samples."""
    beside = still[1:] & still[:-1] if axis == 0 else still[:, 1:] & still[:, :-1]
    within, other = (_LINES, _COLUMNS) if axis == 0 else (_COLUMNS, _LINES)
    return other * ((within - lag) * int(still.sum()) + lag * int(beside.sum()))
