"""Whether the record is whole, and what can be saved of one that is not."""

from __future__ import annotations

import contextlib
import sqlite3
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.engine import connect, set_up
from yomikomi.core.ledger.finder_tables import INDEXED
from yomikomi.core.ledger.schema import Base
from yomikomi.core.ledger.workspace import NEWEST_REVISION

_MOST_TOLD = 20


@dataclass(frozen=True)
class Salvaged:
    """Rows of each table that could be read, and how many numbers between the first and the last could not."""

    rows: dict[str, int]
    unread: dict[str, int]

    @property
    def lost(self) -> int:
        return sum(self.unread.values())


def record_problems(path: Path) -> list[str]:
    """What SQLite says of the file, and rows that belong to nothing; empty where all is well. Raises nothing."""
    try:
        with contextlib.closing(plain_connection(path)) as connection:
            connection.execute("PRAGMA query_only=ON")
            told = [str(words) for (words,) in connection.execute("PRAGMA integrity_check(20)") if words != "ok"]
            orphans = [f"{table}: row {row} belongs to no {of}" for table, row, of, _ in connection.execute("PRAGMA foreign_key_check")]
            return (told + orphans)[:_MOST_TOLD]
    except sqlite3.Error as error:
        return [str(error)]


def salvage(path: Path, target: Path) -> Salvaged:
    """All rows that can still be read go into a new record at ``target`` (which is there, and empty); the index of words is made anew.

    Rows are asked for one by one where a whole table cannot be read, so that one damaged page costs what stands on it. Rows that belong to
    nothing any more are left out. Raises WorkspaceError where the new record cannot be written.
    """
    engine = connect(target, read_only=False)
    try:
        set_up(engine, target.parent, NEWEST_REVISION)
    finally:
        engine.dispose()
    kept: dict[str, int] = {}
    unread: dict[str, int] = {}
    with contextlib.closing(plain_connection(path)) as source, contextlib.closing(plain_connection(target)) as made:
        for table in Base.metadata.sorted_tables:
            names = [column.name for column in table.columns]
            rows, bad = _rows(source, table.name, names)
            places = ", ".join("?" for _ in names)
            made.executemany(f"INSERT OR IGNORE INTO {table.name} ({', '.join(names)}) VALUES ({places})", rows)
            kept[table.name], unread[table.name] = len(rows), bad
        for _ in range(len(INDEXED) + 5):  # what belonged to a row that is gone goes too, and what belonged to that
            orphans = made.execute("PRAGMA foreign_key_check").fetchall()
            if not orphans:
                break
            for table_name, row, *_ in orphans:
                made.execute(f"DELETE FROM {table_name} WHERE rowid = ?", (row,))
        made.execute("DELETE FROM finder")
        for one in INDEXED:
            made.execute(one.fill)
        made.commit()
        made.execute("PRAGMA wal_checkpoint(TRUNCATE)")  # all of it is in the one file
    return Salvaged(kept, {name: count for name, count in unread.items() if count})


def _rows(source: sqlite3.Connection, table: str, names: list[str]) -> tuple[list[tuple[object, ...]], int]:
    """Those that can be read; columns that an older or damaged schema has not are left empty."""
    columns = ", ".join(names)
    try:
        return source.execute(f"SELECT {columns} FROM {table}").fetchall(), 0
    except sqlite3.Error:
        pass
    try:
        first, last = source.execute(f"SELECT min(id), max(id) FROM {table}").fetchone()
    except sqlite3.Error:
        return [], 1
    found, bad = [], 0
    for number in range(first or 0, (last or -1) + 1):
        try:
            row = source.execute(f"SELECT {columns} FROM {table} WHERE id = ?", (number,)).fetchone()
        except sqlite3.Error:
            bad += 1
            continue
        if row is not None:
            found.append(row)
    return found, bad
