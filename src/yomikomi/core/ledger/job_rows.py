"""Rows of the run's jobs: made with a copy, written with what the scheduler says, ended with the copy."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.schema import Copy, JobRow
from yomikomi.core.ledger.store import Store, now_text
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.run.scheduler import State
from yomikomi.core.run.task import Task
from yomikomi.core.work.notices import Notice, Weight

# States of jobs that have a process.
BEGUN = (State.RUNNING.value, State.FROZEN.value)
# States of copies that the run has still to do with: a failed one may be tried again.
UNFINISHED = ("waiting", "running", "failed")
# Written beside copies that the program's end interrupted.
INTERRUPTED = "interrupted when the program ended; it goes on from what was finished"
_LOG_KEPT = 100  # lines a job


def log_line(words: str) -> str:
    return f"{now_text()} {words}"


def add_jobs(session: Session, copy: Copy) -> None:
    """What makes a copy and what proves it, behind all that wait."""
    rank = float(session.scalar(select(func.max(JobRow.rank))) or 0.0) + 1.0
    before: JobRow | None = None
    for kind in ("encode", "verify"):
        task = Task(
            kind=kind, source=copy.take.path, target=copy.path, treatment=copy.digest, recipe=Recipe.model_validate(copy.recipe).words
        )
        row = JobRow(
            copy_id=copy.id, kind=kind, task=task.model_dump(mode="json"), state=State.WAITING.value, rank=rank,
            after_id=before.id if before is not None else None, attempts=0, held=False, stopping=False, worker="",
            log=[log_line("asked for")] if before is None else [], began_at=None, ended_at=None, peak_bytes=None,
        )  # fmt: skip
        session.add(row)
        session.flush()
        before = row


def add_line(job: JobRow, words: str) -> None:
    job.log = [*job.log, log_line(words)][-_LOG_KEPT:]


def end_copy(session: Session, copy: Copy, *, result: CopyResult | None, state: str, trouble: str) -> None:
    """``state`` follows from the result unless it is given."""
    copy.state = state or ("verified" if result and result.verified else "doubtful")
    copy.result = result.model_dump(mode="json") if result else None
    copy.trouble, copy.ended_at = trouble or (result.reserves if result else ""), now_text()
    words = {"doubtful": "a check failed"}.get(copy.state, copy.state)
    told = f" ({copy.trouble})" if copy.trouble else ""
    Store.note(session, copy.take.carrier_id, f"copy {Path(copy.path).name}: {words}{told}")


def made_notice(name: str, result: CopyResult) -> Notice:
    """How a copy came out, for people."""
    if not result.verified:
        wrong = ", ".join(check.name for check in result.checks if not check.passed)
        return Notice(Weight.WRONG, f"{name} failed: {wrong}.", f"It is kept as {result.file}; keep the take, and copy again.")
    if result.reserves:
        return Notice(Weight.LOOK, f"{name} is made and verified. Note: {result.reserves}.")
    return Notice(Weight.FINE, f"{name} is made and verified.")
