"""Where to look for a size, of codecs that hit it by their constant quality."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.balance.curves import plane_points
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.rates import TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import Reporter

# A first guess: the copy itself tells the rest.
_SEGMENTS = 4


def quality_for_size(path: Path, reading: Reading, treatment: Treatment, recipe: Recipe, reporter: Reporter) -> float:
    """The quality value at which trials come nearest to the size that a recipe asks for."""
    assert isinstance(recipe.rate, TargetSize)
    probes = tuple(recipe.with_quality(quality) for quality in recipe.row.probes)
    trials = run_trials(TrialRequest(path, reading, treatment, probes, segments=_SEGMENTS), reporter)
    wanted = recipe.rate.size_bytes
    points = plane_points(trials)[recipe.codec]
    return float(min(points, key=lambda point: abs(point.size - wanted)).prediction.recipe.level)
