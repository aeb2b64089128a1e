"""A damaged file gets its bytes back from another copy of it; the damaged one is kept beside it until a person removes it."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.fixity.digests import content_of
from yomikomi.core.fixity.marker import key_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import free_name, is_taken, new_file

_PIECE = 4 << 20
_SAFE = "Both files are as they were."


@dataclass(frozen=True)
class RepairRequest:
    """``damaged`` may be missing; ``good``: another copy; ``size``, ``content``: what the file must be. ``root``, ``key``: of the place
    that the damaged one lies in; empty: in none."""

    damaged: Path
    good: Path
    size: int
    content: str
    root: Path | None = None
    key: str = ""


@dataclass(frozen=True)
class Repaired:
    """``kept``: the damaged file under its new name; None where it was missing."""

    path: Path
    kept: Path | None


def repair(request: RepairRequest, reporter: Reporter) -> Repaired:
    """Raises UnfinishedError where the other copy is not whole either, UnreadableError where it cannot be read, CancelledError, and what
    the drive says."""
    damaged = request.damaged
    if request.root is not None and key_of(request.root) != request.key:
        words = f"{request.root.name}/ is not the place that it was."
        raise UnfinishedError(words, remedy=f"{_SAFE} Connect its drive.", path=request.root)
    with new_file(damaged.with_name(f"{damaged.stem}.repaired{damaged.suffix}"), safe=_SAFE) as made:
        _copy(request, made.part, reporter)
        if content_of(made.part, lambda _done: reporter.check(), from_drive=True) != (request.size, request.content):
            raise UnfinishedError(
                f"{request.good.name} on the other drive is not whole either.", remedy=f"{_SAFE} Look for a third copy.", path=request.good
            )
        if not is_taken(damaged):
            made.keep(damaged)
            return Repaired(damaged, None)
        spare = free_name(damaged.parent, f"{damaged.stem}.damaged", damaged.suffix)
        made.take_place_of(damaged, spare=spare)
        return Repaired(damaged, spare)


def _copy(request: RepairRequest, part: Path, reporter: Reporter) -> None:
    try:
        source = request.good.open("rb")
    except OSError as error:
        words = f"{request.good.name} cannot be read: {error.strerror}."
        raise UnreadableError(words, remedy="Connect its drive.", path=request.good) from error
    with source, part.open("wb") as target:
        while True:
            reporter.check()
            try:
                piece = source.read(_PIECE)
            except OSError as error:
                raise UnreadableError(
                    f"{request.good.name} cannot be read to its end: {error.strerror}.", remedy="Look for a third copy.", path=request.good
                ) from error
            if not piece:
                return
            target.write(piece)
