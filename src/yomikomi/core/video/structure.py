"""What a file holds behind the part that decoders reach.

Two files put one after another are one file to a copying program and half a file to a decoder: Matroska is read up to the end of its
first Segment, MP4 and MOV by their first index. Sources: RFC 8794 (EBML) section 8, RFC 9559 (Matroska) section 4.5; ISO/IEC 14496-12
section 4.2 (boxes).
"""

from __future__ import annotations

from pathlib import Path
from typing import IO

_EBML, _SEGMENT = 0x1A45DFA3, 0x18538067
_MOST_ELEMENTS = 10_000


def unread_bytes(path: Path) -> int:
    """Bytes that follow the part of a Matroska, MP4 or MOV file that is read, where a further file begins there; else 0."""
    try:
        with path.open("rb") as file:
            head = file.read(12)
            size = path.stat().st_size
            if head[:4] == b"\x1a\x45\xdf\xa3":
                return _after_segment(file, size)
            if head[4:8] == b"ftyp":
                return _after_boxes(file, size)
    except (OSError, ValueError):
        return 0
    return 0


def _after_segment(file: IO[bytes], size: int) -> int:
    at = segments = 0
    for _ in range(_MOST_ELEMENTS):
        if at >= size:
            return 0
        file.seek(at)
        found = element_head(file.read(12))
        if found is None:
            return 0
        identity, head, length = found
        if identity == _EBML and segments:
            return size - at
        if length is None:
            return 0  # a recording that was not closed: it goes on to the end
        segments += identity == _SEGMENT
        at += head + length
    return 0


def element_head(raw: bytes) -> tuple[int, int, int | None] | None:
    """Identity, bytes of the head, and bytes of the data (None: unknown) of the EBML element that ``raw`` begins with."""
    if not raw or raw[0] == 0:
        return None
    wide = 9 - raw[0].bit_length()
    if wide > 4 or len(raw) <= wide or raw[wide] == 0:
        return None
    deep = 9 - raw[wide].bit_length()
    field = raw[wide : wide + deep]
    if len(field) < deep:
        return None
    mask = (1 << 7 * deep) - 1
    length = int.from_bytes(field, "big") & mask
    return int.from_bytes(raw[:wide], "big"), wide + deep, None if length == mask else length


def _after_boxes(file: IO[bytes], size: int) -> int:
    at, seen_index = 0, False
    for _ in range(_MOST_ELEMENTS):
        file.seek(at)
        head = file.read(16)
        if len(head) < 8:
            return 0
        length, kind = int.from_bytes(head[:4], "big"), head[4:8]
        if length == 1:
            length = int.from_bytes(head[8:16], "big")
        if kind == b"ftyp" and at and seen_index:
            return size - at
        seen_index |= kind == b"moov"
        if length < 8:
            return 0
        at += length
    return 0
