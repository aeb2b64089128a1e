"""Whether a reading still speaks of the file that lies there."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.identity import FileIdentity, content_hash, identify


def looks_current(path: Path, reading: Reading) -> bool:
    """Quickly, by size, times and place; True also for readings of earlier versions, which kept none of these. False where the file
    cannot be reached."""
    try:
        return reading.identity is None or identify(path) == reading.identity
    except OSError:
        return False


def check_current(path: Path, reading: Reading, check: Callable[[], None] = lambda: None) -> None:
    """Before work that builds on a reading. A file that was touched or moved is compared byte for byte.

    Raises UnfinishedError where the file is not the one that was read.
    """
    if looks_current(path, reading):
        return
    try:
        if reading.content is None:  # a quick reading: what can be changed without touching the content does not count
            same = reading.identity is not None and _plain(identify(path)) == _plain(reading.identity)
        else:
            same = content_hash(path, check) == reading.content
    except OSError:
        return  # whoever opens it next says why it cannot be reached
    if not same:
        raise UnfinishedError(
            f"{path.name} has changed since it was read.", remedy="Read it again; what was found then does not hold for it.", path=path
        )


def _plain(identity: FileIdentity) -> tuple[int, int, int]:
    return identity.inode, identity.size, identity.written_ns
