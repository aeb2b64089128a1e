"""The rules of the run: what is made next, how an ended copy is written down, and when the rest will be done."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.job_rows import made_notice
from yomikomi.core.ledger.naming import copy_stem, safe_name
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.sets.planning import PlannedCopy, check_folders
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work.new_file import free_name
from yomikomi.core.work.notices import Notice


def ask_copy(record: Record, view: CarrierView, recipe: Recipe, predicted: Prediction | None, outlet: Outlet | None = None) -> int:
    """Put a copy of a carrier's take into the run, under a name that is free and that no waiting copy will take; its id. Of a take that is
    split every part is a copy of its own, for which nothing is predicted; the id of the first."""
    assert view.treatment is not None
    return _ask(record, view, recipe, view.treatment, copy_stem(view, recipe), predicted, outlet)[0]


def ask_set(record: Record, view: CarrierView, planned: Sequence[PlannedCopy], predicted: Sequence[Prediction | None]) -> list[int]:
    """Put all copies of a set into the run that can be made, named by what the set calls them; their ids. Raises WrongUseError where one
    is to be put into a folder that is not there."""
    check_folders(planned)
    stem = safe_name(f"{view.label} {view.title}")
    return [
        number
        for one, told in zip(planned, predicted, strict=True)
        if not one.wrong
        for number in _ask(record, view, one.recipe, one.treatment, f"{stem}-{safe_name(one.name)}", told, one.outlet, one.folder)
    ]


def _ask(
    record: Record, view: CarrierView, recipe: Recipe, treatment: Treatment, stem: str, predicted: Prediction | None,
    outlet: Outlet | None, folder: Path | None = None,
) -> list[int]:
    assert view.take is not None
    folder, seconds = folder or record.workspace.folder / "copies", view.judged.duration_seconds if view.judged is not None else math.inf
    parts = [part for part in treatment.parts if (part.get(Trim) or Trim()).start < seconds]
    asked = []
    for number, part in enumerate(parts, 1):
        name = f"{stem}-part{number}" if len(parts) > 1 else stem
        target = free_name(folder, name, f".{recipe.container}", taken=record.copies.planned_names(folder, name))
        asked.append(record.copies.ask(view.take.id, recipe, part, predicted if len(parts) == 1 else None, target, outlet))
    return asked


def write_made(record: Record, copy: CopyView, result: CopyResult) -> Notice:
    """A copy was made in one piece: whether it stands its checks is written down, and told."""
    record.copies.end(copy.id, result=result)
    return made_notice(copy.path.name, result)


def write_failed(record: Record, copy: CopyView, error: YomikomiError | None) -> None:
    record.copies.end(copy.id, result=None, state="failed", trouble=str(error) if error else "failed")
