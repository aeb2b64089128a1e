"""Small drives that fill up, turn read-only or are pulled: real file systems, mounted for a test."""

from __future__ import annotations

import contextlib
import os
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest


def _run(*words: str) -> bool:
    return subprocess.run(words, capture_output=True, check=False).returncode == 0


class Drive:
    """A file system of ``size`` in memory at ``path``."""

    def __init__(self, path: Path, size: str) -> None:
        self.path = path
        path.mkdir(parents=True, exist_ok=True)
        if os.geteuid() != 0 or not _run("mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(path)):
            pytest.skip("mounting is not allowed here")

    def make_read_only(self) -> None:
        assert _run("mount", "-o", "remount,ro", str(self.path))

    def fill(self, leave: int = 0) -> None:
        """Until nothing, or only so many bytes, fits any more."""
        free = os.statvfs(self.path)
        with contextlib.suppress(OSError), (self.path / "filling").open("wb") as file:
            file.write(bytes(max(0, free.f_bavail * free.f_bsize - leave)))

    def pull(self) -> None:
        """As somebody pulls a plug: the name leads nowhere any more, open files live on unseen."""
        _run("umount", "-l", str(self.path))

    def pull_for_a_while(self) -> None:
        """As :meth:`pull`; the same drive is kept elsewhere."""
        self._elsewhere.mkdir(exist_ok=True)
        assert _run("mount", "--bind", str(self.path), str(self._elsewhere))
        self.pull()

    def put_back_as_it_was(self) -> None:
        assert _run("mount", "--bind", str(self._elsewhere), str(self.path))
        _run("umount", "-l", str(self._elsewhere))

    @property
    def _elsewhere(self) -> Path:
        return self.path.with_name(f"{self.path.name} elsewhere")

    def put_back(self, content: Path, size: str) -> None:
        """The drive again, with what is in a folder on it."""
        assert _run("mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(self.path))
        assert _run("cp", "-a", f"{content}/.", str(self.path))


@contextlib.contextmanager
def drive(path: Path, size: str = "4m") -> Iterator[Drive]:
    made = Drive(path, size)
    try:
        yield made
    finally:
        made.pull()
