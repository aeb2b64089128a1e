"""Parameter sets of H.264 as MP4 and Matroska keep them, so that a second encoder's pictures can stand beside a first one's.

Source: ISO/IEC 14496-15, 5.3.3.1 (AVCDecoderConfigurationRecord), and ITU-T H.264, 7.3.1 and 7.3.2 (from memory; what is made of it is
decoded in tests).
"""

from __future__ import annotations

import re
import struct
from dataclasses import dataclass, replace

_SLICE_IDR, _SEQUENCE, _PICTURE, _DELIMITER, _MESSAGE = 5, 7, 8, 9, 6
_FOUR_BYTES = 3


@dataclass(frozen=True)
class Configuration:
    """``head``: version, profile, level and how long the length before each unit is; ``tail``: what a profile adds."""

    head: bytes
    sequences: tuple[bytes, ...]
    pictures: tuple[bytes, ...]
    tail: bytes = b""

    @classmethod
    def of(cls, data: bytes) -> Configuration | None:
        """None for what is none, and where lengths are not of four bytes."""
        if len(data) < 8 or data[0] != 1 or data[4] & 3 != _FOUR_BYTES:
            return None
        try:
            sequences, at = _sets(data, 6, data[5] & 31)
            pictures, end = _sets(data, at + 1, data[at])
        except (IndexError, struct.error):
            return None
        return cls(data[:5], sequences, pictures, data[end:])

    @property
    def data(self) -> bytes:
        parts = [self.head, bytes([0xE0 | len(self.sequences)]), *map(_with_length, self.sequences)]
        return b"".join([*parts, bytes([len(self.pictures)]), *map(_with_length, self.pictures), self.tail])

    @property
    def free_number(self) -> int:
        """One that no set of it has."""
        used = {_exp_golomb(one, 4) for one in self.sequences} | {_exp_golomb(one, 1) for one in self.pictures}
        return next(number for number in range(31, -1, -1) if number not in used)

    def beside(self, stream_header: bytes) -> Configuration:
        """With the sets of another encoder's stream, as units with start codes."""
        units = units_of(stream_header)
        more = [tuple(one for one in units if one[0] & 31 == kind) for kind in (_SEQUENCE, _PICTURE)]
        return replace(self, sequences=self.sequences + more[0], pictures=self.pictures + more[1])


def units_of(data: bytes) -> list[bytes]:
    """Units of a stream with start codes, without these."""
    places = [found.start() for found in re.finditer(b"\x00\x00\x01", data)]
    ends = [*places[1:], len(data)]
    parts = [data[place + 3 : end] for place, end in zip(places, ends, strict=True)]
    return [part.rstrip(b"\x00") for part in parts[:-1]] + parts[-1:]


def with_lengths(data: bytes) -> bytes:
    """A picture with start codes as one with lengths; what stands in the file's header is left out."""
    kept = [unit for unit in units_of(data) if unit and unit[0] & 31 not in {_SEQUENCE, _PICTURE, _DELIMITER, _MESSAGE}]
    return b"".join(struct.pack(">I", len(unit)) + unit for unit in kept)


def begins_anew(data: bytes) -> bool:
    """Whether a picture with lengths is one that nothing behind it looks back beyond (an IDR picture)."""
    at = 0
    while at + 4 < len(data):
        if data[at + 4] & 31 == _SLICE_IDR:
            return True
        at += 4 + int(struct.unpack(">I", data[at : at + 4])[0])
    return False


def _sets(data: bytes, at: int, count: int) -> tuple[tuple[bytes, ...], int]:
    found = []
    for _ in range(count):
        size = int(struct.unpack(">H", data[at : at + 2])[0])
        if at + 2 + size > len(data):
            raise IndexError
        found.append(data[at + 2 : at + 2 + size])
        at += 2 + size
    return tuple(found), at


def _with_length(unit: bytes) -> bytes:
    return struct.pack(">H", len(unit)) + unit


def _exp_golomb(unit: bytes, skip: int) -> int:
    """The first number of a unit after so many bytes, in Exp-Golomb code (ITU-T H.264, 9.1)."""
    bits = "".join(f"{byte:08b}" for byte in unit[skip : skip + 8])
    zeros = len(bits) - len(bits.lstrip("0"))
    return int(bits[zeros : 2 * zeros + 1] or "1", 2) - 1
