"""What is checked of every copy, however it was made."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict

from yomikomi.core.video.identity import content_hash
from yomikomi.core.video.matroska import index_in_front
from yomikomi.core.work import Reporter


class Check(BaseModel):
    """One thing that was checked, with what was found."""

    model_config = ConfigDict(frozen=True)

    name: str
    passed: bool
    found: str


def index_check(path: Path, container: str) -> Check:
    """That a copy plays while it loads."""
    front = _first_of(path, (b"moov", b"mdat")) == b"moov" if container in {"mp4", "mov"} else index_in_front(path)
    return Check(name="index in front", passed=front, found="in front" if front else "behind the pictures, or missing")


def source_check(source: Path | None, content: str | None, reporter: Reporter) -> list[Check]:
    """That the source is, to the last byte, what was read: else what was held against the copy is not what it was made of. ``content``: its
    hash as it was read; where either is unknown, nothing is checked."""
    if source is None or content is None:
        return []
    try:
        same = content_hash(source, reporter.check) == content
    except OSError as error:
        return [Check(name="source as read", passed=False, found=f"the source cannot be read any more: {error.strerror}")]
    return [Check(name="source as read", passed=same, found="unchanged" if same else "the source changed since it was read")]


def _first_of(path: Path, kinds: tuple[bytes, ...]) -> bytes | None:
    """The first of some top-level boxes (ISO/IEC 14496-12 section 4.2)."""
    with path.open("rb") as file:
        while len(head := file.read(8)) == 8:
            size, kind = int.from_bytes(head[:4], "big"), head[4:]
            if kind in kinds:
                return kind
            skip = int.from_bytes(file.read(8), "big") - 16 if size == 1 else size - 8
            if skip < 0:
                return None
            file.seek(skip, 1)
    return None
