"""The one way a record's file is opened."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path


def plain_connection(path: Path, *, same_thread: bool = True) -> sqlite3.Connection:
    """By a path of bytes, not by an address: what stands in it is no query and no escape. A damaged row is read as far as it goes."""
    connection = sqlite3.connect(os.fsencode(path), check_same_thread=same_thread)
    connection.text_factory = lambda raw: raw.decode("utf-8", "replace")
    return connection
