"""What a drive said, in words a person can act on: the one place where errors of the file system become ours."""

from __future__ import annotations

import errno
import shutil
from pathlib import Path

from yomikomi.core.errors import DriveAwayError, DriveFullError, NameTakenError, UnfinishedError, YomikomiError

FULL = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EFBIG})
# The folder is gone, the device behind it is, or a network drive lost its server.
AWAY = frozenset({
    errno.ENOENT, errno.ENOTDIR, errno.EIO, errno.ENODEV, errno.ENXIO, errno.ESTALE, errno.ENOTCONN, errno.EHOSTDOWN, errno.ENOMEDIUM,
    errno.ESHUTDOWN, errno.ETIMEDOUT,
})  # fmt: skip
_FORBIDDEN = frozenset({errno.EACCES, errno.EPERM})


def drive_error(error: OSError, path: Path, *, safe: str = "") -> YomikomiError:
    """The typed error for what the file system said while ``path`` was written.

    Parameters
    ----------
    safe : what is safe all the same, one sentence ("The take is untouched."); goes before the remedy.
    """
    folder = f"{path.parent.name or path.parent}/"

    def made(kind: type[YomikomiError], message: str, remedy: str) -> YomikomiError:
        return kind(message, remedy=f"{safe} {remedy}".strip(), path=path)

    if error.errno in FULL:
        large = f", or takes no file as large as {path.name}" if error.errno == errno.EFBIG else f": no room in {folder}"
        return made(DriveFullError, f"The drive is full{large}.", "Make room or choose another drive.")
    if error.errno == errno.EEXIST:
        return made(NameTakenError, f"{path.name} exists already and was left alone.", "Choose another name.")
    if error.errno == errno.EROFS:
        return made(UnfinishedError, f"The drive of {folder} is read-only.", "Choose a folder on a drive that can be written to.")
    if error.errno in _FORBIDDEN:
        return made(UnfinishedError, f"You may not write to {folder}", "Choose a folder you may write to.")
    if error.errno == errno.ENAMETOOLONG:
        return made(UnfinishedError, f"The name {short_name(path)} is longer than this drive allows.", "Choose a shorter name.")
    if error.errno == errno.EINVAL:
        return made(UnfinishedError, f"This drive does not accept the name {short_name(path)}.", "Use letters, digits and hyphens.")
    if error.errno in AWAY:
        how = "is not there" if error.errno in {errno.ENOENT, errno.ENOTDIR} else f"cannot be reached ({error.strerror})"
        return made(DriveAwayError, f"The folder {folder} {how}.", "Make it, or connect its drive.")
    return made(UnfinishedError, f"{path.name} could not be written: {error.strerror or error}.", "Check the drive.")


def short_name(path: Path) -> str:
    """A name that fits on a line, whatever a person typed."""
    name = path.name
    return name if len(name) <= 60 else f"{name[:40]}…{name[-12:]}"


def free_bytes(folder: Path) -> int:
    """What is free on the drive of a folder, none where that is away."""
    try:
        return shutil.disk_usage(folder).free
    except OSError:
        return 0


def size_of(path: Path) -> int | None:
    """Bytes of a file; None where it cannot be reached."""
    try:
        return path.stat().st_size
    except OSError:
        return None
