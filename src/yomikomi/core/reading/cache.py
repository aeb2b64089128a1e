"""Readings kept by what a file holds, so that the same footage is not measured twice, whatever it is called.

A file that lies where it lay, as it was, is known at once by its identity; any other is looked up by all its bytes.
"""

from __future__ import annotations

import contextlib
import hashlib
from dataclasses import dataclass
from pathlib import Path

from pydantic import ValidationError

from yomikomi.core.errors import YomikomiError
from yomikomi.core.reading.models import SCHEMA_VERSION, Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.video.identity import FileIdentity, content_hash, identify
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import write_over
from yomikomi.core.work.text import printable

# Raised when measurements change, so that old readings are not taken for new ones.
_MEASURES = 4
_MOST_KEPT = 400


@dataclass(frozen=True)
class CachedReadRequest:
    """``folder``: where readings are kept. ``again``: measure even if one is there."""

    request: ReadRequest
    folder: Path
    again: bool = False


def read_cached(wanted: CachedReadRequest, reporter: Reporter) -> Reading:
    """A kept reading of the same content, or a new one, which is kept. Not being able to keep it is no error."""
    request, folder = wanted.request, wanted.folder
    found = None
    if not wanted.again and request.path.is_file():
        found = _kept_by_identity(folder, request) or _kept_by_content(folder, request, reporter)
    if found is not None:
        return found.model_copy(update={"file": printable(request.path.name)})
    reading = read(request, reporter)
    if request.most_seconds is None:
        _keep(folder, request, reading)
    return reading


def _kept_by_identity(folder: Path, request: ReadRequest) -> Reading | None:
    with contextlib.suppress(OSError):
        identity = identify(request.path)
        found = _load(folder / _name(request, identity))
        if found is not None and found.identity == identity:
            return found
    return None


def _kept_by_content(folder: Path, request: ReadRequest, reporter: Reporter) -> Reading | None:
    """The file was moved, copied or touched: its bytes decide. Only worth reading them all where some kept file is as large."""
    with contextlib.suppress(OSError):
        identity = identify(request.path)
        if not any(folder.glob(f"content-{identity.size}-*.json")):
            return None
        found = _load(folder / _name(request, (identity.size, content_hash(request.path, reporter.check))))
        if found is not None:
            found = found.model_copy(update={"identity": identity})
            _keep(folder, request, found)
            return found
    return None


def _name(request: ReadRequest, of: FileIdentity | tuple[int, str]) -> str:
    how = f"{SCHEMA_VERSION} {_MEASURES} {request.mode} {request.sound} {request.complexity}"
    if isinstance(of, FileIdentity):
        return f"file-{_short(how + of.model_dump_json())}.json"
    return f"content-{of[0]}-{_short(how + of[1])}.json"


def _short(text: str) -> str:
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def _load(path: Path) -> Reading | None:
    try:
        return Reading.model_validate_json(path.read_bytes())
    except (OSError, ValidationError):
        return None  # not there, or damaged: it is measured anew


def _keep(folder: Path, request: ReadRequest, reading: Reading) -> None:
    """Under both names; what is oldest goes."""
    with contextlib.suppress(OSError, YomikomiError):
        folder.mkdir(parents=True, exist_ok=True)
        raw = reading.model_dump_json().encode()
        if reading.identity is not None:
            write_over(folder / _name(request, reading.identity), raw)
            if reading.content is not None:
                write_over(folder / _name(request, (reading.identity.size, reading.content)), raw)
        kept = sorted(folder.glob("*.json"), key=lambda one: one.stat().st_mtime)
        for old in kept[:-_MOST_KEPT]:
            old.unlink(missing_ok=True)
