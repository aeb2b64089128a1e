"""Whether a file is still the one that was looked at: quickly by what the file system says of it, surely by all its bytes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import blake3
from pydantic import BaseModel, ConfigDict, Field

_PIECE = 4 << 20


class FileIdentity(BaseModel):
    """Of a file at one moment. The change time cannot be set back by a program, as the time of writing can."""

    model_config = ConfigDict(frozen=True)

    device: int
    inode: int
    size: int = Field(ge=0, description="bytes")
    written_ns: int = Field(description="time of the last writing, nanoseconds")
    changed_ns: int = Field(description="time of the last change of content or of its description, nanoseconds")


def identify(path: Path) -> FileIdentity:
    """Raises OSError."""
    found = path.stat()
    return FileIdentity(
        device=found.st_dev, inode=found.st_ino, size=found.st_size, written_ns=found.st_mtime_ns, changed_ns=found.st_ctime_ns
    )


def content_hash(path: Path, check: Callable[[], None] = lambda: None) -> str:
    """BLAKE3 of all bytes, hexadecimal; about 4 GB a processor second, so the drive is what it waits for. ``check`` may raise to stop.

    Source: the BLAKE3 specification, as the package of that name implements it. Raises OSError.
    """
    digest = blake3.blake3()
    with path.open("rb") as file:
        while piece := file.read(_PIECE):
            digest.update(piece)
            check()
    return str(digest.hexdigest())
