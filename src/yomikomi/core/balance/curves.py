"""Curves through the measured points, and what they say between them; never outside.

Log bytes, fidelity and log time run smoothly in the quality value, but on noisy tape they bend where an encoder begins to
keep the noise. Shape-preserving cubics through the points follow that bend without overshooting (docs/science.md).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.models import Estimate, Prediction, Quality, TrialPoint, TrialSet

# Nine of ten sizes between four probes lie this near to the curve (measured on tape, disc and clean material).
_BETWEEN = 0.05


@dataclass(frozen=True)
class PlanePoint:
    """A recipe on the plane of size against fidelity."""

    prediction: Prediction

    @property
    def size(self) -> float:
        return self.prediction.size_bytes.expected

    @property
    def fidelity(self) -> float:
        return self.prediction.quality.value


def plane_points(trials: TrialSet) -> dict[str, list[PlanePoint]]:
    """For each codec, every quality value from the best probe to the smallest, in order of falling size."""
    by_codec: dict[str, list[TrialPoint]] = {}
    for point in trials.points:
        by_codec.setdefault(point.recipe.codec, []).append(point)
    return {codec: _curve(sorted(points, key=lambda p: p.recipe.quality), trials) for codec, points in by_codec.items()}


def _curve(points: list[TrialPoint], trials: TrialSet) -> list[PlanePoint]:
    at = [p.recipe.quality for p in points]
    size = {part: _through(at, [float(np.log(getattr(p.size_bytes, part))) for p in points]) for part in ("expected", "low", "high")}
    time = {part: _through(at, [float(np.log(getattr(p.encode_seconds, part))) for p in points]) for part in ("expected", "low", "high")}
    fidelity, noise = _through(at, [p.ssim_db for p in points]), _through(at, [p.psnr_db for p in points])
    measured = {p.recipe.quality: p for p in points}
    found = []
    for quality in range(at[0], at[-1] + 1):
        tried = measured.get(quality)
        if tried is not None:
            found.append(PlanePoint(tried.prediction(trials)))
            continue
        sizes = {part: float(np.exp(curve(quality))) for part, curve in size.items()}
        prediction = Prediction(
            recipe=points[0].recipe.model_copy(update={"quality": quality}),
            deinterlace=trials.deinterlace,
            size_bytes=Estimate(
                expected=round(sizes["expected"]), low=round(sizes["low"] * (1 - _BETWEEN)), high=round(sizes["high"] * (1 + _BETWEEN))
            ),
            quality=Quality(value=round(fidelity(quality), 3)),
            psnr_db=round(noise(quality), 3),
            encode_seconds=Estimate(**{part: float(np.exp(curve(quality))) for part, curve in time.items()}),
            measured=False,
            trial_seconds=trials.trial_seconds,
        )
        found.append(PlanePoint(prediction))
    return found


def _through(at: list[int], values: list[float]) -> Callable[[float], float]:
    x, y = np.array(at, float), np.array(values, float)
    slopes = monotone_slopes(x, y)

    def curve(quality: float) -> float:
        k = int(np.clip(np.searchsorted(x, quality, side="right") - 1, 0, max(0, len(x) - 2)))
        if len(x) == 1:
            return float(y[0])
        h = x[k + 1] - x[k]
        t = (quality - x[k]) / h
        rise = (1 + 2 * t) * (1 - t) ** 2 * y[k] + t * (1 - t) ** 2 * h * slopes[k]
        return float(rise + t * t * (3 - 2 * t) * y[k + 1] + t * t * (t - 1) * h * slopes[k + 1])

    return curve


def monotone_slopes(x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Slopes at the knots for a cubic that never overshoots: weighted harmonic means inside, three-point ends.

    Source: Fritsch and Butland, SIAM J. Sci. Stat. Comput. 5 (1984) (from memory). The same curve as SciPy's, whose import
    would hold up the window for most of a second; a test compares them.
    """
    if len(x) < 3:
        return np.full(len(x), (y[-1] - y[0]) / (x[-1] - x[0]) if len(x) == 2 else 0.0)
    h, d = np.diff(x), np.diff(y) / np.diff(x)
    slopes = np.zeros(len(x))
    w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
    same = d[:-1] * d[1:] > 0
    slopes[1:-1][same] = ((w1 + w2)[same]) / (w1[same] / d[:-1][same] + w2[same] / d[1:][same])
    slopes[0], slopes[-1] = _end_slope(h[0], h[1], d[0], d[1]), _end_slope(h[-1], h[-2], d[-1], d[-2])
    return slopes


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if np.sign(slope) != np.sign(d0):
        return 0.0
    return 3 * d0 if np.sign(d0) != np.sign(d1) and abs(slope) > abs(3 * d0) else slope
