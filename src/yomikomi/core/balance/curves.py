"""Curves through the measured points, and what they say between them; never outside.

Log bytes, fidelity and log time run smoothly in the quality value, but on noisy tape they bend where an encoder begins to
keep the noise. Shape-preserving cubics through the points follow that bend without overshooting (docs/science.md).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from yomikomi.core.balance.models import Estimate, Fidelity, Prediction, Quality, TrialPoint, TrialSet, Worst
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.recipes.recipe import Recipe

# Curves that share less say nothing of each other, decibels.
_SHARED_DB = 2.0
# Places at which two curves are compared.
_STEPS = 201
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
    def pictures(self) -> tuple[object, ...]:
        return pictures_of(self.prediction.recipe)

    @property
    def makes(self) -> tuple[Recipe, float | None]:
        """What tells copies of one take apart: the recipe, and noise that is taken out besides."""
        return self.prediction.recipe, self.prediction.noise_taken_out

    @property
    def of_another_treatment(self) -> bool:
        """Noise is taken out besides: nothing that can be put into the run as it is."""
        return self.prediction.noise_taken_out is not None

    @property
    def fidelity(self) -> float:
        """Detail kept, decibels."""
        return self.prediction.fidelity.value if self.prediction.fidelity else 0.0


def pictures_of(recipe: Recipe) -> tuple[object, ...]:
    """What of a recipe makes its pictures: outlets, and people, change its sound and its container."""
    return recipe.curve, recipe.rate, recipe.speed


def plane_points(trials: TrialSet, viewing: Viewing = "television") -> dict[str, list[PlanePoint]]:
    """For each curve (a codec at one size of pictures) every quality value from the best probe to the smallest, in order of falling size.
    Recipes of which no picture could be judged are left out."""
    by_curve: dict[str, list[TrialPoint]] = {}
    for point in trials.points:
        if point.detail is None:
            continue
        by_curve.setdefault(point.recipe.curve, []).append(point)
    return {curve: _curve(points, trials, viewing) for curve, points in by_curve.items()}


def _curve(points: list[TrialPoint], trials: TrialSet, viewing: Viewing) -> list[PlanePoint]:
    if any(p.recipe.quality is None or not p.recipe.row.highest_quality_number for p in points):  # presets: nothing lies between
        return sorted((PlanePoint(p.prediction(trials, viewing=viewing)) for p in points), key=lambda point: -point.size)
    points = sorted(points, key=lambda p: p.recipe.level)
    at = [p.recipe.level for p in points]
    size = {part: _through(at, [float(np.log(getattr(p.size_bytes, part))) for p in points]) for part in ("expected", "low", "high")}
    time = {part: _through(at, [float(np.log(getattr(p.encode_seconds, part))) for p in points]) for part in ("expected", "low", "high")}
    ssim, psnr = _through(at, [p.ssim_db for p in points]), _through(at, [p.psnr_db for p in points])
    details = [p.detail for p in points if p.detail is not None]
    detail, noise = _through(at, [one.at(viewing) for one in details]), _where_all(at, [one.noise_kept for one in details])
    measured = {p.recipe.level: p for p in points}
    worst = _worst_between(points, at, viewing)
    excess = _where_all(at, [p.key_excess for p in points])
    found = []
    for quality in range(at[0], at[-1] + 1):
        tried = measured.get(quality)
        if tried is not None:
            found.append(PlanePoint(tried.prediction(trials, viewing=viewing)))
            continue
        sizes = {part: float(np.exp(curve(quality))) for part, curve in size.items()}
        prediction = Prediction(
            recipe=points[0].recipe.with_quality(quality),
            deinterlace=trials.deinterlace,
            size_bytes=Estimate(
                expected=round(sizes["expected"]), low=round(sizes["low"] * (1 - _BETWEEN)), high=round(sizes["high"] * (1 + _BETWEEN))
            ),
            quality=Quality(value=round(ssim(quality), 3)),
            psnr_db=round(psnr(quality), 3),
            fidelity=Fidelity.of(detail(quality), viewing=viewing, noise_kept=round(noise(quality), 3) if noise else None),
            encode_seconds=Estimate(**{part: float(np.exp(curve(quality))) for part, curve in time.items()}),
            measured=False,
            trial_seconds=trials.trial_seconds,
            length_seconds=trials.duration_seconds,
            worst=worst(quality) if worst is not None else None,
            key_excess=round(excess(quality), 1) if excess is not None else None,
        )
        found.append(PlanePoint(prediction))
    return found


def _worst_between(points: list[TrialPoint], at: list[int], viewing: Viewing) -> Callable[[float], Worst] | None:
    """What recipes between make of the hardest part; None where it was not tried with all."""
    known = [one for p in points if (one := p.worst(viewing)) is not None and one.kbps > 0]
    if len(known) < len(points):
        return None
    kbps = _through(at, [float(np.log(one.kbps)) for one in known])
    detail = _where_all(at, [one.detail_db for one in known])
    return lambda quality: Worst(
        at_seconds=known[0].at_seconds, kbps=round(float(np.exp(kbps(quality))), 1), detail_db=round(detail(quality), 3) if detail else None
    )


def nearest_in_size(curve: Sequence[PlanePoint], size_bytes: float) -> PlanePoint:
    """The point whose size is nearest to another, as a ratio."""
    return min(curve, key=lambda point: abs(float(np.log(point.size / size_bytes))))


def bytes_against(curve: Sequence[PlanePoint], other: Sequence[PlanePoint]) -> float | None:
    """How many more bytes a curve takes than another for the same detail, as a part, on the mean of the logarithms over the detail that
    both reach; None where they share less than :data:`_SHARED_DB`. (The mean of Bjontegaard, ITU-T VCEG-M33, with shape-preserving
    cubics.)"""
    rising = [outermost(one) for one in (curve, other)]
    low, high = max(one[0].fidelity for one in rising), min(one[-1].fidelity for one in rising)
    if high - low < _SHARED_DB:
        return None
    from scipy.interpolate import PchipInterpolator  # takes half a second to load

    through = [PchipInterpolator([p.fidelity for p in one], np.log([p.size for p in one])) for one in rising]
    means = [float(one.integrate(low, high)) / (high - low) for one in through]
    return float(np.exp(means[0] - means[1]) - 1)


def smaller_below(curve: Sequence[PlanePoint], other: Sequence[PlanePoint]) -> float | None:
    """The detail, decibels, below which a curve takes fewer bytes than another for the same; None where it does nowhere that both reach."""
    rising = [outermost(one) for one in (curve, other)]
    low, high = max(one[0].fidelity for one in rising), min(one[-1].fidelity for one in rising)
    if high <= low:
        return None
    at = np.linspace(low, high, _STEPS)
    mine, its = (np.interp(at, [p.fidelity for p in one], np.log([p.size for p in one])) for one in rising)
    less = mine < its
    if not less[0]:
        return None
    return float(at[-1]) if less.all() else float(at[int(np.argmin(less)) - 1])


def outermost(curve: Sequence[PlanePoint]) -> list[PlanePoint]:
    """From the smallest on, those that keep more than every smaller one: of a curve, whose trials scatter a little, or of all."""
    found: list[PlanePoint] = []
    for point in sorted(curve, key=lambda p: p.size):
        if not found or point.fidelity > found[-1].fidelity + 1e-6:
            found.append(point)
    return found


def _where_all(at: list[int], values: list[float | None]) -> Callable[[float], float] | None:
    """The same where all points have a value; None where some have none."""
    known = [value for value in values if value is not None]
    return _through(at, known) if len(known) == len(at) else None


def _through(at: list[int], values: list[float]) -> Callable[[float], float]:
    """A curve through one or more points, ``at`` ascending."""
    if len(at) == 1:
        return lambda _quality: values[0]
    from scipy.interpolate import PchipInterpolator

    curve = PchipInterpolator(np.array(at, float), np.array(values, float))
    return lambda quality: float(curve(quality))
