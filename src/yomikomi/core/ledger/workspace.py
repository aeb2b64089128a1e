"""Opening a workspace: one process at a time, migrated, write-ahead logged; one that somebody else made only for reading."""

from __future__ import annotations

import contextlib
import fcntl
import os
import shutil
import sqlite3
import stat
import tempfile
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import quote_from_bytes, unquote_to_bytes

from yomikomi.core.errors import WorkspaceError
from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.troubles import READ_ONLY_REMEDY, READ_ONLY_WORDS, record_trouble
from yomikomi.core.ledger.trust import ID_FILE, is_trusted, remember
from yomikomi.core.work.new_file import clear_parts, is_taken

if TYPE_CHECKING:  # loaded when the record is first asked: half a second that nobody waits for
    from sqlalchemy import Engine
    from sqlalchemy.orm import Session, sessionmaker

FOLDERS = ("takes", "copies", "trials", "reports")
RECORD_FILE, LOCK_FILE = "workspace.sqlite", ".open"
# The newest migration; a test holds it against the versions folder. Saves loading Alembic at every start.
NEWEST_REVISION = "0010"
# SQLite keeps 512 bytes for a path, and adds the endings of its helper files (sqlite3.c, MAX_PATHNAME).
_LONGEST_PATH = 500
_RAW = "raw:"
_LONGEST_LOCK = 32


def real_path(folder: Path, kept: str) -> Path:
    """What a record in a folder keeps as a path, as a real one."""
    if not isinstance(kept, str):  # a row that somebody damaged
        kept = os.fsdecode(bytes(kept))
    if kept.startswith(_RAW):
        kept = os.fsdecode(unquote_to_bytes(kept.removeprefix(_RAW)))
    return folder / kept  # an absolute second part wins


@contextlib.contextmanager
def held_alone(folder: Path) -> Iterator[None]:
    """The lock of a workspace that cannot be opened, since its record is damaged. Raises WorkspaceError where it is open elsewhere."""
    try:
        lock = os.open(folder / LOCK_FILE, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, 0o666)
    except OSError as error:
        words = f"The workspace {folder.name}/ cannot be used: {error.strerror}."
        raise WorkspaceError(words, remedy="Check its drive.", path=folder) from error
    try:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise WorkspaceError(f"The workspace {folder.name}/ is open.", remedy="Close it first.", path=folder) from error
        yield
    finally:
        os.close(lock)


class Workspace:
    """An open workspace folder. Close it when done; a crash releases it too.

    Parameters
    ----------
    folder : made if it is not there.
    trust : a person says that they know who made it; remembered.

    ``read_only``: it was made by somebody else and not trusted; nothing in it is written, and its record is read from a copy.

    Raises
    ------
    WorkspaceError : the folder cannot be used, is open elsewhere, or was made by a newer version.
    """

    def __init__(self, folder: Path, *, trust: bool = False) -> None:
        self.folder = folder.expanduser().resolve()
        self._lock = -1
        self._copy: Path | None = None
        made_now = not any(is_taken(self.folder / name) for name in (RECORD_FILE, LOCK_FILE, ID_FILE, *FOLDERS))
        self.read_only = not (trust or made_now or is_trusted(self.folder))
        try:
            self._check_record_file()
            self._open()
        except BaseException:
            self.close()
            raise
        if not self.read_only and (trust or made_now):
            remember(self.folder)

    @property
    def record_file(self) -> Path:
        """Where the record is read: of a workspace that is not trusted, a copy."""
        return (self._copy or self.folder) / RECORD_FILE

    @property
    def is_there(self) -> bool:
        """Whether its drive is still where it was; what is open of a drive that was pulled tells nothing of that."""
        return is_taken(self.folder / RECORD_FILE)

    @cached_property
    def engine(self) -> Engine:
        from yomikomi.core.ledger.engine import connect

        return connect(self.record_file, read_only=self.read_only)

    @cached_property
    def sessions(self) -> sessionmaker[Session]:
        from sqlalchemy.orm import sessionmaker

        return sessionmaker(self.engine, expire_on_commit=False)

    def path(self, kept: str) -> Path:
        """A kept path as a real one."""
        return real_path(self.folder, kept)

    def keep(self, path: Path) -> str:
        """A real path as it is kept: relative inside the workspace. Names that are no text (any bytes may name a file) are kept quoted."""
        path = path if path.is_absolute() else path.resolve()
        try:
            kept = str(path.relative_to(self.folder))
        except ValueError:
            kept = str(path)
        try:
            kept.encode()
        except UnicodeEncodeError:
            return _RAW + quote_from_bytes(os.fsencode(kept), safe="/")
        return _RAW + quote_from_bytes(os.fsencode(kept), safe="/") if kept.startswith(_RAW) else kept

    def holds(self, path: Path) -> bool:
        """Whether a file truly lies inside the workspace, whatever links lead there. Anything else is only ever read."""
        return path.resolve().is_relative_to(self.folder)

    def check_writable(self) -> None:
        """Raises WorkspaceError where the workspace is open for reading only."""
        if self.read_only:
            raise WorkspaceError(READ_ONLY_WORDS, remedy=READ_ONLY_REMEDY, path=self.folder)

    def close(self) -> None:
        engine: Engine | None = self.__dict__.get("engine")
        if engine is not None:
            engine.dispose()
        if self._lock >= 0:
            os.close(self._lock)
            self._lock = -1
        if self._copy is not None:
            shutil.rmtree(self._copy, ignore_errors=True)
            self._copy = None

    def _open(self) -> None:
        if self.read_only:
            self._copy = self._copy_record()
            self._check_revision()
            return
        self._lock = self._take()
        self._check_revision()
        for name in FOLDERS:
            clear_parts(self.folder / name)

    def _check_record_file(self) -> None:
        if len(os.fsencode(self.folder / RECORD_FILE)) > _LONGEST_PATH:
            raise WorkspaceError(
                f"The path of the workspace {self.folder.name}/ is longer than the record allows ({_LONGEST_PATH} bytes).",
                remedy="Choose a folder with a shorter path.", path=self.folder,
            )  # fmt: skip
        for suffix in ("", "-wal", "-shm", "-journal"):
            found = self.folder / f"{RECORD_FILE}{suffix}"
            if is_taken(found) and (found.is_symlink() or not found.is_file()):
                raise WorkspaceError(
                    f"{found.name} in {self.folder.name}/ is no ordinary file.", remedy="This workspace was tampered with; do not use it."
                )

    def _copy_record(self) -> Path:
        """The record of a workspace that is not ours, in a folder that is."""
        copy = Path(tempfile.mkdtemp(prefix="yomikomi-"))
        try:
            for suffix in ("", "-wal"):
                source = self.folder / f"{RECORD_FILE}{suffix}"
                if source.is_file():
                    shutil.copyfile(source, copy / source.name, follow_symlinks=False)
        except OSError as error:
            shutil.rmtree(copy, ignore_errors=True)
            raise self._unusable(error) from error
        return copy

    def _take(self) -> int:
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for name in FOLDERS:
                (self.folder / name).mkdir(exist_ok=True)
            lock = os.open(self.folder / LOCK_FILE, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise self._unusable(error) from error
        try:
            self._check_lock_file(lock)
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            os.ftruncate(lock, 0)
            os.pwrite(lock, str(os.getpid()).encode(), 0)
        except BlockingIOError as error:
            holder = os.pread(lock, _LONGEST_LOCK, 0).decode("ascii", "replace").strip()
            os.close(lock)
            raise WorkspaceError(
                f"The workspace {self.folder.name}/ is open in another Yomikomi (process {holder if holder.isdigit() else 'unknown'}).",
                remedy="Close that one, or start with another workspace.",
                path=self.folder,
            ) from error
        except OSError as error:
            os.close(lock)
            raise self._unusable(error) from error
        except BaseException:
            os.close(lock)
            raise
        return lock

    def _check_lock_file(self, lock: int) -> None:
        """It is written to, so it must be ours: a second name for some other file would cost that its content."""
        found = os.fstat(lock)
        raw = os.pread(lock, _LONGEST_LOCK + 1, 0)
        ours = stat.S_ISREG(found.st_mode) and found.st_nlink == 1 and (not raw.strip() or raw.strip().isdigit())
        if not ours or len(raw) > _LONGEST_LOCK:
            raise WorkspaceError(
                f"{LOCK_FILE} in {self.folder.name}/ was not made by this program.", remedy="Move it away, or choose another workspace."
            )

    def _unusable(self, error: OSError) -> WorkspaceError:
        return WorkspaceError(
            f"The workspace {self.folder.name}/ cannot be used: {error.strerror}.",
            remedy="Choose a folder you may write to, on a drive with room.",
            path=self.folder,
        )

    def _check_revision(self) -> None:
        """A record of today's shape needs no migrating, and SQLAlchemy is loaded only when the record is first asked."""
        try:
            with contextlib.closing(plain_connection(self.record_file)) as connection:
                tables = {name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
                known = "alembic_version" in tables
                current = next((one for (one,) in connection.execute("SELECT version_num FROM alembic_version")), None) if known else None
        except sqlite3.Error as error:
            raise record_trouble(error, self.folder) from error
        except UnicodeError as error:  # even what SQLite says of the damage is damaged
            damaged = sqlite3.DatabaseError("damaged")
            damaged.sqlite_errorcode = sqlite3.SQLITE_CORRUPT
            raise record_trouble(damaged, self.folder) from error
        if current != NEWEST_REVISION:
            from yomikomi.core.ledger.engine import connect, migrate, set_up

            engine = connect(self.record_file, read_only=False)  # the copy of one that is not ours is brought up to date too
            try:
                if tables:
                    migrate(engine, self.folder, current)
                else:
                    set_up(engine, self.folder, NEWEST_REVISION)
            finally:
                engine.dispose()
