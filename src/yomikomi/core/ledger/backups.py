"""Backups of the record: taken while it is in use, proven, rotated, also to a second folder; and put back."""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sqlite3
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from yomikomi.core.errors import UnfinishedError, UnreadableError, WorkspaceError
from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.troubles import READ_ONLY_REMEDY, READ_ONLY_WORDS, record_trouble
from yomikomi.core.ledger.trust import is_trusted
from yomikomi.core.ledger.workspace import NEWEST_REVISION, RECORD_FILE, Workspace, held_alone
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import clear_parts, free_name, is_taken, new_file, sync_folder, write_over

FOLDER = "backups"
_STEM, _SUFFIX = "record-", ".sqlite"
_PAGES = 256  # copied at once: others may write between
_COUNTED = ("carriers", "takes", "copies")
_SAFE = "The record is as it was."


@dataclass(frozen=True)
class Backup:
    """``told``: what stands beside it; the file itself is believed only by :func:`prove`."""

    path: Path
    at: datetime
    size: int
    carriers: int
    takes: int
    copies: int
    sha256: str


def make_backup(workspace: Workspace, *, keep: int, second: Path | None = None, now: datetime | None = None) -> Backup:
    """The record as it stands at one moment, whatever is written meanwhile. ``keep``: so many are kept in each folder; older ones go only
    after the new one is proven. Raises what the drive says, WorkspaceError for a record that is damaged."""
    workspace.check_writable()
    when = now or datetime.now(UTC)
    made = _make(workspace, workspace.folder / FOLDER, when)
    _rotate(made.path.parent, keep, made.path)
    if second is not None:
        if not second.is_dir():
            words = f"The second folder for backups, {second.name}/, is away; the backup here is made."
            raise UnfinishedError(words, remedy="Connect its drive.", path=second)
        _copy(made, second / made.path.name)
        _rotate(second, keep, second / made.path.name)
    return made


def backups_in(folder: Path) -> list[Backup]:
    """The newest first; what has no word of itself beside it is left out. Raises nothing."""
    found = []
    try:
        paths = sorted(folder.glob(f"{_STEM}*{_SUFFIX}"))
    except OSError:
        return []
    for path in paths:
        with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
            told = json.loads(_beside(path).read_bytes())
            at, size, digest = datetime.fromisoformat(told["at"]), path.stat().st_size, str(told["sha256"])
            found.append(Backup(path, at, size, int(told["carriers"]), int(told["takes"]), int(told["copies"]), digest))
    return sorted(found, key=lambda one: one.at, reverse=True)


def prove(path: Path) -> None:
    """Open a backup and look through all of it. Raises UnreadableError where it is damaged."""
    try:
        with contextlib.closing(plain_connection(path)) as connection:
            connection.execute("PRAGMA query_only=ON")
            answers = [words for (words,) in connection.execute("PRAGMA integrity_check")]
            known = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    except sqlite3.Error as error:
        raise UnreadableError(f"{path.name} is damaged: {error}.", remedy="Use another backup.", path=path) from error
    if answers != ["ok"] or not known:
        raise UnreadableError(f"{path.name} is damaged, or no record.", remedy="Use another backup.", path=path)
    if known[0] > NEWEST_REVISION:
        raise UnreadableError(f"{path.name} was made by a newer Yomikomi.", remedy="Update the program.", path=path)


def restore(workspace: Workspace, backup: Path, *, now: datetime | None = None) -> Path:
    """Put a backup in the place of the record, which is kept beside it under another name; returns that. The workspace was opened for it,
    so that nobody else writes, and is closed once that is done: open it again.

    At any moment a whole record has the name: what is to be put back is proven beside it first. Raises UnreadableError, and what the
    drive says.
    """
    workspace.check_writable()

    def let_go() -> None:
        workspace.__dict__.pop("sessions", None)
        engine = workspace.__dict__.pop("engine", None)
        if engine is not None:
            engine.dispose()

    kept = _put_back(workspace.folder, backup, now, let_go)
    workspace.close()
    return kept


def restore_unopened(folder: Path, backup: Path, *, now: datetime | None = None) -> Path:
    """The same for a workspace whose record is so damaged that it cannot be opened. Raises WorkspaceError where it is open elsewhere, or
    somebody else's."""
    if not is_trusted(folder):
        raise WorkspaceError(READ_ONLY_WORDS, remedy=READ_ONLY_REMEDY, path=folder)
    with held_alone(folder):
        return _put_back(folder, backup, now, lambda: None)


def _put_back(folder: Path, backup: Path, now: datetime | None, let_go: Callable[[], None]) -> Path:
    prove(backup)
    record = folder / RECORD_FILE
    stamp = (now or datetime.now(UTC)).strftime("%Y%m%d-%H%M%S")
    with new_file(folder / f"{RECORD_FILE}.restored", safe=_SAFE) as made:
        _pour(backup, made.part)
        prove(made.part)
        kept = free_name(folder, f"{record.stem}-before-{stamp}", record.suffix)
        let_go()
        _set_aside(record, kept)
        made.put_over(record)
    return kept


def _set_aside(record: Path, kept: Path) -> None:
    """The record keeps a second name, and its log holds nothing that would be put into the one that comes."""
    with contextlib.suppress(sqlite3.Error), contextlib.closing(plain_connection(record)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    for suffix in ("-wal", "-shm"):
        log = record.with_name(record.name + suffix)
        if is_taken(log):  # what is damaged cannot be put in; it stays beside the damaged record
            log.replace(kept.with_name(kept.name + suffix))
    if record.exists():
        try:
            os.link(record, kept)
        except OSError:
            _pour(record, kept)
    sync_folder(kept.parent)


def _make(workspace: Workspace, folder: Path, when: datetime) -> Backup:
    try:
        folder.mkdir(exist_ok=True)
    except OSError as error:
        raise drive_error(error, folder / RECORD_FILE, safe=_SAFE) from error
    clear_parts(folder)
    target = free_name(folder, f"{_STEM}{when.strftime('%Y%m%d-%H%M%S')}", _SUFFIX)
    try:
        with new_file(target, safe=_SAFE) as made:
            with _open(workspace.record_file) as source, _open(made.part) as copy:
                source.backup(copy, pages=_PAGES)
                copy.execute("PRAGMA journal_mode=DELETE")
                carriers, takes, copies = (copy.execute(f"SELECT count(*) FROM {one}").fetchone()[0] for one in _COUNTED)
            prove(made.part)
            found = Backup(target, when, made.part.stat().st_size, carriers, takes, copies, _sha256(made.part))
            made.keep()
    except sqlite3.Error as error:
        raise record_trouble(error, workspace.folder) from error
    _tell(found)
    return found


def _copy(made: Backup, target: Path) -> None:
    with new_file(target, safe="The first backup is made.") as copy:
        _pour(made.path, copy.part)
        if _sha256(copy.part) != made.sha256:
            words = f"What {target.parent.name}/ gave back is not the backup."
            raise UnfinishedError(words, remedy="Do not trust that drive.", path=target)
        copy.keep()
    _tell(Backup(target, made.at, made.size, made.carriers, made.takes, made.copies, made.sha256))


def _tell(made: Backup) -> None:
    told = {
        "schema_version": 1, "at": made.at.isoformat(timespec="seconds"), "sha256": made.sha256, "carriers": made.carriers,
        "takes": made.takes, "copies": made.copies,
    }  # fmt: skip
    write_over(_beside(made.path), json.dumps(told, indent=1).encode())


def _rotate(folder: Path, keep: int, newest: Path) -> None:
    """The oldest go; the one just made never does, whatever the clock says."""
    older = [one for one in backups_in(folder) if one.path != newest]
    for one in older[max(0, keep - 1) :]:
        with contextlib.suppress(OSError):
            one.path.unlink()
            _beside(one.path).unlink(missing_ok=True)


def is_due(folder: Path, *, hours: float, now: datetime) -> bool:
    """Whether the newest is older than so many hours; one that lies ahead counts as none: some clock was wrong."""
    ages = [(now - one.at).total_seconds() / 3600 for one in backups_in(folder)]
    return not any(0 <= age < hours for age in ages)


@contextlib.contextmanager
def _open(path: Path) -> Iterator[sqlite3.Connection]:
    with contextlib.closing(plain_connection(path)) as connection:
        yield connection


def _pour(source: Path, target: Path) -> None:
    try:
        content = source.open("rb")
    except OSError as error:
        raise UnreadableError(f"{source.name} cannot be read: {error.strerror}.", remedy="Connect its drive.", path=source) from error
    with content, target.open("wb") as file:
        while piece := content.read(1 << 20):
            file.write(piece)
        file.flush()
        os.fsync(file.fileno())


def _sha256(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _beside(path: Path) -> Path:
    return path.with_suffix(".json")


