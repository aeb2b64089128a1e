"""Predicting one recipe, for the command line and before a copy."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.balance.besides import other_bytes
from yomikomi.core.balance.curves import nearest_in_size, plane_points
from yomikomi.core.balance.detail import IDENTICAL_DB
from yomikomi.core.balance.metrics import psnr_db, ssim_db
from yomikomi.core.balance.models import Estimate, Fidelity, Prediction, Quality, TrialSet
from yomikomi.core.balance.segments import USUAL_SEGMENTS
from yomikomi.core.balance.trials import TrialProgress, TrialRequest, run_trials, segments_for
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.rates import SIZE_AIM, AverageRate, ConstantRate, TargetSize
from yomikomi.core.recipes.recipe import KEY_SECONDS, Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.timing import length_of
from yomikomi.core.video.units import size_text
from yomikomi.core.work import Reporter

# What a rate that is aimed at comes out as, as a part: corrected until it does (core/copying/aiming.py), a constant one by its filling.
# Of codecs that are hit by their quality, whose finest step is up to a twentieth of the bytes, up to so much less.
_HIT, _HIT_BY_QUALITY = 0.02, 0.06
# What a drive reads and writes at once, bytes a second (common practice, no source).
_DRIVE_BYTES_A_SECOND = 60e6
# Time of an encode in two passes over that of one (x264 and x265: the first pass leaves the costly searches out; measured).
_TWO_PASSES = 1.6


@dataclass(frozen=True)
class PredictRequest:
    path: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe
    viewing: Viewing = "television"

    @property
    def segments(self) -> tuple[int, int]:
        """How many parts are tried, and how many more of them at most."""
        return segments_for(length_of(self.reading, self.treatment))


def predict(request: PredictRequest, reporter: Reporter) -> Prediction:
    """Try a recipe on parts of a take and raise the result to the whole. Where a size or an average is asked for, the size is known, and
    trials at constant quality tell what it will look like. Raises what :func:`run_trials` raises, and WrongUseError for a size that no
    recipe can be tried at."""
    recipe = request.recipe
    if recipe.untouched:
        return untouched_prediction(request.reading, request.treatment, recipe, request.viewing)
    meant = meant_bytes(request.reading, request.treatment, recipe)
    if meant is None or not recipe.row.probes:
        tried = _trials(request, (recipe,), *request.segments, reporter)
        found = tried.points[0].prediction(tried, viewing=request.viewing)
        return found if meant is None else found.model_copy(update={"size_bytes": _hit(meant, recipe)})
    return aimed(nearest_quality(request, meant, reporter), recipe, meant)


def nearest_quality(request: PredictRequest, size_bytes: float, reporter: Reporter) -> Prediction:
    """Of a recipe's codec, constant quality that comes nearest to a size, by trials."""
    probes = tuple(request.recipe.with_quality(quality) for quality in request.recipe.row.probes)
    points = plane_points(_trials(request, probes, USUAL_SEGMENTS, 0, reporter), request.viewing)[request.recipe.curve]
    return nearest_in_size(points, size_bytes).prediction


def sized_prediction(near: Prediction, rate: TargetSize) -> Prediction:
    """Of the same codec at a size: ``near`` is what constant quality comes nearest to it."""
    return aimed(near, near.recipe.model_copy(update={"rate": rate}), SIZE_AIM * rate.size_bytes)


def aimed(near: Prediction, recipe: Recipe, meant: float) -> Prediction:
    """Of a recipe that hits ``meant`` bytes: it looks like constant quality of that size."""
    time = near.encode_seconds
    # What a codec without two passes is encoded again for: twice at the least.
    factor = 1.0 if isinstance(recipe.rate, ConstantRate) or getattr(recipe.rate, "passes", 2) == 1 else _TWO_PASSES
    slower = Estimate(expected=time.expected * factor, low=time.low, high=time.high * 2 * factor)
    return near.model_copy(update={"recipe": recipe, "size_bytes": _hit(meant, recipe), "encode_seconds": slower, "measured": False})


def untouched_prediction(reading: Reading, treatment: Treatment, recipe: Recipe, viewing: Viewing = "television") -> Prediction:
    """Of a copy of the streams as they are: the take's own size, as far as it is kept, and nothing lost."""
    share = length_of(reading, treatment) / max(0.04, reading.duration_seconds)
    size = share * reading.size_bytes
    # A part begins and ends at key pictures, up to some seconds beside what was asked for.
    half = 0.01 if share > 0.999 else min(0.5, 0.02 + KEY_SECONDS / max(1.0, share * reading.duration_seconds))
    seconds = 0.5 + size / _DRIVE_BYTES_A_SECOND
    return Prediction(
        recipe=recipe, deinterlace="leave",
        size_bytes=Estimate(expected=round(size), low=round(size * (1 - half)), high=round(size * (1 + half))),
        quality=Quality(value=ssim_db(1.0)), psnr_db=psnr_db(0.0), fidelity=Fidelity.of(IDENTICAL_DB, viewing=viewing, noise_kept=None),
        encode_seconds=Estimate(expected=seconds, low=seconds / 3, high=seconds * 5), measured=False,
    )  # fmt: skip


def _trials(request: PredictRequest, recipes: tuple[Recipe, ...], segments: int, more: int, reporter: Reporter) -> TrialSet:
    return run_trials(TrialRequest(request.path, request.reading, request.treatment, recipes, segments, more), reporter)


def meant_bytes(reading: Reading, treatment: Treatment, recipe: Recipe) -> float | None:
    """Of the whole file, where the recipe says it; raises WrongUseError for a size that the sound alone exceeds."""
    rate = recipe.rate
    other = other_bytes(reading, treatment, recipe)
    if isinstance(rate, TargetSize):
        if rate.size_bytes <= other:
            raise WrongUseError(
                f"{size_text(rate.size_bytes)} cannot hold the sound alone, which takes {size_text(other)}.",
                remedy="Ask for a larger size, or a lower sound rate.",
            )
        return SIZE_AIM * rate.size_bytes
    if isinstance(rate, AverageRate | ConstantRate):
        return rate.kbps * 125 * length_of(reading, treatment) + other
    return None


def _hit(meant: float, recipe: Recipe) -> Estimate:
    under = _HIT if recipe.row.two_passes or not isinstance(recipe.rate, TargetSize) else _HIT_BY_QUALITY
    return Estimate(expected=round(meant), low=round(meant * (1 - under)), high=round(meant * (1 + _HIT / 2)))


__all__ = ["PredictRequest", "TrialProgress", "predict"]
