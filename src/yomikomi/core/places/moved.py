"""Files that lie elsewhere now, found by their content, whatever they are called."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path

from yomikomi.core.fixity.digests import content_of


def find_moved(folders: Sequence[Path], wanted: Mapping[str, int], check: Callable[[], None] = lambda: None) -> dict[str, Path]:
    """``wanted``: BLAKE3 → bytes. Only files of a wanted length are read. Links are not followed. What cannot be read is passed over;
    ``check`` may raise to stop."""
    by_size: dict[int, set[str]] = {}
    for content, size in wanted.items():
        by_size.setdefault(size, set()).add(content)
    found: dict[str, Path] = {}
    for path, size in _files(folders):
        check()
        left = by_size.get(size, set()) - set(found)
        if not left:
            continue
        try:
            _, content = content_of(path, lambda _done: check())
        except OSError:
            continue
        if content in left:
            found[content] = path
    return found


def _files(folders: Sequence[Path]) -> Iterator[tuple[Path, int]]:
    for folder in folders:
        for root, _folders, names in os.walk(folder):  # does not follow links, and passes over what may not be read
            for name in sorted(names):
                path = Path(root, name)
                try:
                    if not path.is_symlink() and path.is_file():
                        yield path, path.stat().st_size
                except OSError:
                    continue
