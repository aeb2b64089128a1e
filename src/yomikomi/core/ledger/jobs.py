"""The run's room of the record: its jobs, durable, and its rules."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.copies import CopyRoom
from yomikomi.core.ledger.job_rows import BEGUN, INTERRUPTED, UNFINISHED, add_jobs, add_line, end_copy, made_notice
from yomikomi.core.ledger.schema import Copy, JobRow, RunRulesRow
from yomikomi.core.ledger.store import Room, Store, now_text
from yomikomi.core.run.keeping import Ended, Work
from yomikomi.core.run.rules import RunRules
from yomikomi.core.run.scheduler import Entry, State
from yomikomi.core.run.task import Task
from yomikomi.core.work.notices import Notice

# What an entry is made of.
_COLUMNS = (
    JobRow.id, JobRow.rank, JobRow.after_id, JobRow.state, JobRow.attempts, JobRow.held, JobRow.stopping, JobRow.copy_id,
)  # fmt: skip


@dataclass(frozen=True)
class JobView:
    """A job for people. ``log``: lines that begin with the time (UTC)."""

    id: int
    copy_id: int
    kind: str
    state: State
    attempts: int
    held: bool
    worker: str
    log: tuple[str, ...]
    began_at: str | None
    ended_at: str | None


class JobRoom(Room):
    def __init__(self, store: Store, copies: CopyRoom) -> None:
        super().__init__(store)
        self._copies = copies

    def entries(self, known: Collection[int] = ()) -> list[Entry]:
        """Of copies that are not finished; those that somebody else has begun, and ``known`` ones, are left out. Jobs get ever larger
        numbers, so that of a long run only what is new is looked at."""
        last = max(known, default=0)
        with self._store.session() as session:
            query = select(*_COLUMNS).join(Copy).where(Copy.state.in_(UNFINISHED), JobRow.id > last, JobRow.state.not_in(BEGUN))
            return [_entry(row) for row in session.execute(query.order_by(JobRow.id)) if row.id not in known]

    def of_copies(self, copies: Sequence[int]) -> list[Entry]:
        """All jobs of some copies; those that have none yet get them."""
        with self._store.session() as session:
            for copy in session.scalars(select(Copy).where(Copy.id.in_(copies), ~Copy.jobs.any())):
                add_jobs(session, copy)
            query = select(*_COLUMNS).where(JobRow.copy_id.in_(copies)).order_by(JobRow.id)
            return [_entry(row) for row in session.execute(query)]

    def views(self, copy_id: int) -> list[JobView]:
        with self._store.session() as session:
            query = select(JobRow).where(JobRow.copy_id == copy_id).order_by(JobRow.id)
            return [
                JobView(
                    row.id, row.copy_id, row.kind, State(row.state), row.attempts, row.held, row.worker, tuple(map(str, row.log)),
                    row.began_at, row.ended_at,
                )
                for row in session.scalars(query)
            ]  # fmt: skip

    def peaks(self) -> list[int]:
        """Bytes of memory that the newest encodes took at most."""
        with self._store.session() as session:
            query = select(JobRow.peak_bytes).where(JobRow.peak_bytes.is_not(None)).order_by(JobRow.id.desc()).limit(20)
            return [int(one) for one in session.scalars(query) if one]

    def work(self, job_id: int) -> Work:
        """What a job is given. Raises UnfinishedError with the reason where it cannot be made."""
        with self._store.session() as session:
            row = session.get_one(JobRow, job_id)
            task, copy_id = Task.model_validate(row.task), row.copy_id
        work = self._copies.work(copy_id)
        request = CopyRequest(work.path, work.target, work.reading, work.treatment, work.recipe, outlet=work.outlet)
        return Work(copy_id, task.kind, f"{task.kind} {work.target.name}", work.carrier, request)

    def there(self) -> bool:
        return self._store.workspace.is_there

    def write(self, entries: Sequence[Entry], ended: Ended | None = None) -> Notice | None:
        """What the scheduler changed, and with what a job ended, in one transaction; what is to be told of it. Nothing is acted on before
        this came back."""
        if not entries and ended is None:
            return None
        with self._store.session() as session:
            rows = {row.id: row for row in session.scalars(
                select(JobRow).where(JobRow.id.in_([one.id for one in entries])).options(selectinload(JobRow.copy))
            )}  # fmt: skip
            for one in entries:
                if one.id in rows:
                    _put(rows[one.id], one)
            told = self._end(session, ended) if ended is not None else None
            session.flush()
            for copy in {row.copy_id: row.copy for row in rows.values()}.values():
                _follow(session, copy, ended)
            return told

    def _end(self, session: Session, ended: Ended) -> Notice | None:
        row = session.get_one(JobRow, ended.job)
        row.peak_bytes, row.ended_at, row.worker = ended.peak_bytes, now_text(), ended.worker
        add_line(row, ended.words)
        if isinstance(ended.result, CopyResult) and row.state == State.DONE.value:
            end_copy(session, row.copy, result=ended.result, state="", trouble="")
            return made_notice(Path(row.copy.path).name, ended.result)
        return None

    def rules(self) -> RunRules:
        with self._store.session() as session:
            row = session.scalar(select(RunRulesRow))
            return RunRules.model_validate(row.document) if row else RunRules()

    def save_rules(self, rules: RunRules) -> None:
        with self._store.session() as session:
            row = session.scalar(select(RunRulesRow))
            if row is None:
                session.add(RunRulesRow(changed_at=now_text(), document=rules.model_dump(mode="json")))
            else:
                row.changed_at, row.document = now_text(), rules.model_dump(mode="json")


def _entry(row: Any) -> Entry:
    return Entry(
        id=row.id, rank=row.rank, after=row.after_id, state=State(row.state), attempts=row.attempts, held=bool(row.held),
        stopping=bool(row.stopping), copy=row.copy_id,
    )  # fmt: skip


def _put(row: JobRow, one: Entry) -> None:
    if one.state.begun and row.state not in BEGUN:
        row.began_at = now_text()
        add_line(row, "begun")
    elif row.state != one.state.value and not one.state.begun:
        add_line(row, one.state.value)
    row.state, row.rank, row.attempts, row.held, row.stopping = one.state.value, one.rank, one.attempts, one.held, one.stopping


def _follow(session: Session, copy: Copy, ended: Ended | None) -> None:
    """A copy's state is that of its jobs, as long as it has no result."""
    states = {State(job.state) for job in copy.jobs}
    error = ended.error if ended is not None else None
    if State.ASIDE in states:
        if copy.state != "failed":
            end_copy(session, copy, result=None, state="failed", trouble=str(error) if isinstance(error, YomikomiError) else "failed")
    elif State.CANCELLED in states and not any(state.begun for state in states):
        if copy.state != "cancelled":
            end_copy(session, copy, result=None, state="cancelled", trouble="stopped by hand")
    elif any(state.begun for state in states):
        copy.state, copy.trouble, copy.ended_at = "running", "", None
    elif State.WAITING in states or State.HELD in states:
        if copy.state in {"failed", "cancelled"}:
            copy.trouble = ""
        if ended is not None and ended.cut_off and any(job.id == ended.job for job in copy.jobs):
            copy.trouble = INTERRUPTED
        copy.state, copy.ended_at = "running" if State.DONE in states and copy.trouble != INTERRUPTED else "waiting", None
