"""The one store behind the rooms of the record: short transactions, and views that are made once and kept until changed."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Iterator
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import event, func, inspect, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session, configure_mappers, joinedload, selectinload

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.finder_tables import BY_TABLE, FORGET
from yomikomi.core.ledger.schema import (
    Base,
    Carrier,
    Copy,
    Event,
    JobRow,
    Overruling,
    PathSheetRow,
    ReadingRow,
    Take,
    TreatmentRow,
    TrialRow,
)
from yomikomi.core.ledger.troubles import record_trouble
from yomikomi.core.ledger.views import CarrierView, ViewMaker, newest_take
from yomikomi.core.ledger.workspace import Workspace

# Carriers that are read ahead in one piece: with readings, trials and several copies some hundredths of a second.
_AHEAD = 6
_AT_ONCE = 400  # ids in one query; SQLite takes at most some thousands of parameters
_PARTS = tuple(selectinload(part) for part in (Take.readings, Take.overrulings, Take.treatments, Take.trials, Take.copies))
# What a view is made of beside its copies.
_Part = Carrier | Take | PathSheetRow | ReadingRow | Overruling | TreatmentRow | TrialRow


class Store:
    """One process holds the workspace (its lock), so a view stays true until a transaction here touches its carrier. Within the
    process one transaction at a time runs, whatever thread asks: what is read between another's flush and its commit would be kept
    as true for ever."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        self.maker = ViewMaker(workspace)
        self._views: dict[int, CarrierView] = {}
        self._known: list[int] | None = None  # ids of all carriers, as long as none came or went
        self._one_at_a_time = threading.RLock()
        self._touched_copies: set[int] = set()
        self._stale_copies: set[int] = set()
        event.listen(workspace.sessions, "after_flush", self._forget_touched)
        event.listen(workspace.sessions, "after_flush", _index_touched)

    def open(self) -> None:
        """Set up what is otherwise set up at the first question: a moment's work."""
        configure_mappers()
        with self.session() as session:
            session.scalar(select(func.count(Carrier.id)))

    def carriers(self) -> list[CarrierView]:
        """All carriers in the order they were taken in; only those that changed are read again."""
        with self.session() as session:
            ids = self._ids(session)
            self._fill(session, [one for one in ids if one not in self._views])
            self._freshen(session)
            return [self._views[one] for one in ids]

    def read_ahead(self, count: int = _AHEAD) -> bool:
        """Read some of the carriers that were not read yet, so that :meth:`carriers` has less to do; False when none is left."""
        with self.session() as session:
            missing = [one for one in self._ids(session) if one not in self._views]
            self._fill(session, missing[:count])
            return len(missing) > count

    def _ids(self, session: Session) -> list[int]:
        if self._known is None:
            self._known = list(session.scalars(select(Carrier.id).order_by(Carrier.id)))
        return self._known

    def _fill(self, session: Session, missing: list[int]) -> None:
        for start in range(0, len(missing), _AT_ONCE):
            query = select(Carrier).where(Carrier.id.in_(missing[start : start + _AT_ONCE]))
            rows = session.scalars(query.options(selectinload(Carrier.takes), selectinload(Carrier.sheets))).all()
            newest = [take.id for row in rows for take in [newest_take(row)] if take is not None]
            # Of earlier takes a view tells nothing: their parts, four fifths of a large record, stay where they are.
            session.scalars(select(Take).where(Take.id.in_(newest)).options(*_PARTS)).all()
            for row in rows:
                self._views[row.id] = self.maker.view(row)

    def _freshen(self, session: Session) -> None:
        """Copies that changed are put into the views that hold them: a run changes little else, and hundreds of times a night."""
        stale, self._stale_copies = sorted(self._stale_copies), set()
        for start in range(0, len(stale), _AT_ONCE):
            query = select(Copy).where(Copy.id.in_(stale[start : start + _AT_ONCE])).options(joinedload(Copy.take).joinedload(Take.carrier))
            for row in session.scalars(query):
                view = self._views.get(row.take.carrier_id)
                if view is not None and view.take is not None and view.take.id == row.take_id:
                    fresh = self.maker.copy(row)
                    copies = [one for one in view.copies if one.id != row.id] + ([fresh] if fresh is not None else [])
                    self._views[view.id] = replace(view, copies=tuple(sorted(copies, key=lambda one: one.id)))

    def carrier(self, carrier_id: int) -> CarrierView:
        with self.session() as session:
            if carrier_id not in self._views:
                self._views[carrier_id] = self.maker.view(self.row(session, carrier_id))
            self._freshen(session)
            return self._views[carrier_id]

    @contextlib.contextmanager
    def session(self) -> Iterator[Session]:
        """A transaction: committed at the end, rolled back on an error. What the database says becomes a WorkspaceError, whose cause
        names it."""
        with self._one_at_a_time:
            try:
                with self.workspace.sessions.begin() as session:
                    yield session
            except SQLAlchemyError as error:
                raise record_trouble(error, self.workspace.folder, read_only=self.workspace.read_only) from error

    @staticmethod
    def row(session: Session, carrier_id: int) -> Carrier:
        row = session.get(Carrier, carrier_id)
        if row is None:
            raise WrongUseError("That carrier is not in this workspace.")
        return row

    @staticmethod
    def note(session: Session, carrier_id: int | None, words: str) -> None:
        session.add(Event(at=now_text(), carrier_id=carrier_id, words=words))

    def _forget_touched(self, session: Session, _context: Any) -> None:
        with session.no_autoflush:
            for row in (*session.new, *filter(session.is_modified, session.dirty), *session.deleted):
                if isinstance(row, Carrier) and row not in session.dirty:
                    self._known = None
                if isinstance(row, _Part):
                    self._views.pop(_owner(session, row) or 0, None)
                elif isinstance(row, JobRow):
                    self._touched_copies.add(row.copy_id)
                elif isinstance(row, Copy):
                    self._touched_copies.add(row.id)
                    self._stale_copies.add(row.id)
                    if row in session.deleted:
                        self._views.pop(_owner(session, row) or 0, None)

    def forget_all(self) -> None:
        """What was read so far, since rows were written past the session's own objects."""
        with self._one_at_a_time:
            self._views.clear()
            self._known = None
            self.maker.forget()

    def take_touched_copies(self) -> set[int]:
        """Copies that changed, with their jobs, since this was last asked."""
        touched, self._touched_copies = self._touched_copies, set()
        return touched


def _index_touched(session: Session, _context: Any) -> None:
    """The index of words follows what was written, in the same transaction."""
    gone = [row for row in session.deleted if row.__tablename__ in BY_TABLE]
    changed = [row for row in session.dirty if _has_new_words(row)]
    fresh = [row for row in session.new if row.__tablename__ in BY_TABLE]
    connection = session.connection()
    for row in (*gone, *changed):
        connection.exec_driver_sql(FORGET, (BY_TABLE[row.__tablename__].rowid(row.id),))
    for row in (*changed, *fresh):
        connection.exec_driver_sql(f"{BY_TABLE[row.__tablename__].fill} WHERE id = ?", (row.id,))


def _has_new_words(row: Base) -> bool:
    indexed = BY_TABLE.get(row.__tablename__)
    return indexed is not None and any(inspect(row).attrs[one].history.has_changes() for one in indexed.columns)


def _owner(session: Session, row: _Part | Copy) -> int | None:
    """The carrier that a row belongs to."""
    if isinstance(row, Carrier):
        return row.id
    if isinstance(row, Take | PathSheetRow):
        return row.carrier_id
    take = session.get(Take, row.take_id)
    return take.carrier_id if take else None


class Room:
    """A part of the record; all of them share one store."""

    def __init__(self, store: Store) -> None:
        self._store = store


def now_text() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
