"""Files of another workspace as they come here: under free names, read back, or left where they are if they lay outside it."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Callable
from pathlib import Path

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.fixity.digests import content_of
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.ledger.workspace import Workspace, real_path
from yomikomi.core.work.drive import size_of
from yomikomi.core.work.new_file import free_name, is_taken, new_file

_PIECE = 4 << 20


class Arrivals:
    """``kept``: paths as the other record keeps them → as ours does; ``contents``: BLAKE3 of those that were copied, by the first."""

    def __init__(self, workspace: Workspace, folder: Path, check: Callable[[], None]) -> None:
        self._workspace, self._folder, self._check = workspace, folder, check
        self.kept: dict[str, str] = {}
        self.contents: dict[str, str] = {}
        self.count = self.bytes = 0

    def fetch(self, kept: str, room: str) -> str | None:
        """None where the file is not there. What lies outside the other workspace is not moved, only named."""
        if kept in self.kept:
            return self.kept[kept]
        source = real_path(self._folder, kept)
        if not source.resolve().is_relative_to(self._folder):
            self.kept[kept] = self._workspace.keep(source)
            return self.kept[kept]
        size = size_of(source)
        if size is None or not source.is_file():
            return None
        self.kept[kept] = self._workspace.keep(self._copied(source, room, kept))
        self.count, self.bytes = self.count + 1, self.bytes + size
        return self.kept[kept]

    def name_for(self, kept: str, room: str) -> str:
        """A name for what is not there, so that it is missed here as it was there."""
        if kept not in self.kept:
            self.kept[kept] = self._workspace.keep(self._free(Path(real_path(self._folder, kept).name), room))
        return self.kept[kept]

    def folder(self, kept: str) -> str:
        """A folder of trials' pictures; a cache, so that what cannot be copied is left out."""
        source = real_path(self._folder, kept)
        target = self._free(Path(source.name), "trials")
        if source.resolve().is_relative_to(self._folder) and source.is_dir():
            with contextlib.suppress(OSError, shutil.Error):
                shutil.copytree(source, target, symlinks=True)
        return self._workspace.keep(target)

    def disk(self, kept: str) -> str:
        """The drive that a file lies on now."""
        return disk_of(self._workspace.path(self.kept[kept]))

    def _free(self, name: Path, room: str) -> Path:
        given = {self._workspace.path(one).name for one in self.kept.values()}
        return free_name(self._workspace.folder / room, name.stem, name.suffix, taken=given)

    def _copied(self, source: Path, room: str, kept: str) -> Path:
        known = content_of(source, lambda _done: self._check())
        self.contents[kept] = known[1]
        left = self._workspace.folder / room / source.name
        if is_taken(left) and not left.is_symlink() and self._workspace.keep(left) not in self.kept.values():
            with contextlib.suppress(OSError):
                if content_of(left, lambda _done: self._check()) == known:
                    return left  # from a try that was cut off, or it was here before
        target = self._free(Path(source.name), room)
        with new_file(target, safe="Both workspaces are as they were.") as made:
            with source.open("rb") as content, made.part.open("wb") as file:
                while piece := content.read(_PIECE):
                    self._check()
                    file.write(piece)
            if content_of(made.part, from_drive=True) != known:
                words = f"{source.name} did not come over as it was."
                raise UnfinishedError(words, remedy="Check both drives, then try again; what came stays.", path=source)
            made.keep()
        return target
