"""What the muxer cannot be told or asked through PyAV about a Matroska file's header.

The display shape: the muxer writes it only from a field that PyAV does not expose, so FFV1 and AV1 in Matroska would
lose their pixel shape (H.264 and HEVC carry it themselves). The muxer leaves a Void element behind the Video element of
a track; this takes the few bytes needed from it, in place, so that a recording can be marked while it is being written.
Source: RFC 9559 (Matroska), sections 5.1.4.1.28 (Video) and 5.1.5 (Cues), and RFC 8794 (EBML).
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.video.geometry import Geometry

_SEGMENT, _TRACKS, _ENTRY, _VIDEO, _VOID = 0x18538067, 0x1654AE6B, 0xAE, 0xE0, 0xEC
_CRC = 0xBF
_CUES, _CLUSTER = 0x1C53BB6B, 0x1F43B675
_DISPLAY_WIDTH, _DISPLAY_HEIGHT, _DISPLAY_UNIT = 0x54B0, 0x54BA, 0x54B2
_AS_RATIO = 3  # DisplayUnit: width and height are the display shape, no sizes (RFC 9559, 5.1.4.1.28.14)
_HEAD_BYTES = 65_536


@dataclass(frozen=True)
class _Element:
    identity: int
    start: int
    data: int
    end: int


def set_display_shape(path: Path, geometry: Geometry) -> bool:
    """Mark the picture track of a Matroska file with the shape it is shown at, exactly: as a size in square pixels at storage height
    where that is a whole number, else as a ratio.

    Returns whether the header had the room; a file of another kind is left alone and gives False.
    """
    with path.open("r+b") as file:
        head = bytearray(file.read(_HEAD_BYTES))
        place = _rewrite(head, _shown_at(geometry))
        if place is None:
            return False
        start, end = place
        file.seek(start)
        file.write(head[start:end])
    return True


def index_in_front(path: Path) -> bool:
    """Whether the Cues (the index) of a Matroska file stand before its pictures, so that it can be sought in while it loads."""
    with path.open("rb") as file:
        head = file.read(_HEAD_BYTES)
    for segment in _children(head, 0, len(head)):
        if segment.identity == _SEGMENT:
            found = (e.identity for e in _children(head, segment.data, segment.end) if e.identity in {_CUES, _CLUSTER})
            return next(found, None) == _CUES
    return False


def _shown_at(geometry: Geometry) -> bytes:
    """The elements that say at which shape a picture is shown. A rounded width would change them:
    720 samples of 32:27 shown at 853 are pixels of 853:720."""
    width = geometry.width * geometry.sample_aspect
    if width.denominator == 1:
        return _number(_DISPLAY_WIDTH, width.numerator) + _number(_DISPLAY_HEIGHT, geometry.height)
    shape = geometry.display_aspect
    return _number(_DISPLAY_WIDTH, shape.numerator) + _number(_DISPLAY_HEIGHT, shape.denominator) + _number(_DISPLAY_UNIT, _AS_RATIO)


def _rewrite(head: bytearray, shown: bytes) -> tuple[int, int] | None:
    for segment in _children(head, 0, len(head)):
        if segment.identity != _SEGMENT:
            continue
        for tracks in _children(head, segment.data, segment.end):
            if tracks.identity == _TRACKS:
                return _rewrite_tracks(head, tracks, shown)
    return None


def _rewrite_tracks(head: bytearray, tracks: _Element, shown: bytes) -> tuple[int, int] | None:
    entries = [e for e in _children(head, tracks.data, tracks.end) if e.identity == _ENTRY]
    for entry in entries:
        parts = list(_children(head, entry.data, entry.end))
        video = next((i for i, e in enumerate(parts) if e.identity == _VIDEO), None)
        if video is None:
            continue
        void = next((i for i, e in enumerate(parts) if i > video and e.identity == _VOID), None)
        if void is None:
            return None
        first, last = parts[video], parts[void]
        kept = [
            bytes(head[e.start : e.end])
            for e in _children(head, first.data, first.end)
            if e.identity not in {_DISPLAY_WIDTH, _DISPLAY_HEIGHT, _DISPLAY_UNIT}
        ]
        body = b"".join(kept) + shown
        between = bytes(head[first.end : last.start])
        new = _ID_VIDEO + _size(len(body)) + body + between
        room = (last.end - first.start) - len(new)
        if room < 2 or len(body) > 126:
            return None
        new += bytes([_VOID]) + _padded_size(room)
        head[first.start : first.start + len(new)] = new
        _mend_checksums(head, tracks)
        return tracks.start, tracks.end
    return None


_ID_VIDEO = bytes([_VIDEO])


def _number(identity: int, value: int) -> bytes:
    data = value.to_bytes(4, "big").lstrip(b"\0") or b"\0"
    return identity.to_bytes(2, "big") + _size(len(data)) + data


def _size(length: int) -> bytes:
    return bytes([0x80 | length])


def _padded_size(room: int) -> bytes:
    """The size field and zero bytes of a Void element that fills ``room`` bytes, its identity included."""
    if room - 2 <= 126:
        return _size(room - 2) + bytes(room - 2)
    return (0x4000 | (room - 3)).to_bytes(2, "big") + bytes(room - 3)


def _mend_checksums(head: bytearray, tracks: _Element) -> None:
    """A master element may begin with a CRC-32 of the rest of it (RFC 8794 section 11.3.1)."""
    from zlib import crc32

    first = next(iter(_children(head, tracks.data, tracks.end)), None)
    if first and first.identity == _CRC:
        checksum = crc32(bytes(head[first.end : tracks.end]))
        head[first.data : first.end] = checksum.to_bytes(4, "little")


def _children(head: bytes | bytearray, start: int, end: int) -> Iterator[_Element]:
    place = start
    while place < min(end, len(head)) - 1:
        begin = place
        id_length = 9 - head[place].bit_length()
        if id_length > 4:
            return
        identity = int.from_bytes(head[place : place + id_length], "big")
        place += id_length
        if place >= len(head) or head[place] == 0:
            return
        size_length = 9 - head[place].bit_length()
        raw = int.from_bytes(head[place : place + size_length], "big")
        size = raw & ((1 << 7 * size_length) - 1)
        place += size_length
        unknown = size == (1 << 7 * size_length) - 1
        stop = len(head) if unknown else place + size
        yield _Element(identity, begin, place, stop)
        place = stop
