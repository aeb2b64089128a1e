"""The kinds of files that copies are written as."""

from __future__ import annotations

from pathlib import Path

import av
import av.container

_FORMATS = {"mp4": "mp4", "mkv": "matroska", "mov": "mov"}
# The index in front, so that a copy plays while it loads.
_OPTIONS: dict[str, dict[str, str]] = {
    "mp4": {"movflags": "+faststart"}, "mov": {"movflags": "+faststart"}, "mkv": {"cues_to_front": "1"},
}  # fmt: skip


def open_copy(part: Path, container: str) -> av.container.OutputContainer:
    """A file to write a copy into; ``container``: as recipes name it."""
    return av.open(str(part), "w", format=_FORMATS[container], options=_OPTIONS[container])
