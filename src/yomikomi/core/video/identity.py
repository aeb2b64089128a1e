"""Whether a file is still the one that was looked at: quickly by what the file system says of it, surely by all its bytes."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Callable, Iterator
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


def pieces_of(path: Path, *, from_drive: bool = False) -> Iterator[bytes]:
    """All bytes of a file. ``from_drive``: what the system still holds of it in memory is let go first, so that what is read is what the
    drive gives back. Raises OSError."""
    with path.open("rb") as file:
        if from_drive:
            let_go(file.fileno())
        while piece := file.read(_PIECE):
            yield piece


def let_go(handle: int) -> None:
    """Of an open file: what memory holds of it is written down and forgotten, so that the next reading asks the drive. A hint: systems may
    not take it."""
    with contextlib.suppress(OSError):
        os.fdatasync(handle)
        os.posix_fadvise(handle, 0, 0, os.POSIX_FADV_DONTNEED)


def content_hash(path: Path, check: Callable[[], None] = lambda: None) -> str:
    """BLAKE3 of all bytes, hexadecimal; about 4 GB a processor second, so the drive is what it waits for. ``check`` may raise to stop.

    Source: the BLAKE3 specification, as the package of that name implements it. Raises OSError.
    """
    digest = blake3.blake3()
    for piece in pieces_of(path):
        digest.update(piece)
        check()
    return str(digest.hexdigest())
