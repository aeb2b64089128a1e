"""The boxes that MP4 and its like are made of."""

from __future__ import annotations

from pathlib import Path


def first_box_of(path: Path, kinds: tuple[bytes, ...]) -> bytes | None:
    """The first of some top-level boxes (ISO/IEC 14496-12 section 4.2)."""
    with path.open("rb") as file:
        while len(head := file.read(8)) == 8:
            size, kind = int.from_bytes(head[:4], "big"), head[4:]
            if kind in kinds:
                return kind
            skip = int.from_bytes(file.read(8), "big") - 16 if size == 1 else size - 8
            if skip < 0:
                return None
            file.seek(skip, 1)
    return None
