"""What happens to files: a recording that was cut off, a drive that loses sectors. For the demo's takes, and for learning."""

from __future__ import annotations

import os
from pathlib import Path

_SECTOR = 4096


def cut_off(path: Path, *, part: float = 0.8) -> None:
    """The file ends where the power went: its index and its length were never written."""
    size = int(path.stat().st_size * part)
    os.truncate(path, size)


def spoil(path: Path, *, sectors: int = 6) -> None:
    """Sectors in the middle come back as something else."""
    size = path.stat().st_size
    with path.open("r+b") as file:
        for number in range(sectors):
            file.seek(int(size * (0.35 + 0.05 * number)) // _SECTOR * _SECTOR)
            old = file.read(_SECTOR)
            file.seek(-len(old), os.SEEK_CUR)
            file.write(bytes(value ^ 0x5A for value in old))
