"""The database of a workspace through SQLAlchemy: how it is opened, and how an older one is brought up to date."""

from __future__ import annotations

import json
import sqlite3
from functools import cache, partial
from pathlib import Path
from typing import Any

from sqlalchemy import Engine, create_engine, create_mock_engine, event
from sqlalchemy.dialects import sqlite
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.pool import QueuePool

from yomikomi.core.errors import WorkspaceError
from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.finder_tables import statements
from yomikomi.core.ledger.schema import Base
from yomikomi.core.ledger.troubles import record_trouble

# What is written down is on the drive when a transaction comes back, also where the power fails then: two milliseconds each (measured on a
# solid-state drive), and the run acts on what it wrote.
SYNCHRONOUS = "FULL"


def connect(path: Path, *, read_only: bool) -> Engine:
    """``read_only``: nothing is written to it, so that nobody believes in what would be gone."""
    made = partial(plain_connection, path, same_thread=False)
    engine = create_engine("sqlite://", creator=made, poolclass=QueuePool, json_deserializer=_lenient)

    @event.listens_for(engine, "connect")
    def _prepare(connection: Any, _record: Any) -> None:
        cursor = connection.cursor()
        for pragma in ("trusted_schema=OFF", "journal_mode=WAL", f"synchronous={SYNCHRONOUS}", "foreign_keys=ON"):
            cursor.execute(f"PRAGMA {pragma}")
        if read_only:
            cursor.execute("PRAGMA query_only=ON")
        cursor.close()

    return engine


def set_up(engine: Engine, folder: Path, revision: str) -> None:
    """Make the tables of a new record, all or none, as migrating through all revisions would (a test holds one against the other) but at
    once. Raises WorkspaceError."""
    try:
        with engine.begin() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            for statement in (*_tables(), *statements()):
                connection.exec_driver_sql(statement)
            connection.exec_driver_sql("CREATE TABLE alembic_version (version_num VARCHAR(32) NOT NULL PRIMARY KEY)")
            connection.exec_driver_sql("INSERT INTO alembic_version VALUES (?)", (revision,))
    except (SQLAlchemyError, sqlite3.Error) as error:
        raise record_trouble(error, folder) from error


@cache
def _tables() -> tuple[str, ...]:
    """What makes the tables and their indexes, in words: SQLAlchemy takes ten times as long to find them as SQLite to obey."""
    said: list[str] = []
    listening = create_mock_engine("sqlite://", lambda one, *_more: said.append(str(one.compile(dialect=sqlite.dialect()))))
    Base.metadata.create_all(listening, checkfirst=False)
    return tuple(said)


def migrate(engine: Engine, folder: Path, current: str | None) -> None:
    """Bring a record of revision ``current`` (None: none is written down) to the newest. Raises WorkspaceError, also for one that is too
    new."""
    from alembic import command
    from alembic.config import Config
    from alembic.script import ScriptDirectory

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    known = {script.revision for script in ScriptDirectory.from_config(config).walk_revisions()}
    if current is not None and current not in known:
        raise WorkspaceError(f"The workspace {folder.name}/ was made by a newer Yomikomi.", remedy="Update the program.", path=folder)
    try:
        with engine.begin() as connection:
            config.attributes["connection"] = connection
            command.upgrade(config, "head")
    except (SQLAlchemyError, sqlite3.Error) as error:
        raise record_trouble(error, folder) from error


def _lenient(raw: str) -> Any:
    """A document out of a row; what is none becomes one that fits nothing, so that its reader says so for this row alone."""
    try:
        return json.loads(raw)
    except (ValueError, RecursionError):
        return {"damaged": True, "schema_version": -1}
