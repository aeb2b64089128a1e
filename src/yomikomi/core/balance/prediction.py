"""Predicting one recipe, for the command line and before a copy."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from yomikomi.core.balance.besides import other_bytes
from yomikomi.core.balance.curves import PlanePoint, plane_points
from yomikomi.core.balance.models import Estimate, Prediction, TrialSet
from yomikomi.core.balance.segments import USUAL_SEGMENTS
from yomikomi.core.balance.trials import SIZING_SEGMENTS, TrialProgress, TrialRequest, run_trials
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.rates import AverageRate, ConstantRate, TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.timing import length_of
from yomikomi.core.video.units import size_text
from yomikomi.core.work import Reporter

# What a rate that is aimed at comes out as, as a part: corrected until it does (core/run/aiming.py), a constant one by its filling.
_HIT = 0.02
# Time of an encode in two passes over that of one (x264 and x265: the first pass leaves the costly searches out; measured).
_TWO_PASSES = 1.6


@dataclass(frozen=True)
class PredictRequest:
    path: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe
    segments: int = USUAL_SEGMENTS
    more: int = SIZING_SEGMENTS
    viewing: Viewing = "television"


def predict(request: PredictRequest, reporter: Reporter) -> Prediction:
    """Try a recipe on parts of a take and raise the result to the whole. Where a size or an average is asked for, the size is known, and
    trials at constant quality tell what it will look like. Raises what :func:`run_trials` raises, and WrongUseError for a size that no
    recipe can be tried at."""
    recipe = request.recipe
    meant = _meant_bytes(request)
    if meant is None or not recipe.row.probes:
        tried = _trials(request, (recipe,), request.segments, request.more, reporter)
        found = tried.points[0].prediction(tried, viewing=request.viewing)
        return found if meant is None else found.model_copy(update={"size_bytes": _hit(meant)})
    probes = tuple(recipe.with_quality(quality) for quality in recipe.row.probes)
    tried = _trials(request, probes, request.segments, 0, reporter)
    near = _at(plane_points(tried, request.viewing)[recipe.codec], meant)
    time = near.encode_seconds
    factor = _TWO_PASSES if recipe.row.two_passes and getattr(recipe.rate, "passes", 2) == 2 else 1.0
    slower = Estimate(expected=time.expected * factor, low=time.low * factor, high=time.high * factor)
    return near.model_copy(update={"recipe": recipe, "size_bytes": _hit(meant), "encode_seconds": slower, "measured": False})


def _trials(request: PredictRequest, recipes: tuple[Recipe, ...], segments: int, more: int, reporter: Reporter) -> TrialSet:
    return run_trials(TrialRequest(request.path, request.reading, request.treatment, recipes, segments, more), reporter)


def _meant_bytes(request: PredictRequest) -> float | None:
    """Of the whole file, where the recipe says it."""
    rate = request.recipe.rate
    other = other_bytes(request.reading, request.treatment, request.recipe)
    if isinstance(rate, TargetSize):
        if rate.size_bytes <= other:
            raise WrongUseError(
                f"{size_text(rate.size_bytes)} cannot hold the sound alone, which takes {size_text(other)}.",
                remedy="Ask for a larger size, or a lower sound rate.",
            )
        return 0.99 * rate.size_bytes
    if isinstance(rate, AverageRate | ConstantRate):
        return rate.kbps * 125 * length_of(request.reading, request.treatment) + other
    return None


def _hit(meant: float) -> Estimate:
    return Estimate(expected=round(meant), low=round(meant * (1 - _HIT)), high=round(meant * (1 + _HIT)))


def _at(points: list[PlanePoint], meant: float) -> Prediction:
    """What a codec looks like at a size: the point that comes nearest to it."""
    return min(points, key=lambda point: abs(np.log(point.size / meant))).prediction


__all__ = ["PredictRequest", "TrialProgress", "predict"]
