"""Where a copy grows over several tasks and several starts of the program: a hidden folder beside its final name.

Nothing half has a final name. What a task finished lies here whole, on the drive, with its digest; the next task, or the same one after
the program was killed, takes it from there. The folder's name follows from what is asked for, so that no other request finds it.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import re
import secrets
import shutil
from collections.abc import Callable, Collection, Iterator
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel, ValidationError

from yomikomi.core.copying.made import Made
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import NameTakenError
from yomikomi.core.video.identity import content_hash
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import is_same_file, rename_new, sync_folder, write_over

_FOLDER = re.compile(r"\..{0,80}\.([0-9a-f]{8})-[0-9a-f]{16}\.growing", re.DOTALL)
_READABLE = 40  # characters of the final name that the folder's name shows
_MADE, _VERDICT, _LOCK = "made.json", "verdict.json", "lock"
# No document of ours is larger, bytes.
_LARGEST = 100_000_000
Document = TypeVar("Document", bound=BaseModel)


class WorkFolder:
    """Of one copy. Nothing is made before :meth:`entered`."""

    def __init__(self, request: CopyRequest) -> None:
        target = request.target
        self.target = target
        shown = target.name.replace("\n", " ")[:_READABLE]
        while len(shown.encode(errors="surrogateescape")) > 2 * _READABLE:
            shown = shown[:-1]
        self.folder = target.with_name(f".{shown}.{_name_digest(target.name)}-{request_digest(request)}.growing")
        self._kind = request.recipe.container
        # Another process may believe itself alone here: on another machine, where the file system knows no locks.
        self.part = self.folder / f"part-{os.getpid()}-{secrets.token_hex(4)}.{self._kind}"
        self.whole = self.folder / f"whole.{request.recipe.container}"
        self.chunks = self.folder / "chunks"

    @contextlib.contextmanager
    def entered(self) -> Iterator[None]:
        """One process at a time. Raises NameTakenError where another holds it, and what :func:`drive_error` makes of an OSError."""
        try:
            self.folder.mkdir(exist_ok=True)
            handle = os.open(self.folder / _LOCK, os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise drive_error(error, self.target, safe="The take is untouched.") from error
        try:
            with contextlib.suppress(OSError):  # a file system without locks
                try:
                    fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
                except BlockingIOError:
                    raise NameTakenError(
                        f"{self.target.name} is being written by another Yomikomi.", remedy="Wait until it is done.", path=self.target
                    ) from None
            yield
        finally:
            os.close(handle)

    def keep_made(self, made: Made, check: Callable[[], None]) -> Made:
        """The part is whole: to the drive, hashed, and written down. Returns it with its digest. Raises OSError."""
        with self.part.open("rb") as file:
            os.fsync(file.fileno())
        made = made.model_copy(update={"content": content_hash(self.part, check)})
        self.part.replace(self.whole)
        write_over(self.folder / _MADE, made.model_dump_json().encode())
        shutil.rmtree(self.chunks, ignore_errors=True)
        return made.at(self.whole)

    def made(self, check: Callable[[], None]) -> Made | None:
        """What an earlier task finished, if it is, to the last byte, what it was then. ``check`` may raise to stop."""
        made = _document(self.folder / _MADE, Made)
        with contextlib.suppress(OSError):
            if made is not None and made.content and self.whole.stat().st_size == made.size_bytes:
                return made.at(self.whole) if content_hash(self.whole, check) == made.content else None
        return None

    def keep_verdict(self, result: CopyResult) -> None:
        """Before the name is given: so that nothing is proven twice. Raises OSError."""
        write_over(self.folder / _VERDICT, result.model_dump_json().encode())

    def verdict(self) -> CopyResult | None:
        return _document(self.folder / _VERDICT, CopyResult)

    def has_name(self, told: CopyResult, check: Callable[[], None]) -> bool:
        """Whether the proven file got its name before, and is still what was proven. ``check`` may raise to stop."""
        named = self.target.with_name(told.file)
        if is_same_file(self.whole, named):
            return True
        with contextlib.suppress(OSError):
            return named.stat().st_size == told.size_bytes and content_hash(named, check) == told.content
        return False

    def give_name(self, told: CopyResult) -> None:
        """To the whole file, never over another. Raises NameTakenError, and what the drive says."""
        rename_new(self.whole, self.target.with_name(told.file), keep_old=True)

    def clear_part(self) -> None:
        """Remove what was not finished; chunks that were stay. Raises OSError."""
        for part in self.folder.glob(f"part-*.{self._kind}"):
            part.unlink(missing_ok=True)
        self.part.touch()

    def leave(self) -> None:
        """Work ends before it is done: what helps the next start stays, if anything does."""
        if any(self.chunks.glob("*.json")):
            self.part.unlink(missing_ok=True)
        else:
            self.clear()

    def clear(self) -> None:
        """All of it goes; what has its name already stays."""
        shutil.rmtree(self.folder, ignore_errors=True)
        with contextlib.suppress(OSError):
            sync_folder(self.folder.parent)


def request_digest(request: CopyRequest) -> str:
    """The same for the same copy of the same take under the same name."""
    outlet = request.outlet.model_dump_json() if request.outlet is not None else ""
    words = (
        request.target.name, request.reading.content or str(request.path), request.treatment.digest, request.recipe.model_dump_json(),
        outlet, str(request.fill_gaps),
    )  # fmt: skip
    return hashlib.blake2b("\0".join(words).encode(errors="surrogateescape"), digest_size=8).hexdigest()


def clear_folders(folder: Path, wanted: Collection[str]) -> int:
    """Remove work folders in ``folder`` that nobody works in, but for those of copies that are to have one of the ``wanted`` names. Returns
    how many."""
    cleared, digests = 0, {_name_digest(name) for name in wanted}
    with contextlib.suppress(OSError):
        for name in os.listdir(folder):  # noqa: PTH208  names are all that is needed
            path, match = folder / name, _FOLDER.fullmatch(name)
            if match and match[1] not in digests and path.is_dir() and not path.is_symlink() and _is_left(path):
                shutil.rmtree(path, ignore_errors=True)
                cleared += not path.exists()
    return cleared


def _name_digest(name: str) -> str:
    return hashlib.blake2b(os.fsencode(name), digest_size=4).hexdigest()


def _is_left(folder: Path) -> bool:
    """Whether no process holds it."""
    try:
        handle = os.open(folder / _LOCK, os.O_RDWR | os.O_NOFOLLOW | os.O_CLOEXEC)
    except FileNotFoundError:
        return True
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return False
    else:
        return True
    finally:
        os.close(handle)


def _document(path: Path, kind: type[Document]) -> Document | None:
    """None where there is none, or what stands there is none."""
    try:
        if path.is_symlink() or path.stat().st_size > _LARGEST:
            return None
        return kind.model_validate_json(path.read_bytes())
    except (OSError, ValidationError):
        return None
