"""How steady lines stand: jitter of a line against its neighbours, and the slow wobble within a field.

A small displacement e of a line changes it by e times its horizontal gradient g, so that e = Σ g·difference / Σ g² by least
squares. Held against the mean of its two neighbours in the field, upright and slanted edges cancel; held against the same line
of the frame before, slow displacements show. Noise in the samples adds σ²/Σg² to the variance of e, which is taken off.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import median_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight

# shape=(lines, columns) of one field, luma in 8-bit codes.
Lines = NDArray[np.floating]
# Lines without so much upright detail say nothing; energy of the gradient a sample, codes squared.
_LEAST_GRADIENT = 6.0
_FEWEST_LINES = 40
# The linear view of a displacement holds for less than this, in samples.
_MOST = 2.5
_BAND = 12  # field lines that wobble together


class LineTimingMeter:
    def __init__(self) -> None:
        self._jitter: list[float] = []
        self._wobble: list[float] = []

    def look(self, before: Sight, now: Sight, *, noise: float) -> None:
        """``noise``: standard deviation of luma, codes."""
        if before.codes.shape != now.codes.shape or now.codes.shape[0] < 200:
            return
        one, two = _smooth(before.codes[::2]), _smooth(now.codes[::2])
        # Smoothing over three samples takes noise down, tape noise (alike along the line) hardly.
        jitter = jitter_of(two, noise=0.9 * noise)
        if jitter is not None:
            self._jitter.append(jitter)
        wobble = wobble_of(one, two, noise=0.9 * noise)
        if wobble is not None:
            self._wobble.append(wobble)

    def result(self) -> tuple[Measured | None, Measured | None]:
        return median_of(self._jitter, "samples"), median_of(self._wobble, "samples")


def jitter_of(field: Lines, *, noise: float) -> float | None:
    """Standard deviation of a line's place against its neighbours, samples; None where too few lines have detail."""
    gradient = _gradient(field)
    beside = 0.5 * (field[:-2] + field[2:])
    slope = 0.5 * (gradient[1:-1] + 0.5 * (gradient[:-2] + gradient[2:]))
    error, strength = _displacement(field[1:-1] - beside, slope)
    good = (strength > _LEAST_GRADIENT) & (np.abs(error) < _MOST)
    if np.count_nonzero(good) < _FEWEST_LINES:
        return None
    # Detail that changes from line to line looks like displacement too; the calmer half of the lines has least of it.
    spread = 1.4826 * float(np.median(np.abs(error[good])))
    own = 1.5 * noise**2 / float(np.median(strength[good]) * field.shape[1])
    return float(np.sqrt(max(0.0, spread**2 - own) / 1.5))


def wobble_of(before: Lines, now: Lines, *, noise: float) -> float | None:
    """Standard deviation of the place of bands of lines against the frame before, the common move taken off, samples.

    Divided by √2, since both frames wobble.
    """
    error, strength, good = _between(before, now)
    common = round(float(np.median(error[good]))) if good.any() else 0
    if common and abs(common) < before.shape[1] // 4:
        # The linear view holds for small displacements: a pan is taken out in whole samples first.
        one, two = (before[:, :-common], now[:, common:]) if common > 0 else (before[:, -common:], now[:, :common])
        error, strength, good = _between(one, two)
    bands = []
    for start in range(0, len(error) - _BAND + 1, _BAND):
        inside = good[start : start + _BAND]
        if np.count_nonzero(inside) >= _BAND // 2:
            bands.append(float(np.median(error[start : start + _BAND][inside])))
    if len(bands) < 6:
        return None
    spread = 1.4826 * float(np.median(np.abs(np.asarray(bands) - np.median(bands))))
    own = 2 * noise**2 / float(np.median(strength[good]) * now.shape[1]) / _BAND
    return float(np.sqrt(max(0.0, spread**2 - own) / 2))


def _between(before: Lines, now: Lines) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.bool_]]:
    error, strength = _displacement(now - before, 0.5 * (_gradient(before) + _gradient(now)))
    return error, strength, np.asarray((strength > _LEAST_GRADIENT) & (np.abs(error) < _MOST))


def _displacement(difference: Lines, slope: Lines) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Of each line: how far to the right it stands, and the mean square of its gradient."""
    power = np.einsum("ij,ij->i", slope, slope).astype(np.float64)
    return -np.einsum("ij,ij->i", difference, slope) / np.maximum(power, 1e-6), power / slope.shape[1]


def _smooth(field: NDArray[np.uint8]) -> Lines:
    lines = field.astype(np.float32)
    return np.asarray((lines[:, :-2] + 2 * lines[:, 1:-1] + lines[:, 2:]) * np.float32(0.25), np.float32)


def _gradient(field: Lines) -> Lines:
    slope = np.empty_like(field)
    slope[:, 1:-1] = 0.5 * (field[:, 2:] - field[:, :-2])
    slope[:, 0], slope[:, -1] = slope[:, 1], slope[:, -2]
    return slope
