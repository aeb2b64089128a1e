"""The rules of the run: what is made next, how an ended copy is written down, and when the rest will be done."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.making import CopyRequest
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnfinishedError, YomikomiError
from yomikomi.core.ledger.naming import copy_stem, safe_name
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.sets.planning import PlannedCopy, check_folders
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.work.new_file import free_name
from yomikomi.core.work.notices import Notice, Weight


@dataclass(frozen=True)
class Next:
    """A copy to make now, and what its job is given."""

    copy: CopyView
    carrier: str
    request: CopyRequest


@dataclass(frozen=True)
class Planned:
    """A copy that is made or waits; ``starts`` and ``ends`` by the predictions before it, None without its own."""

    copy: CopyView
    starts: datetime | None
    ends: datetime


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
        target = free_name(folder, name, f".{recipe.container}", taken=record.copies.planned_names())
        asked.append(record.copies.ask(view.take.id, recipe, part, predicted if len(parts) == 1 else None, target, outlet))
    return asked


def next_copy(record: Record) -> Next | None:
    """The oldest that waits and can be made, written down as running; those before it that cannot be made are written down as failed."""
    for copy in record.copies.all():
        if copy.state != "waiting":
            continue
        try:
            work = record.copies.work(copy.id)
        except UnfinishedError as error:
            record.copies.end(copy.id, result=None, state="failed", trouble=str(error))
            continue
        record.copies.start(copy.id)
        request = CopyRequest(work.path, work.target, work.reading, work.treatment, work.recipe, outlet=work.outlet)
        return Next(copy, work.carrier, request)
    return None


def write_made(record: Record, copy: CopyView, result: CopyResult) -> Notice:
    """A copy was made: whether it stands its checks is written down, and told."""
    record.copies.end(copy.id, result=result)
    name = copy.path.name
    if not result.verified:
        wrong = ", ".join(check.name for check in result.checks if not check.passed)
        return Notice(Weight.WRONG, f"{name} failed: {wrong}.", f"It is kept as {result.file}; keep the take, and copy again.")
    if result.reserves:
        return Notice(Weight.LOOK, f"{name} is made and verified. Note: {result.reserves}.")
    return Notice(Weight.FINE, f"{name} is made and verified.")


def write_stopped(record: Record, copy: CopyView) -> Notice:
    record.copies.end(copy.id, result=None, state="cancelled", trouble="stopped by hand")
    return Notice(Weight.LOOK, f"{copy.path.name} was stopped; no half file was left.")


def write_failed(record: Record, copy: CopyView, error: YomikomiError | None) -> None:
    record.copies.end(copy.id, result=None, state="failed", trouble=str(error) if error else "failed")


def plan(copies: Sequence[CopyView], now: datetime) -> list[Planned]:
    """What is still to be made, in order, one after another from ``now``."""
    live = [copy for state in ("running", "waiting") for copy in copies if copy.state == state]
    planned = []
    at = now
    for copy in live:
        ends = at + timedelta(seconds=copy.predicted.encode_seconds.expected if copy.predicted else 0.0)
        planned.append(Planned(copy, at if copy.predicted else None, ends))
        at = ends
    return planned
