"""Colour bars in the picture, held against what the standards say they must be."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.models import BarsFound
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS, colour_bars

# Bars are upright: in the upper part of the picture a column is one colour to within this, noise apart.
_UNIFORM = 6.0
_COLOURS = slice(1, 7)
# Hues may be turned and colours pale, but not beyond recognition: correlation of what was found with what must be.
_LIKENESS = 0.8
_WEIGHTS = {"bt601": BT601_WEIGHTS, "bt709": BT709_WEIGHTS}


@dataclass(frozen=True)
class _Fit:
    matrix: Literal["bt601", "bt709"]
    level: Literal[75, 100]
    saturation: float
    phase: float
    luma_error: float
    error: float


class BarsMeter:
    def __init__(self) -> None:
        self._found: list[tuple[int, NDArray[np.float64]]] = []

    def look(self, before: Sight, now: Sight) -> None:
        del before
        values = bars_in(now)
        if values is not None:
            self._found.append((now.number, values))

    def result(self) -> BarsFound | None:
        if not self._found:
            return None
        values = np.median(np.stack([one for _, one in self._found]), axis=0)
        fit = _best_fit(values)
        if fit is None:
            return None
        return BarsFound(
            frames=len(self._found), at_frame=self._found[0][0], matrix=fit.matrix, saturation=round(fit.saturation, 3),
            phase_degrees=round(fit.phase, 2), luma_error=round(fit.luma_error, 2), level=fit.level,
        )  # fmt: skip


def bars_in(sight: Sight) -> NDArray[np.float64] | None:
    """Mean Y, Cb, Cr of eight upright bars, shape (8, 3); None where there are none."""
    if sight.chroma is None or min(sight.codes.shape) < 64:
        return None
    upper = slice(sight.codes.shape[0] // 12, sight.codes.shape[0] // 2)
    luma = sight.codes[upper].astype(np.float32)
    # Quick refusal: in bars the middle of a column differs little from its ends.
    parts = np.array_split(luma[:, ::8], 4)
    means = np.stack([part.mean(axis=0) for part in parts])
    if float(np.median(np.ptp(means, axis=0))) > _UNIFORM:
        return None
    scale = sight.chroma[0].shape[0] / sight.codes.shape[0]
    chroma_lines = slice(int(upper.start * scale), int(upper.stop * scale))
    planes = [luma, *(plane[chroma_lines] for plane in sight.chroma)]
    found = np.array([[_middle(plane, bar) for plane in planes] for bar in range(8)])
    fit = _best_fit(found)
    return found if fit is not None else None


def _middle(plane: NDArray[np.float32], bar: int) -> float:
    """Mean of the inner half of a bar; the picture may be a little shifted or cropped."""
    width = plane.shape[1] / 8
    return float(np.median(plane[:, int((bar + 0.3) * width) : max(int((bar + 0.7) * width), int((bar + 0.3) * width) + 1)]))


def _best_fit(found: NDArray[np.float64]) -> _Fit | None:
    fits = [_fit(found, matrix, level) for matrix in ("bt601", "bt709") for level in (75, 100)]
    good = [one for one in fits if one is not None]
    return min(good, key=lambda one: one.error) if good else None


def _fit(found: NDArray[np.float64], matrix: Literal["bt601", "bt709"], level: Literal[75, 100]) -> _Fit | None:
    must = np.array([[bar.y, bar.cb, bar.cr] for bar in colour_bars(_WEIGHTS[matrix], colour_level=Fraction(level, 100))])
    luma = found[:, 0]
    # Falling steps of luma from white to black, as the eight bars have.
    if float(luma.std()) < 10 or np.corrcoef(luma, must[:, 0])[0, 1] < 0.97 or np.any(np.diff(luma) > 4):
        return None
    seen = (found[_COLOURS, 1] - 128) + 1j * (found[_COLOURS, 2] - 128)
    wanted = (must[_COLOURS, 1] - 128) + 1j * (must[_COLOURS, 2] - 128)
    product = complex(np.vdot(wanted, seen))
    size = float(np.vdot(wanted, wanted).real)
    if abs(product) < _LIKENESS * np.sqrt(size * max(float(np.vdot(seen, seen).real), 1e-9)):
        return None
    gain = product / size
    rest = seen - gain * wanted
    luma_error = luma - must[:, 0]
    # The best matrix is the one that leaves least unexplained; a change of gain and phase is the tape's doing.
    error = float(np.sum(np.abs(rest) ** 2) + np.sum(luma_error**2) + size * (abs(gain) - 1) ** 2)
    worst = float(luma_error[np.argmax(np.abs(luma_error))])
    return _Fit(matrix, level, abs(gain), float(np.degrees(np.angle(gain))), worst, error)
