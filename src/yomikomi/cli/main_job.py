"""The steps of the main job on the command line: reading, prediction, copy. Each loads its own part of the core when it comes."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Literal

from platformdirs import user_cache_dir

from yomikomi.cli.work import run_job

if TYPE_CHECKING:
    from yomikomi.core.balance.models import Prediction
    from yomikomi.core.balance.viewing import Viewing
    from yomikomi.core.copying.result import CopyResult
    from yomikomi.core.outlets.model import Outlet
    from yomikomi.core.reading.models import Reading
    from yomikomi.core.recipes.recipe import Recipe
    from yomikomi.core.treatment.model import Treatment


def read_file(path: Path, *, quiet: bool, mode: Literal["full", "quick"] = "full", again: bool = False) -> Reading:
    """Measured, or taken from what was kept of the same content."""
    from yomikomi.core.video.media import describe_failure, is_regular

    if not is_regular(path):
        raise describe_failure(path)  # said at once, and not by a worker that has to load first
    from yomikomi.core.reading.cache import CachedReadRequest, read_cached
    from yomikomi.core.reading.scanner import ReadRequest

    folder = Path(user_cache_dir("yomikomi")) / "readings"
    wanted = CachedReadRequest(ReadRequest(path, mode=mode), folder, again=again)
    reading: Reading = run_job(read_cached, wanted, "reading", quiet=quiet)
    return reading


def predict_file(
    path: Path, reading: Reading, treatment: Treatment, recipe: Recipe, *, quiet: bool, viewing: Viewing = "television"
) -> Prediction:
    from yomikomi.core.balance.prediction import PredictRequest, predict

    prediction: Prediction = run_job(predict, PredictRequest(path, reading, treatment, recipe, viewing=viewing), "trying", quiet=quiet)
    return prediction


def copy_file(
    path: Path, target: Path, reading: Reading, treatment: Treatment, recipe: Recipe, *, quiet: bool, fill_gaps: bool = False,
    outlet: Outlet | None = None,
) -> CopyResult:
    from yomikomi.core.copying.making import CopyRequest, make_copy
    from yomikomi.core.work.new_file import clear_parts

    request = CopyRequest(path, target, reading, treatment, recipe, fill_gaps, outlet)
    try:
        result: CopyResult = run_job(make_copy, request, "copying", quiet=quiet)
    finally:
        clear_parts(target.parent, target)  # in case the worker was ended before it could clear up
    return result
