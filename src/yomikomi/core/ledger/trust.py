"""Which workspaces this user made, or said to trust. Any other is somebody else's: its record may name any file, and is only read.

A workspace carries a random id in a small file; the user's own configuration keeps which ids lie where. Both must fit: what was moved
or copied is asked about once more.
"""

from __future__ import annotations

import json
import os
import secrets
import stat
from pathlib import Path

from platformdirs import user_config_path, user_data_path

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work.new_file import is_taken, write_new, write_over

ID_FILE = "workspace.id"
_ID_BYTES = 16
_LARGEST_LIST = 1_000_000


def is_trusted(folder: Path) -> bool:
    """Whether this user made the workspace in a (resolved) folder, or said to trust it. One in the program's own data folder always is."""
    if folder.is_relative_to(user_data_path("yomikomi").resolve()):
        return True
    known = _known()
    own = id_of(folder)
    return bool(own) and known.get(own) == str(folder)


def remember(folder: Path) -> None:
    """From now on the workspace is trusted. Not being able to write that down is no error: it is asked about again."""
    try:
        own = id_of(folder)
        if not own:
            own = secrets.token_hex(_ID_BYTES)
            if is_taken(folder / ID_FILE):
                return
            write_new(folder / ID_FILE, own.encode())
        known = {**_known(), own: str(folder)}
        place = _list()
        place.parent.mkdir(parents=True, exist_ok=True)
        write_over(place, json.dumps(known, indent=1).encode())
    except (OSError, YomikomiError, ValueError):
        return


def _list() -> Path:
    return user_config_path("yomikomi") / "trusted-workspaces.json"


def _known() -> dict[str, str]:
    try:
        place = _list()
        if place.stat().st_size > _LARGEST_LIST:
            return {}
        found = json.loads(place.read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    return {key: value for key, value in found.items() if isinstance(value, str)} if isinstance(found, dict) else {}


def id_of(folder: Path) -> str:
    """The workspace's id; empty where there is none that could be ours."""
    try:
        handle = os.open(folder / ID_FILE, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except OSError:
        return ""
    try:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            return ""
        raw = os.read(handle, 2 * _ID_BYTES + 1)
    finally:
        os.close(handle)
    found = raw.decode("ascii", "replace")
    return found if len(found) == 2 * _ID_BYTES and all(c in "0123456789abcdef" for c in found) else ""
