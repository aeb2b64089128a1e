"""Every file that the program makes begins here: never over another, never half under its final name, never two at one name.

A file grows hidden beside its final name, in a part file with a random name that nothing can have planted. The part is locked
while it grows, so that a second program that wants the same name is refused at once instead of after an hour. Only a whole file
that is on the drive is given its name, by a link, which fails where the name was taken meanwhile. A crash leaves the part; nobody
holds its lock then, and it is cleared away by whoever writes there next.
"""

from __future__ import annotations

import contextlib
import ctypes
import errno
import fcntl
import hashlib
import os
import re
import secrets
import stat
import time
from collections.abc import Collection, Iterator
from pathlib import Path

from yomikomi.core.errors import NameTakenError, UnfinishedError
from yomikomi.core.work.drive import drive_error, short_name

_PART = re.compile(r"\..{0,80}\.([0-9a-f]{8})-[0-9a-f]{16}\.part", re.DOTALL)
_READABLE = 40  # characters of the final name that a part's name shows
_FOLDER_LOCK_S = 2.0
_NO_REPLACE = 1  # RENAME_NOREPLACE of renameat2(2)
_AT_CWD = -100  # AT_FDCWD
# What file systems answer that have no locks, or no second names.
_UNSUPPORTED = frozenset({errno.ENOTSUP, errno.EOPNOTSUPP, errno.ENOSYS, errno.EINVAL, errno.ENOLCK, errno.EPERM, errno.EMLINK})


class NewFile:
    """A file that is being made. Use :func:`new_file`.

    Parameters
    ----------
    target : the name it is to have.
    part : where it grows: exists, is empty and locked. Write to it by name.
    """

    def __init__(self, target: Path, part: Path, handle: int) -> None:
        self.target, self.part = target, part
        self._handle = handle
        self.kept: Path | None = None

    def keep(self, name: Path | None = None) -> Path:
        """Give the whole file its name (or ``name``, in the same folder). Raises NameTakenError where it was taken meanwhile, OSError."""
        target = name or self.target
        self._secure()
        _give_name(self.part, target)
        sync_folder(target.parent)
        self.kept = target
        return target

    def take_place_of(self, old: Path, *, spare: Path | None) -> None:
        """Give the whole file the name of an older one, which is called ``spare`` from then on, or is removed where that is None. There
        is no moment at which the older one has no name. Raises OSError, NameTakenError."""
        self._secure()
        aside = spare or old.with_name(f".{old.name[:_READABLE]}.{secrets.token_hex(8)}.replaced")
        _give_name(old, aside)
        self.part.replace(old)
        sync_folder(old.parent)
        if spare is None:
            aside.unlink()

    def put_over(self, path: Path) -> None:
        """Give the whole file the name of an older one, which is gone then. Raises OSError, UnfinishedError."""
        self._secure()
        self.part.replace(path)
        sync_folder(path.parent)

    def _secure(self) -> None:
        """All bytes are on the drive, and what is to get the name is what was made: the part was not exchanged."""
        os.fsync(self._handle)
        if not _is(self.part, self._handle):
            raise UnfinishedError(f"{self.target.name} was exchanged while it was made.", remedy="Make it again.", path=self.target)

    def end(self) -> None:
        with contextlib.suppress(OSError):
            if _is(self.part, self._handle):
                self.part.unlink()
        os.close(self._handle)


@contextlib.contextmanager
def new_file(target: Path, *, safe: str = "") -> Iterator[NewFile]:
    """Make a file under a name that nothing has. It gets the name by :meth:`NewFile.keep`; without that nothing is left.

    ``safe``: see :func:`drive_error`. Raises NameTakenError, and for what the drive says the errors of :func:`drive_error`, also
    for an OSError out of the block.
    """
    target = Path(target)
    try:
        made = _begin(target)
    except OSError as error:
        raise drive_error(error, target, safe=safe) from error
    try:
        yield made
    except OSError as error:
        raise drive_error(error, target, safe=safe) from error
    finally:
        made.end()


def write_new(target: Path, content: bytes) -> None:
    """A small file under a name that nothing has."""
    with new_file(target) as made:
        made.part.write_bytes(content)
        made.keep()


def write_once(path: Path, content: bytes, *, mode: int) -> None:
    """A small file of a name that nobody else can want, on the drive when this comes back; never anyone's whom ``mode`` leaves out. Raises
    OSError, also where it is there."""
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, mode)
    try:
        os.write(handle, content)
        os.fsync(handle)
    finally:
        os.close(handle)


def write_small(path: Path, content: bytes, *, over: bool) -> None:
    """``over``: a person said that an older file may be replaced; otherwise NameTakenError where there is one. Raises what
    :func:`drive_error` makes of an OSError; nothing half-written is left."""
    (write_over if over else write_new)(path, content)


def write_over(path: Path, content: bytes) -> None:
    """A small file in the place of an older one: where a person just said so, or for the program's own caches. The old one stays
    until the new one is whole. A link is not followed: it is replaced."""
    spare = path.with_name(f"{path.name[:_READABLE]}.{secrets.token_hex(4)}")
    with new_file(spare) as made:
        made.part.write_bytes(content)
        made.put_over(path)


class Claim:
    """A final name that a recording grows under: it was free and is ours, and locked while we live."""

    def __init__(self, path: Path) -> None:
        """Raises NameTakenError, and what :func:`drive_error` makes of an OSError."""
        self.path = path
        try:
            self._handle = os.open(path, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
        except OSError as error:
            raise drive_error(error, path) from error
        _lock(self._handle)

    def there(self) -> bool:
        """Whether the name still leads to the file: not if its drive was pulled or it was renamed."""
        with contextlib.suppress(OSError):
            return _is(self.path, self._handle)
        return False

    def sync(self) -> None:
        """To the drive. Raises OSError."""
        os.fsync(self._handle)

    def give_up(self) -> None:
        """Nothing was recorded: the name is free again."""
        with contextlib.suppress(OSError):
            if self.there():
                self.path.unlink()
        self.close()

    def close(self) -> None:
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1


def check_free(target: Path) -> None:
    """Before long work: raises NameTakenError where something, be it a link to nothing, has the name, or UnfinishedError where no
    file can have it."""
    try:
        os.lstat(target)
    except FileNotFoundError:
        return
    except OSError as error:
        raise drive_error(error, target) from error
    raise NameTakenError(f"{short_name(target)} exists already and was left alone.", remedy="Choose another name.", path=target)


def is_taken(target: Path) -> bool:
    """Whether something, be it a link to nothing, has the name."""
    return os.path.lexists(target)


def free_name(folder: Path, stem: str, suffix: str, *, taken: Collection[str] = ()) -> Path:
    """A name that no file has yet and that is not ``taken``: the stem, or the stem with a number."""
    for number in range(1, 10_000):
        name = f"{stem}{suffix}" if number == 1 else f"{stem}-{number}{suffix}"
        if name not in taken and not is_taken(folder / name):
            return folder / name
    raise UnfinishedError(f"There are 10 000 files named {stem} already.", remedy="Move some elsewhere.")


def rename_new(old: Path, new: Path, *, keep_old: bool = False) -> None:
    """Another name for a file, never over another; ``keep_old``: it may keep the old one too, on drives that have second names. Raises
    NameTakenError, and what :func:`drive_error` makes of an OSError."""
    try:
        _give_name(old, new)
        if not keep_old:
            old.unlink(missing_ok=True)
        sync_folder(new.parent)
    except OSError as error:
        raise drive_error(error, new) from error


def is_being_written(path: Path) -> bool:
    """Whether a recording or a copy of this program holds the file, here or in another process."""
    with contextlib.suppress(OSError):
        handle = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
        try:
            return _lock(handle) is False
        finally:
            os.close(handle)
    return False


def clear_parts(folder: Path, target: Path | None = None) -> int:
    """Remove parts that a crash left in a folder (of one ``target``, or all); those that still grow are let alone. Returns how many."""
    wanted = _digest(target.name) if target is not None else None
    cleared = 0
    with contextlib.suppress(OSError), _only_one_in(folder):
        for name in os.listdir(folder):  # noqa: PTH208  names are all that is needed
            match = _PART.fullmatch(name)
            if match and wanted in {None, match[1]} and _clear_if_left(folder / name):
                cleared += 1
    return cleared


def new_folder(beside: Path) -> Path:
    """A hidden folder of its own in the folder of ``beside``. Raises what :func:`drive_error` makes of an OSError."""
    folder = beside.with_name(f".{beside.name[:_READABLE]}.{secrets.token_hex(8)}.making")
    try:
        folder.mkdir()
    except OSError as error:
        raise drive_error(error, beside) from error
    return folder


def give_folder_name(folder: Path, target: Path) -> None:
    """A finished folder gets its name; an empty folder may have it already. Raises NameTakenError where anything else has."""
    with contextlib.suppress(OSError):
        target.rmdir()
    answer = _rename_no_replace(folder, target)
    if answer in _UNSUPPORTED:
        check_free(target)
        try:
            folder.rename(target)  # fails itself on a folder that holds something
        except OSError as error:
            raise drive_error(error, target) from error
    elif answer:
        raise drive_error(OSError(answer, os.strerror(answer)), target)


def _begin(target: Path) -> NewFile:
    check_free(target)
    digest = _digest(target.name)
    shown = target.name.replace("\n", " ")[:_READABLE]
    while len(shown.encode(errors="surrogateescape")) > 2 * _READABLE:
        shown = shown[:-1]
    part = target.with_name(f".{shown}.{digest}-{secrets.token_hex(8)}.part")
    with _only_one_in(target.parent):
        for name in os.listdir(target.parent):  # noqa: PTH208
            match = _PART.fullmatch(name)
            if match and match[1] == digest and not _clear_if_left(target.parent / name):
                raise NameTakenError(
                    f"{short_name(target)} is being written by another Yomikomi.", remedy="Choose another name, or wait.", path=target
                )
        handle = os.open(part, os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)
        _lock(handle)
    return NewFile(target, part, handle)


def _digest(name: str) -> str:
    return hashlib.blake2b(os.fsencode(name), digest_size=4).hexdigest()


def _lock(handle: int) -> bool | None:
    """Whether the lock was free; None where the file system has none."""
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError:
        return False
    except OSError:
        return None
    return True


def _clear_if_left(part: Path) -> bool:
    """Remove a part whose maker is gone. False where it still grows, or where that cannot be told."""
    try:
        handle = os.open(part, os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError:
        return True
    except OSError:
        return False
    try:
        seen = os.fstat(handle)
        if not stat.S_ISREG(seen.st_mode) or seen.st_uid != os.geteuid() or _lock(handle) is not True:
            return False
        part.unlink(missing_ok=True)
    finally:
        os.close(handle)
    return True


@contextlib.contextmanager
def _only_one_in(folder: Path) -> Iterator[None]:
    """One program at a time looks at the parts of a folder and begins a new one."""
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    try:
        until = time.monotonic() + _FOLDER_LOCK_S
        while _lock(handle) is False and time.monotonic() < until:
            time.sleep(0.005)
        yield
    finally:
        os.close(handle)


def is_same_file(one: Path, other: Path) -> bool:
    """Whether two names lead to one file; not where one is a link to the other, or is not there."""
    try:
        first, second = one.stat(follow_symlinks=False), other.stat(follow_symlinks=False)
    except OSError:
        return False
    return (first.st_dev, first.st_ino) == (second.st_dev, second.st_ino)


def _is(path: Path, handle: int) -> bool:
    """Whether a name leads to an open file itself."""
    found, ours = path.stat(follow_symlinks=False), os.fstat(handle)
    return (found.st_dev, found.st_ino) == (ours.st_dev, ours.st_ino)


def _give_name(part: Path, target: Path) -> None:
    """By a second name; on drives without those by a rename that refuses to replace."""
    try:
        os.link(part, target, follow_symlinks=False)
    except FileExistsError:
        raise
    except OSError as error:
        if error.errno not in _UNSUPPORTED:
            raise
    else:
        return
    answer = _rename_no_replace(part, target)
    if answer == 0:
        return
    if answer not in _UNSUPPORTED:
        raise OSError(answer, os.strerror(answer), str(target))
    # Neither is known here: take the name with an empty file of our own, then put the whole one in its place.
    os.close(os.open(target, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666))
    part.rename(target)


def _rename_no_replace(old: Path, new: Path) -> int:
    """0, or the number of the error. renameat2(2) is in glibc since 2.28."""
    libc = ctypes.CDLL(None, use_errno=True)
    call = getattr(libc, "renameat2", None)
    if call is None:
        return errno.ENOSYS
    done = call(_AT_CWD, ctypes.c_char_p(os.fsencode(old)), _AT_CWD, ctypes.c_char_p(os.fsencode(new)), ctypes.c_uint(_NO_REPLACE))
    return 0 if done == 0 else ctypes.get_errno()


def sync_folder(folder: Path) -> None:
    """A name is on the drive only when its folder is. Some file systems refuse; the file itself is safe then all the same."""
    with contextlib.suppress(OSError):
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
