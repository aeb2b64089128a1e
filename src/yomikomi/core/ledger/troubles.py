"""What the database said, as errors for people: what is so, by its code, never a guess."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from yomikomi.core.errors import WorkspaceError

READ_ONLY_WORDS = "This workspace is open for reading only."
READ_ONLY_REMEDY = "If you know who made it, open it again and trust it (--trust); nothing in it was changed."

_DAMAGED = (
    "The takes and copies beside it are untouched. Put a backup back (yomikomi ledger restore), or save what can be read "
    "(yomikomi ledger check --repair); the damaged one is kept."
)
# Primary result codes of SQLite (sqlite.org, "Result and Error Codes"), with what is so and what to do.
_SAYINGS = {
    sqlite3.SQLITE_FULL: ("The drive of the workspace is full; this was not written down.", "Make room, then do it again."),
    sqlite3.SQLITE_READONLY: ("The record of the workspace cannot be written to.", "Check the rights of its files, and its drive."),
    sqlite3.SQLITE_IOERR: ("The drive of the workspace does not answer.", "Check the drive and its cable, then open it again."),
    sqlite3.SQLITE_BUSY: ("Another program holds the record of the workspace.", "Close it, then do it again."),
    sqlite3.SQLITE_LOCKED: ("Another program holds the record of the workspace.", "Close it, then do it again."),
    sqlite3.SQLITE_CANTOPEN: (
        "workspace.sqlite cannot be opened.", "Check that the folder is there, may be written to, and that its drive has room."
    ),
    sqlite3.SQLITE_CORRUPT: (
        "workspace.sqlite is damaged.",
        _DAMAGED,
    ),
    sqlite3.SQLITE_NOTADB: (
        "workspace.sqlite is no record of this program; it may be damaged.",
        _DAMAGED,
    ),
}  # fmt: skip


def record_trouble(error: Exception, folder: Path, *, read_only: bool = False) -> WorkspaceError:
    """The typed error for what a database call raised: SQLite's own error, or one that holds it as ``orig``."""
    if read_only:
        return WorkspaceError(READ_ONLY_WORDS, remedy=READ_ONLY_REMEDY, path=folder)
    original = getattr(error, "orig", None) or error
    code = getattr(original, "sqlite_errorcode", None)
    said = _SAYINGS.get(code & 0xFF) if code is not None else None
    if said is not None:
        return WorkspaceError(f"{folder.name}/: {said[0]}", remedy=said[1], path=folder)
    return WorkspaceError(
        f"{folder.name}/: the record answered: {original}.", remedy="Nothing was written down. Open the workspace again.", path=folder
    )
