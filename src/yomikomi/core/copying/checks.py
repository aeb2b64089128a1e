"""What is checked of every copy, however it was made."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict

from yomikomi.core.errors import UnreadableError
from yomikomi.core.outlets.conforming import conformity
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.video.boxes import first_box_of
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
    front = first_box_of(path, (b"moov", b"mdat")) == b"moov" if container in {"mp4", "mov"} else index_in_front(path)
    return Check(name="index in front", passed=front, found="in front" if front else "behind the pictures, or missing")


def outlet_check(path: Path, container: str, outlet: Outlet | None, reporter: Reporter) -> list[Check]:
    """That a copy keeps the limits of the outlet that it was made for, from its own bytes; nothing where it was made for none."""
    if outlet is None:
        return []
    name = f"plays at: {outlet.words}"
    try:
        found = conformity(path, outlet, reporter.check, container_kind=container)
    except UnreadableError as error:
        return [Check(name=name, passed=False, found=error.message)]
    return [Check(name=name, passed=found.conforms, found="; ".join(one.words for one in found.violations) or "within its limits")]


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
