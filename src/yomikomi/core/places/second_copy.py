"""Copying a file to a place: it goes on where it was cut off, is read back from the drive, and has its name only when it is proven."""

from __future__ import annotations

import fcntl
import os
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import BinaryIO

import blake3

from yomikomi.core.errors import NameTakenError, UnfinishedError, UnreadableError
from yomikomi.core.fixity.checking import Progress
from yomikomi.core.fixity.digests import content_of
from yomikomi.core.places.place import check_there
from yomikomi.core.video.identity import let_go
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import drive_error, free_bytes
from yomikomi.core.work.new_file import is_taken, rename_new

_PIECE = 4 << 20
_SAFE = "The file here is as it was."
# A drive that is filled to the last byte cannot even be looked after.
_LEFT_FREE = 50_000_000


@dataclass(frozen=True)
class SecondCopyRequest:
    """``size``, ``content``: of the source as it was hashed; ``root``, ``key``: of the place; ``name``: below it, without ".."."""

    source: Path
    size: int
    content: str
    root: Path
    key: str
    name: PurePosixPath


def copy_there(request: SecondCopyRequest, reporter: Reporter) -> Path:
    """Returns where it lies. A file of that name that is the same is taken as it is.

    Raises NameTakenError where another file has the name or is being copied to it, UnfinishedError where the source is not what it was,
    CancelledError (what is there stays, and is gone on with), and what the drives say.
    """
    check_there(request.root, request.key)
    target = request.root / request.name
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        if not target.parent.resolve().is_relative_to(request.root.resolve()):
            raise UnfinishedError(f"{target.parent.name}/ leads out of the place.", remedy="Remove the link there.", path=target.parent)
        if is_taken(target):
            return _adopt(request, target, reporter)
        _check_room(request, target)
        part = target.with_name(f".{target.name[:80]}.{request.content[:16]}.part")
        with _opened(part) as growing:
            _fill(request, growing, reporter)
            os.fsync(growing.fileno())
            let_go(growing.fileno())
            _prove(request, part, reporter)
            rename_new(part, target)
    except OSError as error:
        raise drive_error(error, target, safe=_SAFE) from error
    return target


def _adopt(request: SecondCopyRequest, target: Path, reporter: Reporter) -> Path:
    own = target.is_file() and not target.is_symlink()
    if not own or content_of(target, lambda _done: reporter.check()) != (request.size, request.content):
        raise NameTakenError(f"{target.name} is there already, and is another file.", remedy="Move it away, or look at it.", path=target)
    return target


def _check_room(request: SecondCopyRequest, target: Path) -> None:
    if free_bytes(target.parent) < request.size + _LEFT_FREE:
        remedy = f"{_SAFE} Make room there."
        raise UnfinishedError(f"There is no room for {target.name} in {request.root.name}/.", remedy=remedy, path=target)


def _opened(part: Path) -> BinaryIO:
    """The part, locked as long as it grows."""
    handle = os.open(part, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
    file = os.fdopen(handle, "r+b", buffering=0)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        file.close()
        raise NameTakenError(f"{part.name} is being copied by another Yomikomi.", remedy="Wait until it is done.", path=part) from error
    except OSError:
        pass  # this drive knows no locks
    return file


def _fill(request: SecondCopyRequest, growing: BinaryIO, reporter: Reporter) -> None:
    """What is there already is held against the source, and kept as far as it is the same. The source is hashed on the way: what is copied
    must be what was known to be good."""
    digest, done, same = blake3.blake3(), 0, True
    with _source(request.source) as source:
        while piece := _read(source, request.source):
            reporter.check()
            if not same or growing.read(len(piece)) != piece:
                same = False
                growing.seek(done)
                written = memoryview(piece)
                while written:
                    written = written[growing.write(written) :]
            digest.update(piece)
            done += len(piece)
            reporter.report(Progress(part=0.5 * min(1.0, done / max(1, request.size))))
    growing.truncate(done)
    if (done, str(digest.hexdigest())) != (request.size, request.content):
        raise UnfinishedError(
            f"{request.source.name} is not what it was when it was hashed.", remedy="Check it in the ledger before it is copied.",
            path=request.source,
        )  # fmt: skip


def _prove(request: SecondCopyRequest, part: Path, reporter: Reporter) -> None:
    def told(done: int) -> None:
        reporter.check()
        reporter.report(Progress(part=0.5 + 0.5 * min(1.0, done / max(1, request.size))))

    if content_of(part, told, from_drive=True) != (request.size, request.content):
        part.unlink(missing_ok=True)
        raise UnfinishedError(
            f"What {request.root.name}/ gave back of {request.name.name} is not what was written.",
            remedy=f"{_SAFE} Do not trust that drive; try another.", path=request.root,
        )  # fmt: skip


def _source(path: Path) -> BinaryIO:
    try:
        return path.open("rb", buffering=0)
    except OSError as error:
        raise UnreadableError(f"{path.name} cannot be read: {error.strerror}.", remedy="Connect its drive.", path=path) from error


def _read(source: BinaryIO, path: Path) -> bytes:
    try:
        return source.read(_PIECE)
    except OSError as error:
        raise UnreadableError(f"{path.name} cannot be read to its end: {error.strerror}.", remedy="Check its drive.", path=path) from error
