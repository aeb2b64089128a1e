"""Everything that the record holds as JSON, or as CSV files in a folder, and back again exactly.

In CSV an empty cell is what is not known; a text that is empty, or begins with a sign that a spreadsheet would obey, has a backslash before
it. Documents are JSON in their cells. Source for CSV: RFC 4180.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Collection, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from sqlalchemy import JSON, Connection, Float, Integer, select
from sqlalchemy.exc import SQLAlchemyError
from sqlalchemy.orm import Session

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.engine import connect, set_up
from yomikomi.core.ledger.finder_tables import INDEXED
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import Base
from yomikomi.core.ledger.workspace import NEWEST_REVISION
from yomikomi.core.work.new_file import give_folder_name, new_folder, write_new

FORM = "yomikomi record"
_OBEYED = ("=", "+", "-", "@", "\t", "\r", "\\")
_LARGEST = 2_000_000_000


@dataclass(frozen=True)
class Whole:
    """``tables``: rows by column, documents as they are; ``workspace``: the id of the one it is of."""

    revision: str
    tables: dict[str, list[dict[str, Any]]]
    workspace: str = ""


def whole_of(session: Session, *, workspace: str = "", carriers: Collection[int] | None = None) -> Whole:
    """All of the record; or ``carriers`` alone, with all that belongs to them."""
    found: dict[str, list[dict[str, Any]]] = {}
    for table in Base.metadata.sorted_tables:
        rows = [dict(row) for row in session.execute(select(table).order_by(table.c.id)).mappings()]
        found[table.name] = rows if carriers is None else [row for row in rows if _belongs(table.name, row, found, carriers)]
    return Whole(NEWEST_REVISION, found, workspace)


def _belongs(table: str, row: dict[str, Any], found: dict[str, list[dict[str, Any]]], carriers: Collection[int]) -> bool:
    """Through whatever it points to; places come with all, settings of the workspace with none."""
    if table == "carriers":
        return row["id"] in carriers
    if table == "places":
        return True
    owners = {"carrier_id": "carriers", "take_id": "takes", "copy_id": "copies", "file_id": "files"}
    pointed = [(row[column], of) for column, of in owners.items() if row.get(column) is not None]
    return bool(pointed) and all(any(number == one["id"] for one in found[of]) for number, of in pointed)


def as_json(whole: Whole) -> bytes:
    document = {"form": FORM, "schema_version": 1, "revision": whole.revision, "workspace": whole.workspace, "tables": whole.tables}
    return json.dumps(document, ensure_ascii=False, indent=1).encode(errors="surrogateescape")


def from_json(content: bytes) -> Whole:
    """Raises WrongUseError for what is none, or was made by a newer version."""
    try:
        document = json.loads(content)
        tables = document["tables"]
        sound = document["form"] == FORM and isinstance(tables, dict) and all(isinstance(rows, list) for rows in tables.values())
        revision, workspace = str(document["revision"]), str(document["workspace"])
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise _no_record() from error
    if not sound or revision > NEWEST_REVISION:
        raise _no_record()
    return Whole(revision, tables, workspace)


def _no_record() -> WrongUseError:
    return WrongUseError("That file is no export of a record, or a newer Yomikomi made it.", remedy="Name one that ledger export wrote.")


def write_csv(whole: Whole, folder: Path) -> None:
    """One file a table, in a new folder. Raises NameTakenError, and what the drive says."""
    made = new_folder(folder)
    write_new(made / "revision.txt", f"{FORM} {whole.revision} {whole.workspace}\n".encode())
    for table in Base.metadata.sorted_tables:
        columns = [column.name for column in table.columns]
        lines = io.StringIO()
        writer = csv.writer(lines, lineterminator="\r\n")
        writer.writerow(columns)
        writer.writerows([_cell(row[name]) for name in columns] for row in whole.tables.get(table.name, []))
        write_new(made / f"{table.name}.csv", lines.getvalue().encode(errors="surrogateescape"))
    give_folder_name(made, folder)


def read_csv(folder: Path) -> Whole:
    """Raises WrongUseError for what is none."""
    try:
        form, _, rest = (folder / "revision.txt").read_text().partition(FORM)
        revision, _, workspace = rest.strip().partition(" ")
        if form or not revision or revision > NEWEST_REVISION:
            raise _no_record()
        tables = {table.name: list(_rows(folder / f"{table.name}.csv", table)) for table in Base.metadata.sorted_tables}
    except (OSError, ValueError, csv.Error, KeyError) as error:
        raise _no_record() from error
    return Whole(revision, tables, workspace)


def _rows(path: Path, table: Any) -> Iterable[dict[str, Any]]:
    if not path.is_file() or path.stat().st_size > _LARGEST:
        raise _no_record()
    kinds = {column.name: column.type for column in table.columns}
    csv.field_size_limit(_LARGEST)
    with path.open(newline="", encoding="utf-8", errors="surrogateescape") as file:
        for row in csv.DictReader(file):
            yield {name: _value(cell, kinds[name]) for name, cell in row.items()}


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, str):
        return f"\\{value}" if not value or value.startswith(_OBEYED) else value
    if isinstance(value, dict | list):
        return json.dumps(value, ensure_ascii=False)
    return repr(int(value) if isinstance(value, bool) else value)


def _value(cell: str, kind: Any) -> Any:
    if cell == "":
        return None
    if isinstance(kind, JSON):
        return json.loads(cell)
    if isinstance(kind, Integer):
        return int(cell)
    if isinstance(kind, Float):
        return float(cell)
    if kind.python_type is bool:
        return bool(int(cell))
    return cell.removeprefix("\\") if cell.startswith("\\") else cell


def put_into(whole: Whole, record: Record) -> int:
    """Into a record that holds nothing yet, exactly as it was. Returns the number of rows.

    Raises WrongUseError where it holds something already, or the export does not fit together.
    """
    record.workspace.check_writable()
    if record.carriers():
        raise WrongUseError("The workspace holds carriers already.", remedy="Name a new workspace, then merge it into this one.")
    with record.store.session() as session:
        count = _write(session.connection(), whole)
    record.store.forget_all()
    return count


def write_record(whole: Whole, path: Path) -> None:
    """A record of its own, at a path that nothing has. Raises WrongUseError where the export does not fit together."""
    engine = connect(path, read_only=False)
    try:
        set_up(engine, path.parent, NEWEST_REVISION)
        with engine.begin() as connection:
            _write(connection, whole)
    finally:
        engine.dispose()


def _write(connection: Connection, whole: Whole) -> int:
    try:
        for table in reversed(Base.metadata.sorted_tables):
            connection.execute(table.delete())
        for table in Base.metadata.sorted_tables:
            rows = [{column.name: row[column.name] for column in table.columns} for row in whole.tables.get(table.name, [])]
            if rows:
                connection.execute(table.insert(), rows)
        connection.exec_driver_sql("DELETE FROM finder")
        for one in INDEXED:
            connection.exec_driver_sql(one.fill)
        if connection.exec_driver_sql("PRAGMA foreign_key_check").fetchone() is not None:
            raise _no_record()
    except (KeyError, TypeError, AttributeError, SQLAlchemyError) as error:
        raise _no_record() from error
    return sum(len(rows) for rows in whole.tables.values())
