"""The desktop's trash: into it by the library that knows each desktop's, and out of it again by what the trash itself wrote down.

Source: the freedesktop.org Trash specification, version 1.0 (from memory): ``files/`` beside ``info/``, in the user's data folder or at the
top of each drive as ``.Trash/UID`` or ``.Trash-UID``; an info file holds the path, quoted as in an address.
"""

from __future__ import annotations

import configparser
import os
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import unquote

from send2trash import send2trash
from send2trash.exceptions import TrashPermissionError

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.fixity.digests import content_of
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import rename_new


def to_trash(path: Path) -> None:
    """Raises what the drive says, UnfinishedError where the drive has no trash."""
    try:
        send2trash(path)
    except TrashPermissionError as error:
        words = f"The drive of {path.name} has no trash."
        raise UnfinishedError(words, remedy="Use the holding folder (release rules).", path=path) from error
    except OSError as error:
        raise drive_error(error, path, safe="The take is where it was.") from error


def from_trash(home: Path, size: int, content: str) -> None:
    """Raises UnfinishedError where it is not there any more, NameTakenError where another file has its name meanwhile."""
    for kept, info in in_trash(home):
        try:
            if kept.stat().st_size == size and content_of(kept) == (size, content):
                rename_new(kept, home)
                info.unlink(missing_ok=True)
                return
        except OSError:
            continue
    remedy = "If the trash was emptied, only the copies are left."
    raise UnfinishedError(f"{home.name} is not in the trash any more.", remedy=remedy, path=home)


def in_trash(home: Path) -> Iterator[tuple[Path, Path]]:
    """Files in any trash that came from a path, with the files that say so."""
    for folder in _trashes(home):
        try:
            infos = sorted((folder / "info").glob("*.trashinfo"))
        except OSError:
            continue
        for info in infos:
            kept = folder / "files" / info.stem
            if _origin(info, folder) == home and kept.is_file() and not kept.is_symlink():
                yield kept, info


def _origin(info: Path, folder: Path) -> Path | None:
    parser = configparser.RawConfigParser()
    try:
        parser.read_string(info.read_text(encoding="utf-8", errors="surrogateescape"))
        told = unquote(parser.get("Trash Info", "Path"), errors="surrogateescape")
    except (OSError, configparser.Error, UnicodeError):
        return None
    # At the top of a drive paths count from there.
    top = folder.parent if folder.name.startswith(".Trash-") else folder.parent.parent
    return Path(told) if told.startswith("/") else top / told


def _trashes(home: Path) -> Iterator[Path]:
    data = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    yield Path(data) / "Trash"
    top = home.parent
    while not top.is_mount() and top != top.parent:
        top = top.parent
    yield top / ".Trash" / str(os.getuid())
    yield top / f".Trash-{os.getuid()}"
