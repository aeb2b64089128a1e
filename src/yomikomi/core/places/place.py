"""A place knows itself by a small file in it, so that it is found under whatever name its drive is connected next."""

from __future__ import annotations

import json
import secrets
import shutil
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.fixity.marker import KEY_BYTES, MARKER, key_of
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import is_taken, write_new


@dataclass(frozen=True)
class SeenPlace:
    """As it is just now. ``disk``: the drive below it."""

    key: str
    path: Path
    disk: str
    free_bytes: int
    total_bytes: int


def make_place(folder: Path, *, workspace: Path) -> SeenPlace:
    """Put the small file into a folder, which becomes a place; one that has it already is taken as it is.

    Raises WrongUseError for a folder that cannot be one, and what the drive says.
    """
    folder = folder.expanduser().resolve()
    if not folder.is_dir():
        raise WrongUseError(f"The folder {folder.name}/ is not there.", remedy="Make it, or connect its drive.")
    if folder.is_relative_to(workspace) or workspace.is_relative_to(folder):
        raise WrongUseError(
            f"{folder.name}/ and the workspace lie in each other.", remedy="Choose a folder elsewhere, best on another drive."
        )
    if key_of(folder) is None and not is_taken(folder / MARKER):
        words = {"schema_version": 1, "key": secrets.token_hex(KEY_BYTES), "is": "a place of second copies; keep this file with them"}
        write_new(folder / MARKER, json.dumps(words, indent=1).encode())
    seen = see_place(folder)
    if seen is None:
        raise UnfinishedError(f"{MARKER} in {folder.name}/ is damaged.", remedy="Remove it if nothing of yours lies there, then try again.")
    return seen


def see_place(folder: Path) -> SeenPlace | None:
    """None where it is no place, or away."""
    key = key_of(folder)
    if key is None:
        return None
    try:
        usage = shutil.disk_usage(folder)
    except OSError:
        return None
    return SeenPlace(key, folder, disk_of(folder), usage.free, usage.total)


def check_there(folder: Path, key: str) -> None:
    """Raises UnfinishedError where another place, or none, lies under the name now."""
    try:
        folder.stat()
    except OSError as error:
        raise drive_error(error, folder / MARKER) from error
    if key_of(folder) != key:
        remedy = "Another drive may be connected there. Connect the right one."
        raise UnfinishedError(f"{folder.name}/ is not the place that it was.", remedy=remedy, path=folder)
