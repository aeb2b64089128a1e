"""Another workspace's record, read from a copy: that one may be older, open elsewhere, or on a drive that cannot be written to."""

from __future__ import annotations

import contextlib
import hashlib
import shutil
import sqlite3
import tempfile
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker, undefer

from yomikomi.core.errors import WorkspaceError
from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.engine import connect, migrate
from yomikomi.core.ledger.schema import Base, Carrier, Copy, ReadingRow, Take, TrialRow
from yomikomi.core.ledger.troubles import record_trouble
from yomikomi.core.ledger.trust import id_of
from yomikomi.core.ledger.workspace import NEWEST_REVISION, RECORD_FILE

Row = TypeVar("Row", bound=Base)


@dataclass(frozen=True)
class Other:
    """``id``: the workspace's own, or, for one of before there were any, made of its first carrier. Takes that are being recorded, or whose
    drive is away, are left out: they come when they are there."""

    id: str
    folder: Path
    session: Session
    carriers: Sequence[Carrier]
    takes: Sequence[Take]
    copies: Sequence[Copy]

    def rows(self, kind: type[Row]) -> list[Row]:
        """In the order in which they came; documents are there at once."""
        query = select(kind).order_by(kind.id)  # type: ignore[attr-defined]
        if kind in {ReadingRow, TrialRow}:
            query = query.options(undefer(kind.document))  # type: ignore[attr-defined]
        return [one for one in self.session.scalars(query) if getattr(one, "take_id", None) in {None, *self._takes}]

    @property
    def _takes(self) -> set[int]:
        return {one.id for one in self.takes}


@contextlib.contextmanager
def open_other(folder: Path, origin: str = "") -> Iterator[Other]:
    """``origin``: its id, where the folder does not tell. Raises WorkspaceError where there is none, it is damaged, or made by a newer
    version."""
    if not (folder / RECORD_FILE).is_file():
        raise WorkspaceError(f"{folder.name}/ is no workspace.", remedy="Name a folder with workspace.sqlite in it.", path=folder)
    copy = Path(tempfile.mkdtemp(prefix="yomikomi-"))
    try:
        _copy(folder, copy / RECORD_FILE)
        engine = connect(copy / RECORD_FILE, read_only=False)
        try:
            current = _revision(copy / RECORD_FILE)
            if current != NEWEST_REVISION:
                migrate(engine, folder, current)
            with sessionmaker(engine, expire_on_commit=False)() as session:
                carriers = session.scalars(select(Carrier).order_by(Carrier.id)).all()
                takes = session.scalars(select(Take).where(Take.state.not_in(("recording", "away"))).order_by(Take.id)).all()
                there = [one.id for one in takes]
                copies = [one for one in session.scalars(select(Copy).order_by(Copy.id)) if one.take_id in there]
                yield Other(origin or id_of(folder) or _made_id(carriers), folder, session, carriers, takes, copies)
        finally:
            engine.dispose()
    finally:
        shutil.rmtree(copy, ignore_errors=True)


def _copy(folder: Path, target: Path) -> None:
    """With what its log still holds; a drive that cannot be written to has no room for a log's helper, and is copied as it lies."""
    for suffix in ("", "-wal"):
        source = folder / f"{RECORD_FILE}{suffix}"
        try:
            if source.is_file() and not source.is_symlink():
                shutil.copyfile(source, target.with_name(target.name + suffix), follow_symlinks=False)
        except OSError as error:
            words = f"{folder.name}/ cannot be read: {error.strerror}."
            raise WorkspaceError(words, remedy="Check its drive and its rights.", path=folder) from error
    try:
        with contextlib.closing(plain_connection(target)) as connection:
            told = [words for (words,) in connection.execute("PRAGMA quick_check")]
    except sqlite3.Error as error:
        raise record_trouble(error, folder) from error
    if told != ["ok"]:
        words = f"The record of {folder.name}/ is damaged, or was written to just now."
        raise WorkspaceError(words, remedy="Close it where it is open and try again, or repair it first.", path=folder)


def _revision(path: Path) -> str | None:
    with contextlib.closing(plain_connection(path)) as connection:
        try:
            found = connection.execute("SELECT version_num FROM alembic_version").fetchone()
        except sqlite3.Error:
            return None
    return found[0] if found else None


def _made_id(carriers: Sequence[Carrier]) -> str:
    first = carriers[0] if carriers else None
    words = f"{first.created_at} {first.label} {first.title}" if first is not None else "empty"
    return hashlib.blake2b(words.encode(), digest_size=16).hexdigest()
