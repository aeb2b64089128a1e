"""Curves through the measured points, and what they say between them; never outside.

Bytes are nearly exponential in the quality value, likeness nearly quadratic: three probes over 16 steps interpolate
sizes within 2 % and likeness within 0.2 dB (docs/science.md).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from yomikomi.core.balance.models import Estimate, Prediction, Quality, TrialPoint, TrialSet


@dataclass(frozen=True)
class PlanePoint:
    """A recipe on the plane of size against likeness."""

    prediction: Prediction

    @property
    def size(self) -> float:
        return self.prediction.size_bytes.expected

    @property
    def likeness(self) -> float:
        return self.prediction.quality.value


def plane_points(trials: TrialSet) -> dict[str, list[PlanePoint]]:
    """For each codec, every quality value from the best probe to the smallest, in order of falling size."""
    by_codec: dict[str, list[TrialPoint]] = {}
    for point in trials.points:
        by_codec.setdefault(point.recipe.codec, []).append(point)
    return {codec: _interpolate(points, trials) for codec, points in by_codec.items()}


def _interpolate(points: list[TrialPoint], trials: TrialSet) -> list[PlanePoint]:
    points = sorted(points, key=lambda p: p.recipe.quality)
    at = np.array([p.recipe.quality for p in points], float)
    degree = min(2, len(points) - 1)

    def through(values: list[float]) -> np.ndarray:
        return np.polyfit(at, values, degree)

    log_sizes = {part: through([float(np.log(getattr(p.size_bytes, part))) for p in points]) for part in ("expected", "low", "high")}
    log_times = through([float(np.log(p.encode_seconds.expected)) for p in points])
    likeness, noise = through([p.ssim_db for p in points]), through([p.psnr_db for p in points])
    measured = {p.recipe.quality: p for p in points}
    time_low, time_high = (getattr(points[0].encode_seconds, k) / points[0].encode_seconds.expected for k in ("low", "high"))
    found = []
    for quality in range(points[0].recipe.quality, points[-1].recipe.quality + 1):
        sizes = {part: float(np.exp(np.polyval(curve, quality))) for part, curve in log_sizes.items()}
        seconds = float(np.exp(np.polyval(log_times, quality)))
        exact = measured.get(quality)
        found.append(
            PlanePoint(
                Prediction(
                    recipe=points[0].recipe.model_copy(update={"quality": quality}),
                    deinterlace=trials.deinterlace,
                    size_bytes=exact.size_bytes if exact else Estimate(**{k: round(v) for k, v in sizes.items()}),
                    quality=Quality(value=round(exact.ssim_db if exact else float(np.polyval(likeness, quality)), 3)),
                    psnr_db=round(exact.psnr_db if exact else float(np.polyval(noise, quality)), 3),
                    encode_seconds=exact.encode_seconds
                    if exact
                    else Estimate(expected=seconds, low=seconds * time_low, high=seconds * time_high),
                    measured=exact is not None,
                    trial_seconds=trials.trial_seconds,
                )
            )
        )
    return found
