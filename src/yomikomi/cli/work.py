"""Running the core's jobs from the terminal: in worker processes, with progress on standard error."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

from platformdirs import user_cache_dir
from pydantic import ValidationError
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.errors import CancelledError, UnreadableError, WrongUseError
from yomikomi.core.reading.cache import CachedReadRequest, read_cached
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest
from yomikomi.core.reading.sentences import findings
from yomikomi.core.run.copying import CopyRequest, CopyResult, make_copy
from yomikomi.core.treatment.advice import fields_treatment, suggested
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job, JobState, Reporter
from yomikomi.core.work.new_file import clear_parts

# Seconds between lines that say how far it is, where there is no terminal to draw on.
_HEARTBEAT_S = 5.0


def run_job(
    function: Callable[[Any, Reporter], Any], request: Any, name: str, *, quiet: bool, urgent: bool = False, heartbeat: bool = False
) -> Any:
    """Run a job to its end, showing how far it is; Ctrl+C stops it in order, and what it gives all the same is its answer."""
    job = Job(function, request, name=name, urgent=urgent, grace=2.0).start()
    console = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(), TextColumn("{task.percentage:>3.0f} %"), TimeRemainingColumn())
    try:
        with Progress(*columns, console=console, transient=True, disable=quiet or not sys.stderr.isatty()) as bar:
            task = bar.add_task(name, total=1.0)
            beats = heartbeat and not sys.stderr.isatty()
            told_at = time.monotonic()

            def watch(running: Job) -> None:
                part = getattr(running.progress, "part", None)
                step = getattr(running.progress, "step", "")
                nonlocal told_at
                if beats and part is not None and time.monotonic() - told_at > _HEARTBEAT_S:
                    told_at = time.monotonic()
                    print("   ", *filter(None, (name, step)), f"{100 * part:.0f} %", file=sys.stderr, flush=True)
                if part is not None:
                    bar.update(task, completed=part, description=f"{name} {step}".strip())

            job.wait(watch=watch)
    except KeyboardInterrupt:
        job.cancel()
        job.wait(timeout=8)
        if job.state is JobState.DONE:
            return job.answer()
        raise CancelledError(f"{name}: stopped.") from None
    return job.answer()


def read_file(path: Path, *, quiet: bool, mode: Literal["full", "quick"] = "full", again: bool = False) -> Reading:
    """Measured, or taken from what was kept of the same content."""
    folder = Path(user_cache_dir("yomikomi")) / "readings"
    wanted = CachedReadRequest(ReadRequest(path, mode=mode), folder, again=again)
    reading: Reading = run_job(read_cached, wanted, "reading", quiet=quiet)
    return reading


def choose_treatment(reading: Reading, wish: str) -> Treatment:
    """``auto`` follows the reading; the others are taken at their word, with the field order that was found."""
    if wish == "auto":
        return fields_treatment(reading)
    if wish not in {d.value for d in Deinterlace}:
        raise WrongUseError(f"There is no way to deinterlace called {wish!r}.", remedy="Use auto, leave, single or double.")
    order = reading.scan.field_order
    if wish == "leave":
        return Treatment.of_fields(Deinterlace.LEAVE, FieldOrder(order) if order else None)
    if order is None:
        flagged = reading.scan.flagged if reading.scan.flagged in {"tff", "bff"} else None
        if reading.scan.kind == "progressive" or flagged is None:
            raise WrongUseError(
                f"{reading.file} has no fields to deinterlace ({reading.scan.kind}).", remedy="Use --deinterlace leave or auto."
            )
        return Treatment.of_fields(Deinterlace(wish), FieldOrder(flagged))
    return Treatment.of_fields(Deinterlace(wish), FieldOrder(order))


def treatment_for(reading: Reading, file: Path | None, *, as_suggested: bool, fields: str) -> Treatment:
    """What a person asked for: a document, all that is suggested, or only what happens to fields."""
    if file is not None and as_suggested:
        raise WrongUseError("A treatment is either given or suggested.", remedy="Leave out --treatment or --as-suggested.")
    if file is not None:
        return read_treatment(file)
    return suggested(reading, findings(reading)) if as_suggested else choose_treatment(reading, fields)


def read_treatment(file: Path) -> Treatment:
    """From JSON: a treatment, or the answer of ``advise`` that holds one. Raises UnreadableError, WrongUseError."""
    try:
        document = json.loads(file.read_bytes())
        return Treatment.model_validate(document.get("treatment", document) if isinstance(document, dict) else document)
    except OSError as error:
        raise UnreadableError(f"{file.name} cannot be read: {error.strerror}.", remedy="Check the name.", path=file) from error
    except (ValueError, RecursionError) as error:
        told = error.errors()[0]["msg"] if isinstance(error, ValidationError) else "it is no JSON"
        raise WrongUseError(f"{file.name} is no treatment: {told}.", remedy="See `yomikomi advise FILE --json`.") from error


def predict_file(path: Path, reading: Reading, treatment: Treatment, recipe: Recipe, *, quiet: bool) -> Prediction:
    prediction: Prediction = run_job(predict, PredictRequest(path, reading, treatment, recipe), "trying", quiet=quiet)
    return prediction


def copy_file(
    path: Path, target: Path, reading: Reading, treatment: Treatment, recipe: Recipe, *, quiet: bool, fill_gaps: bool = False
) -> CopyResult:
    request = CopyRequest(path, target, reading, treatment, recipe, fill_gaps)
    try:
        result: CopyResult = run_job(make_copy, request, "copying", quiet=quiet)
    finally:
        clear_parts(target.parent, target)  # in case the worker was ended before it could clear up
    return result
