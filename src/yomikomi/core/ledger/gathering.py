"""Taking in what was dropped: files, and whole folders with whatever lies in them."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.disc.image import looks_like_disc
from yomikomi.core.errors import UnreadableError, WrongUseError, YomikomiError
from yomikomi.core.ledger.takes import TakeRoom

# Suffixes of files that may hold moving pictures; others in a folder are left aside unopened.
_FOOTAGE = {
    ".mkv", ".mp4", ".m4v", ".mov", ".avi", ".mpg", ".mpeg", ".m2v", ".vob", ".ts", ".m2ts", ".mts", ".mxf", ".dv", ".webm", ".wmv",
    ".asf", ".flv", ".3gp", ".3g2", ".ogv", ".nut", ".y4m", ".mod", ".tod",
}  # fmt: skip
MOST_FILES = 2000  # in one go; more is more likely the wrong folder


@dataclass(frozen=True)
class Gathered:
    """Parameters
    ----------
    taken : ids of carriers taken in. ``warnings``: file names, and what is not as it should be with them.
    failures : files that could not be taken in, with the reason. ``left_aside``: files in folders that are no footage.
    discs : disc folders and images found; their titles are chosen by a person.
    """

    taken: tuple[int, ...]
    warnings: tuple[tuple[str, str], ...]
    failures: tuple[YomikomiError, ...]
    left_aside: int
    discs: tuple[Path, ...]


def gather(takes: TakeRoom, paths: Sequence[Path]) -> Gathered:
    """Put every file with moving pictures on the shelf by reference. A file named by itself is tried whatever its suffix."""
    files, discs, left_aside = _sort(paths)
    taken: list[int] = []
    warnings: list[tuple[str, str]] = []
    failures: list[YomikomiError] = []
    if len(files) > MOST_FILES:
        raise WrongUseError(f"{len(files)} files at once are more than {MOST_FILES}.", remedy="Take them in folder by folder.")
    for path in files:
        try:
            carrier, warning = takes.import_file(path)
        except (UnreadableError, WrongUseError) as error:
            failures.append(error)
        else:
            taken.append(carrier)
            if warning:
                warnings.append((path.name, warning))
    return Gathered(tuple(taken), tuple(warnings), tuple(failures), left_aside, tuple(discs))


def _sort(paths: Sequence[Path]) -> tuple[list[Path], list[Path], int]:
    """Files to try, discs, and how many files of folders are no footage."""
    files: list[Path] = []
    discs: list[Path] = []
    left_aside = 0
    for path in paths:
        inside = [path] if looks_like_disc(path) or not path.is_dir() else _walk(path)
        for found in inside:
            if looks_like_disc(found):
                discs.append(found)
            elif found == path or found.suffix.lower() in _FOOTAGE:
                files.append(found)
            else:
                left_aside += 1
    return files, discs, left_aside


def _walk(folder: Path) -> Iterator[Path]:
    """Files below a folder in order of name, and disc folders as a whole; hidden ones and links to folders are passed by."""
    for place, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in list(folders):
            if looks_like_disc(Path(place) / name):
                folders.remove(name)
                yield Path(place) / name
        yield from (Path(place) / name for name in sorted(names) if not name.startswith("."))
