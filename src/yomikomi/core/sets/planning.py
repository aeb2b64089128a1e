"""What a set comes to for one take: each copy's treatment and recipe, made to fit, and what all of them would cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.balance.serving import Footage
from yomikomi.core.balance.trials import TrialProgress
from yomikomi.core.errors import WrongUseError
from yomikomi.core.outlets.fitting import together
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.shaping import treated_for
from yomikomi.core.sets.model import CopySet, SetCopy
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Fields
from yomikomi.core.work import Relay, Reporter


@dataclass(frozen=True)
class PlannedCopy:
    """``wrong``: what of it cannot be made to fit; such a copy is not made. ``added``: in words, what its treatment does besides.
    ``folder``: where it is put, None: where copies are as a rule."""

    name: str
    recipe: Recipe
    treatment: Treatment
    outlet: Outlet | None
    wrong: tuple[str, ...] = ()
    added: tuple[str, ...] = ()
    folder: Path | None = None


def plan_set(wanted: CopySet, reading: Reading, treatment: Treatment) -> list[PlannedCopy]:
    """Every copy of a set, in its order."""
    found = [_planned(one, reading, treatment) for one in wanted.copies]
    return [replace(one, folder=Path(asked.folder) if asked.folder else None) for one, asked in zip(found, wanted.copies, strict=True)]


def check_folders(planned: Sequence[PlannedCopy]) -> None:
    """Raises WrongUseError where a copy is to be put into a folder that is not there: its drive may be away."""
    for one in planned:
        if one.folder is not None and not one.wrong and not one.folder.is_dir():
            raise WrongUseError(
                f"The folder for the copy “{one.name}” is not there: {one.folder}.",
                remedy="Connect its drive, or edit the set. Nothing was begun.",
            )


def _planned(wanted: SetCopy, reading: Reading, treatment: Treatment) -> PlannedCopy:
    meant = treated_for(wanted.recipe, _treated(wanted, treatment), source_format(reading))
    if not wanted.outlets:
        return PlannedCopy(wanted.name, wanted.recipe, meant, None)
    common = together(wanted.places)
    if common.outlet is None:
        return PlannedCopy(wanted.name, wanted.recipe, meant, None, wrong=common.conflicts)
    reshaped = Footage(reading, meant).reshaped(common.outlet)
    added = tuple(Footage(reading, meant).added_by(reshaped)) if reshaped is not None else ()
    footage = Footage(reading, reshaped or meant)
    recipe, wrong = footage.fitting(wanted.recipe, common.outlet)
    return PlannedCopy(wanted.name, recipe, footage.treatment, common.outlet, tuple(one.words for one in wrong), added)


def _treated(wanted: SetCopy, treatment: Treatment) -> Treatment:
    if wanted.fields == "kept" and treatment.field_order is not None:
        treatment = treatment.having(Fields(mode=Deinterlace.LEAVE, order=treatment.field_order))
    for step in wanted.steps:
        treatment = treatment.having(step)
    return treatment


@dataclass(frozen=True)
class SetRequest:
    path: Path
    reading: Reading
    copies: tuple[PlannedCopy, ...]


@dataclass(frozen=True)
class SetProgress:
    """``done`` copies of ``of`` are predicted; ``part`` of all, 0…1; ``so_far``: the predictions, None for what could not be."""

    done: int
    of: int
    part: float
    so_far: tuple[Prediction | None, ...]


def predict_set(request: SetRequest, reporter: Reporter) -> tuple[Prediction | None, ...]:
    """One after another, so that the first is known soon. Copies that cannot be made have none. Raises what :func:`predict` raises, but for
    WrongUseError of a single one."""
    found: list[Prediction | None] = []
    count = len(request.copies)
    for one in request.copies:
        inner = Relay(reporter, partial(_part_of_all, found, count))
        try:
            wanted = PredictRequest(request.path, request.reading, one.treatment, one.recipe)
            found.append(None if one.wrong else predict(wanted, inner))
        except WrongUseError:
            found.append(None)
        reporter.report(SetProgress(len(found), count, len(found) / count, tuple(found)))
    return tuple(found)


def _part_of_all(found: list[Prediction | None], count: int, progress: object) -> SetProgress:
    """Of the prediction of one copy."""
    part = progress.part if isinstance(progress, TrialProgress) else 0.0
    return SetProgress(len(found), count, (len(found) + part) / count, tuple(found))
