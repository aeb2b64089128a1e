"""Opening a workspace: one process at a time, migrated, write-ahead logged."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO, Any

from sqlalchemy import Engine, create_engine, event, inspect, text
from sqlalchemy.exc import DatabaseError
from sqlalchemy.orm import Session, sessionmaker

from yomikomi.core.errors import WorkspaceError

FOLDERS = ("takes", "copies", "trials", "reports")
# The newest migration; a test holds it against the versions folder. Saves loading Alembic at every start.
NEWEST_REVISION = "0004"


class Workspace:
    """An open workspace folder. Close it when done; a crash releases it too.

    Raises
    ------
    WorkspaceError : the folder cannot be used, is open elsewhere, or was made by a newer version.
    """

    def __init__(self, folder: Path) -> None:
        self.folder = folder.expanduser().resolve()
        self._lock = self._take()
        try:
            self.engine = self._connect()
            self._migrate()
        except BaseException:
            self._lock.close()
            raise
        self.sessions: sessionmaker[Session] = sessionmaker(self.engine, expire_on_commit=False)

    def path(self, kept: str) -> Path:
        """A kept path as a real one."""
        return self.folder / kept  # an absolute second part wins

    def keep(self, path: Path) -> str:
        """A real path as it is kept: relative inside the workspace."""
        path = path if path.is_absolute() else path.resolve()
        try:
            return str(path.relative_to(self.folder))
        except ValueError:
            return str(path)

    def close(self) -> None:
        self.engine.dispose()
        self._lock.close()

    def _take(self) -> IO[str]:
        try:
            for name in FOLDERS:
                (self.folder / name).mkdir(parents=True, exist_ok=True)
            lock = (self.folder / ".open").open("a+")
        except (OSError, NotADirectoryError) as error:
            raise WorkspaceError(
                f"The workspace {self.folder.name}/ cannot be used: {error.strerror}.",
                remedy="Choose a folder you may write to, on a drive with room.",
                path=self.folder,
            ) from error
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            lock.seek(0)
            holder = lock.read().strip() or "unknown"
            lock.close()
            raise WorkspaceError(
                f"The workspace {self.folder.name}/ is open in another Yomikomi (process {holder}).",
                remedy="Close that one, or start with another workspace.",
                path=self.folder,
            ) from error
        lock.truncate(0)
        lock.write(str(os.getpid()))
        lock.flush()
        return lock

    def _connect(self) -> Engine:
        engine = create_engine(f"sqlite:///{self.folder / 'workspace.sqlite'}")

        @event.listens_for(engine, "connect")
        def _prepare(connection: Any, _record: Any) -> None:
            cursor = connection.cursor()
            cursor.execute("PRAGMA journal_mode=WAL")
            cursor.execute("PRAGMA synchronous=NORMAL")
            cursor.execute("PRAGMA foreign_keys=ON")
            cursor.close()

        return engine

    def _migrate(self) -> None:
        try:
            with self.engine.begin() as connection:
                known = inspect(connection).has_table("alembic_version")
                current = connection.execute(text("SELECT version_num FROM alembic_version")).scalar() if known else None
                if current != NEWEST_REVISION:
                    self._upgrade(connection, current)
        except DatabaseError as error:
            raise WorkspaceError(
                f"workspace.sqlite in {self.folder.name}/ cannot be read; it may be damaged.",
                remedy="The takes and copies beside it are untouched; put a backup of workspace.sqlite back, or move it away.",
                path=self.folder,
            ) from error

    def _upgrade(self, connection: Any, current: str | None) -> None:
        from alembic import command
        from alembic.config import Config
        from alembic.script import ScriptDirectory

        config = Config()
        config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
        config.attributes["connection"] = connection
        known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
        if current is not None and current not in known:
            raise WorkspaceError(
                f"The workspace {self.folder.name}/ was made by a newer Yomikomi.", remedy="Update the program.", path=self.folder
            )
        command.upgrade(config, "head")
