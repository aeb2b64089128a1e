"""Readings kept by what a file holds, so that the same footage is not measured twice, whatever it is called."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.reading.models import SCHEMA_VERSION, Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.work import Reporter
from yomikomi.core.work.whole_file import write_whole

# Raised when measurements change, so that old readings are not taken for new ones.
_MEASURES = 1
# Small files are looked at whole; of large ones so many pieces of so many bytes, evenly spread, beginning and end among them.
_WHOLE_BYTES, _PIECES, _PIECE_BYTES = 64_000_000, 64, 65_536
_MOST_KEPT = 400


@dataclass(frozen=True)
class CachedReadRequest:
    """``folder``: where readings are kept. ``again``: measure even if one is there."""

    request: ReadRequest
    folder: Path
    again: bool = False


def read_cached(wanted: CachedReadRequest, reporter: Reporter) -> Reading:
    """A kept reading of the same content, or a new one, which is kept. Not being able to keep it is no error."""
    request = wanted.request
    key = content_key(request) if request.path.is_file() else ""
    kept = wanted.folder / f"{key}.json"
    if key and not wanted.again:
        found = _kept_reading(kept)
        if found is not None:
            return found.model_copy(update={"file": request.path.name})
    reading = read(request, reporter)
    if key and request.most_seconds is None:
        _keep(kept, reading)
    return reading


def content_key(request: ReadRequest) -> str:
    """A fingerprint of a file's content, and of how it is to be read."""
    size = request.path.stat().st_size
    digest = hashlib.blake2b(digest_size=20)
    digest.update(f"{size} {SCHEMA_VERSION} {_MEASURES} {request.mode} {request.sound} {request.complexity}".encode())
    with request.path.open("rb") as file:
        if size <= _WHOLE_BYTES:
            while piece := file.read(1 << 20):
                digest.update(piece)
        else:
            for number in range(_PIECES):
                file.seek((size - _PIECE_BYTES) * number // (_PIECES - 1))
                digest.update(file.read(_PIECE_BYTES))
    return digest.hexdigest()


def _kept_reading(path: Path) -> Reading | None:
    try:
        return Reading.model_validate_json(path.read_bytes())
    except (OSError, ValidationError):
        return None  # not there, or damaged: it is measured anew


def _keep(path: Path, reading: Reading) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_whole(path, reading.model_dump_json().encode())
        kept = sorted(path.parent.glob("*.json"), key=lambda one: one.stat().st_mtime)
        for old in kept[:-_MOST_KEPT]:
            old.unlink(missing_ok=True)
    except (OSError, UnfinishedError):
        return
