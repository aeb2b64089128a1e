"""Clips that were taken out of look-back rings and are not yet files of their own; after a crash also the ring itself."""

from __future__ import annotations

import shutil
from collections.abc import Collection
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.capture.cutting import Piece
from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.media import probe

_RING, _CLIP = ".ring-", "-clip"


@dataclass(frozen=True)
class RingLeft:
    """``carrier``: the id of the carrier it was captured from, as text; ``name``: what the clip is called."""

    carrier: str
    name: str
    pieces: tuple[Piece, ...]
    folder: Path


def ring_folder(takes: Path, carrier_id: int) -> Path:
    """Where the ring of a carrier grows."""
    return takes / f"{_RING}{carrier_id}"


def rings_left(takes: Path, *, going: Collection[str], armed: bool) -> list[RingLeft]:
    """All in the folder ``takes`` but those being joined now (names of folders) and, while one fills, the rings themselves.

    Folders in which nothing can be read are removed; a folder whose pieces cannot all be read is left with those that can."""
    found = []
    for folder in sorted(takes.glob(f"{_RING}*")):
        if folder.name in going or (armed and _CLIP not in folder.name):
            continue
        pieces = tuple(Piece(path) for path in sorted(folder.iterdir()) if _opens(path))
        if not pieces:
            shutil.rmtree(folder, ignore_errors=True)
            continue
        name = f"kept {folder.name.rpartition('clip')[2]}" if _CLIP in folder.name else "kept when it was cut off"
        found.append(RingLeft(folder.name.removeprefix(_RING).partition("-")[0], name, pieces, folder))
    return found


def _opens(path: Path) -> bool:
    """Whether a piece holds anything: the last one before a crash may not."""
    try:
        probe(path)
    except YomikomiError:
        return False
    return True
