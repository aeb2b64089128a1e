"""The small file by which a place of second copies is known: another drive under the same name is not it."""

from __future__ import annotations

import json
from pathlib import Path

MARKER = "yomikomi-place.json"
KEY_BYTES = 16
_LARGEST = 4096


def key_of(folder: Path) -> str | None:
    """The key of the place that a folder is; None where it is none, or its drive is away. Raises nothing."""
    marker = folder / MARKER
    try:
        if marker.is_symlink() or not marker.is_file() or marker.stat().st_size > _LARGEST:
            return None
        found = json.loads(marker.read_bytes())
    except (OSError, ValueError, RecursionError):
        return None
    key = found.get("key") if isinstance(found, dict) else None
    return key if isinstance(key, str) and len(key) == 2 * KEY_BYTES and key.isalnum() else None
