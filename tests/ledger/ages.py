"""Workspaces as earlier programs left them."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from yomikomi.core.ledger.workspace import Workspace


def open_old(folder: Path, form: str) -> Workspace:
    """The record of a form ("0001" …), written to a new folder as it stood in a file and opened by the program of today."""
    folder.mkdir()
    with sqlite3.connect(folder / "workspace.sqlite") as connection:
        connection.executescript((Path(__file__).parent / f"workspace-{form}.sql").read_text())
    return Workspace(folder, trust=True)
