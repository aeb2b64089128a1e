"""Many files in one go: hashed for the first time, or read again, each with the drive that it lies on as that is just now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict

from yomikomi.core.fixity.checking import CheckRequest, FixityFinding, Progress, check_file
from yomikomi.core.fixity.digests import Digests, digests_of
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import size_of
from yomikomi.core.work.reporter import Relay


class Checked(BaseModel):
    model_config = ConfigDict(frozen=True)

    finding: FixityFinding
    disk: str


class Hashed(BaseModel):
    """``digests`` None: it cannot be read now."""

    model_config = ConfigDict(frozen=True)

    digests: Digests | None
    disk: str


@dataclass(frozen=True)
class _Share:
    """What part of the whole each file is, by its bytes."""

    before: float
    own: float

    def told(self, progress: Any) -> Progress | None:
        return Progress(part=self.before + self.own * progress.part) if isinstance(progress, Progress) else None


def check_files(requests: Sequence[CheckRequest], reporter: Reporter) -> list[Checked]:
    """In the order given. Raises CancelledError."""
    shares = _shares([one.size for one in requests])
    return [
        Checked(finding=check_file(one, Relay(reporter, share.told)), disk=disk_of(one.path))
        for one, share in zip(requests, shares, strict=True)
    ]


def hash_files(paths: Sequence[Path], reporter: Reporter) -> list[Hashed]:
    """Both digests of each. Raises CancelledError."""
    sizes = [size_of(path) or 0 for path in paths]
    made = []
    for path, size, share in zip(paths, sizes, _shares(sizes), strict=True):
        def told(done: int, size: int = size, share: _Share = share) -> None:
            reporter.check()
            reporter.report(Progress(part=share.before + share.own * min(1.0, done / max(1, size))))

        try:
            digests = digests_of(path, told)
        except OSError:
            digests = None
        made.append(Hashed(digests=digests, disk=disk_of(path)))
    return made


def _shares(sizes: Sequence[int]) -> list[_Share]:
    total, before, made = max(1, sum(sizes)), 0, []
    for size in sizes:
        made.append(_Share(before / total, size / total))
        before += size
    return made
