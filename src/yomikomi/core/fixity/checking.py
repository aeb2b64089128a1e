"""Whether a file is still what it was when it was hashed, and, if not, where it differs."""

from __future__ import annotations

import errno
from collections.abc import Callable
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnreadableError
from yomikomi.core.fixity.digests import content_of, digests_of
from yomikomi.core.fixity.locating import DamagedPart, by_decoding, by_second_copy
from yomikomi.core.fixity.marker import key_of
from yomikomi.core.video.units import counted, grouped
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import AWAY

State = Literal["whole", "changed", "missing", "unreadable", "away"]
# No such file, as against a drive that is gone: then its folder is not there either.
_NO_FILE = frozenset({errno.ENOENT, errno.ENOTDIR})
_MOST_TOLD = 20


class FixityFinding(BaseModel):
    """What a check of one file found. ``away``: its drive is, which says nothing of the file."""

    model_config = ConfigDict(frozen=True)

    state: State
    words: str
    parts: tuple[DamagedPart, ...] = Field(default=(), description="where it differs, in the order of the file; what is known")

    @property
    def bad(self) -> bool:
        return self.state in {"changed", "missing", "unreadable"}


class CheckRequest(BaseModel):
    """``size``, ``content``: of the file as it was hashed; ``exchange``: its SHA-256 too, empty: not looked at. ``root``: the folder that
    is there as long as the drive is, and ``key`` that of the place that it is; empty: it is none. ``second``: another copy of the file
    that is whole, to find by it where this one differs."""

    model_config = ConfigDict(frozen=True)

    path: Path
    size: int
    content: str
    exchange: str = ""
    root: Path
    key: str = ""
    second: Path | None = None


class Progress(BaseModel):
    """``part``: 0…1 of the bytes of the file."""

    model_config = ConfigDict(frozen=True)

    part: float


def check_file(request: CheckRequest, reporter: Reporter) -> FixityFinding:
    """Read a file whole, from its drive, and hold it against its digest. Raises CancelledError."""
    def told(done: int) -> None:
        reporter.check()
        reporter.report(Progress(part=min(1.0, done / max(1, request.size))))

    path = request.path
    if request.key and key_of(request.root) != request.key:
        return FixityFinding(state="away", words="its drive is away")
    try:
        size = path.stat().st_size
        if size == request.size and _is_same(request, told):
            return FixityFinding(state="whole", words="unchanged")
    except OSError as error:
        return _unread(error, request)
    what = _size_words(size - request.size) if size != request.size else "same length, other content"
    try:
        parts = _parts(request, reporter.check)
    except OSError as error:
        return _unread(error, request)
    places = f"; {'; '.join(one.words for one in parts[:_MOST_TOLD])}" if parts else ""
    return FixityFinding(state="changed", words=f"{what}{places}", parts=tuple(parts))


def _is_same(request: CheckRequest, told: Callable[[int], None]) -> bool:
    if request.exchange:
        found = digests_of(request.path, told, from_drive=True)
        return (found.content, found.sha256) == (request.content, request.exchange)
    return content_of(request.path, told, from_drive=True) == (request.size, request.content)


def _parts(request: CheckRequest, check: Callable[[], None]) -> list[DamagedPart]:
    """By another copy to the byte; without one as far as decoders tell."""
    if request.second is not None:
        return by_second_copy(request.path, request.second, check)
    try:
        return by_decoding(request.path, check)
    except UnreadableError:
        return []


def _size_words(more: int) -> str:
    bytes_ = counted(abs(more), "byte", "bytes") if abs(more) < 10_000 else f"{grouped(abs(more))} bytes"
    return f"{bytes_} {'longer' if more > 0 else 'shorter'}"


def _unread(error: OSError, request: CheckRequest) -> FixityFinding:
    if error.errno in _NO_FILE and request.root.is_dir():
        return FixityFinding(state="missing", words="the file is not there")
    if error.errno in AWAY and not request.root.is_dir():
        return FixityFinding(state="away", words="its drive is away")
    return FixityFinding(state="unreadable", words=f"it cannot be read: {error.strerror or error}")
