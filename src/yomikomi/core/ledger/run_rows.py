"""What the run's list shows of each copy: read by plain SQL, since a night may hold thousands of them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import text

from yomikomi.core.ledger.store import Room, Store
from yomikomi.core.run.night import Span
from yomikomi.core.run.scheduler import State

_ROWS = """
SELECT copies.id, carriers.label, copies.path, copies.state, copies.trouble, copies.ended_at,
       json_extract(copies.predicted, '$.size_bytes.low'), json_extract(copies.predicted, '$.size_bytes.expected'),
       json_extract(copies.predicted, '$.size_bytes.high'), json_extract(copies.predicted, '$.encode_seconds.low'),
       json_extract(copies.predicted, '$.encode_seconds.expected'), json_extract(copies.predicted, '$.encode_seconds.high'),
       json_extract(copies.result, '$.size_bytes'), json_extract(copies.result, '$.encode_seconds')
FROM copies JOIN takes ON takes.id = copies.take_id JOIN carriers ON carriers.id = takes.carrier_id {where}
"""
_JOBS = "SELECT copy_id, kind, state, held, rank, json_extract(task, '$.recipe'), worker, attempts FROM jobs {where} ORDER BY id"
# Copies that are read in one piece: some hundredths of a second.
_AT_ONCE = 200


@dataclass(frozen=True)
class RunRow:
    """``step``: what is done or comes next, encode or verify; ``held``: by a person; ``sizes``: bytes as predicted, ``seconds`` to
    encode; ``size``, ``took``: what it came to."""

    copy: int
    carrier: str
    name: str
    state: str
    trouble: str
    ended_at: str | None
    recipe: str
    rank: float
    step: str
    paused: bool
    held: bool
    attempts: int
    sizes: Span | None
    seconds: Span | None
    size: int | None
    took: float | None

    @property
    def live(self) -> bool:
        return self.state in {"waiting", "running"}


class RunRowRoom(Room):
    def __init__(self, store: Store) -> None:
        super().__init__(store)
        self._unread: list[int] | None = None  # what comes first stands last

    def all(self) -> list[RunRow]:
        return self.rows(self.all_ids())

    def all_ids(self) -> list[int]:
        with self._store.session() as session:
            return [row[0] for row in session.execute(text("SELECT id FROM copies ORDER BY id"))]

    def since(self, at: datetime) -> list[RunRow]:
        """Of copies that ended since then (with its zone), or did not end yet: what a report is made of."""
        with self._store.session() as session:
            query = text("SELECT id FROM copies WHERE state IN ('waiting', 'running') OR ended_at >= :edge")
            ids = [row[0] for row in session.execute(query, {"edge": at.astimezone(UTC).isoformat(timespec="seconds")})]
        return self.rows(ids)

    def ended(self, most: int) -> list[RunRow]:
        """Copies that ended, the newest first."""
        with self._store.session() as session:
            query = text("SELECT id FROM copies WHERE state NOT IN ('waiting', 'running') ORDER BY id DESC LIMIT :most")
            ids = [row[0] for row in session.execute(query, {"most": most})]
        return self.rows(ids)[::-1]

    def changed(self) -> list[RunRow]:
        """Of copies that changed since this was last asked; at first of all of them, what is to be made before what was made. Some
        hundred at once: as long as :attr:`has_more`, ask again. Those that are gone are not among them."""
        touched = self._store.take_touched_copies()
        if self._unread is None:
            with self._store.session() as session:
                query = text("SELECT id FROM copies ORDER BY state NOT IN ('waiting', 'running') DESC, id")
                self._unread = [row[0] for row in session.execute(query)]
        now, self._unread = self._unread[-_AT_ONCE:], self._unread[:-_AT_ONCE]
        return self.rows({*touched, *now})

    @property
    def has_more(self) -> bool:
        """Not all copies were read yet."""
        return bool(self._unread)

    def rows(self, copies: Iterable[int]) -> list[RunRow]:
        """Of some copies, in the order of their ids. A document that is damaged costs its figures."""
        wanted = sorted(set(copies))
        return [row for start in range(0, len(wanted), _AT_ONCE) for row in self._some(wanted[start : start + _AT_ONCE])]

    def _some(self, copies: list[int]) -> list[RunRow]:
        """In a transaction of their own, so that others have their turn."""
        ids = ",".join(map(str, copies))
        jobs: dict[int, list[Any]] = {}
        with self._store.session() as session:
            for row in session.execute(text(_JOBS.format(where=f"WHERE copy_id IN ({ids})"))):
                jobs.setdefault(row[0], []).append(row)
            found = [_row(row, jobs.get(row[0], [])) for row in session.execute(text(_ROWS.format(where=f"WHERE copies.id IN ({ids})")))]
        return sorted(found, key=lambda row: row.copy)


def _row(row: Any, jobs: list[Any]) -> RunRow:
    open_jobs = [job for job in jobs if not State(job[2]).ended]
    now = open_jobs[0] if open_jobs else jobs[-1] if jobs else None
    return RunRow(
        copy=row[0], carrier=row[1], name=Path(row[2]).name, state=row[3], trouble=row[4] or "", ended_at=row[5],
        recipe=(jobs[0][5] or "") if jobs else "", rank=now[4] if now is not None else 0.0, step=now[1] if now is not None else "",
        paused=any(job[2] == State.FROZEN for job in jobs), held=any(bool(job[3]) for job in open_jobs),
        attempts=sum(job[7] for job in jobs), sizes=_span(row[6:9]), seconds=_span(row[9:12]), size=row[12], took=row[13],
    )  # fmt: skip


def _span(found: Any) -> Span | None:
    low, expected, high = found
    if not all(isinstance(one, int | float) for one in (low, expected, high)):
        return None
    return Span(float(low), float(expected), float(high))
