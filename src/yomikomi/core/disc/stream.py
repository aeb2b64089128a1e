"""The data of a title as one stream of sectors, and the subpictures in it."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import IO

from yomikomi.core.disc.contents import parts_of
from yomikomi.core.disc.image import SECTOR, DiscFiles
from yomikomi.core.disc.tables import Cell
from yomikomi.core.errors import UnreadableError

_SECTORS_AT_ONCE = 32
_PRIVATE_1 = 0xBD
_SUBPICTURES = range(0x20, 0x40)


class CellReader:
    """Cells of one title set, read in order as one file that cannot seek: what reads it takes each sector once.

    Parameters
    ----------
    on_sectors : is shown all bytes that go by, whole sectors at a time.
    """

    def __init__(self, files: DiscFiles, set_number: int, cells: tuple[Cell, ...], on_sectors: Callable[[bytes], None]) -> None:
        self._files, self._on_sectors = files, on_sectors
        self._parts = parts_of(files, set_number)
        self._runs = deque((cell.first, cell.last - cell.first + 1) for cell in cells)
        self._open: tuple[str, IO[bytes]] | None = None
        self._waiting = b""
        self.sectors_read = 0

    def read(self, count: int = -1) -> bytes:
        if not self._waiting:
            self._waiting = self._next_sectors()
        given = self._waiting if count < 0 else self._waiting[:count]
        self._waiting = self._waiting[len(given) :]
        return given

    def close(self) -> None:
        if self._open:
            self._open[1].close()
            self._open = None

    def _next_sectors(self) -> bytes:
        if not self._runs:
            return b""
        first, count = self._runs.popleft()
        name, offset, there = self._find(first)
        take = min(count, _SECTORS_AT_ONCE, there)
        if take < count:
            self._runs.appendleft((first + take, count - take))
        raw = self._read(name, offset, take)
        self.sectors_read += take
        self._on_sectors(raw)
        return raw

    def _find(self, sector: int) -> tuple[str, int, int]:
        """The part that holds a sector of the title set, where in it, and how many follow there."""
        for name, sectors in self._parts:
            if sector < sectors:
                return name, sector, sectors - sector
            sector -= sectors
        raise UnreadableError("A part of the title is missing.", remedy="Copy the disc again; all VTS_…_.VOB files are needed.")

    def _read(self, name: str, offset: int, count: int) -> bytes:
        if self._open is None or self._open[0] != name:
            self.close()
            self._open = (name, self._files.open(name))
        file = self._open[1]
        try:
            file.seek(offset * SECTOR)
            raw = file.read(count * SECTOR)
        except OSError as error:
            raise UnreadableError(
                f"{name} cannot be read: {error.strerror or error}.", remedy="Clean the disc, or copy it again."
            ) from error
        if len(raw) < count * SECTOR:
            raise UnreadableError(f"{name} ends early.", remedy="Copy the disc again.")
        return raw


@dataclass(frozen=True)
class Subpicture:
    """One bitmap subtitle as it is stored. ``pts``: 90 kHz ticks of the title's own clock."""

    stream: int
    pts: int
    data: bytes


class SubpictureCollector:
    """Puts subpictures together from the packs that go by; late ones are not missed, as they would be by looking ahead."""

    def __init__(self) -> None:
        self.ready: deque[Subpicture] = deque()
        self._growing: dict[int, tuple[int, int, bytearray]] = {}

    def feed(self, sectors: bytes) -> None:
        for start in range(0, len(sectors), SECTOR):
            for pts, payload in _private_packets(sectors[start : start + SECTOR]):
                if payload and payload[0] in _SUBPICTURES:
                    self._add(payload[0] - _SUBPICTURES.start, pts, payload[1:])

    def _add(self, stream: int, pts: int | None, payload: bytes) -> None:
        if stream not in self._growing:
            if pts is None or len(payload) < 4:
                return  # the rest of one whose beginning was not seen
            size = int.from_bytes(payload[:2], "big")
            if size < 4:
                return
            self._growing[stream] = (pts, size, bytearray())
        first, size, grown = self._growing[stream]
        grown += payload
        if len(grown) >= size:
            self.ready.append(Subpicture(stream, first, bytes(grown[:size])))
            del self._growing[stream]


def _private_packets(pack: bytes) -> Iterator[tuple[int | None, bytes]]:
    """Time stamp and payload of the private-stream-1 packets of a pack (ISO/IEC 13818-1, 2.4.3.6 and 2.5.3)."""
    if pack[:4] != b"\x00\x00\x01\xba" or len(pack) < SECTOR:
        return
    at = 14 + (pack[13] & 7)
    while at + 9 <= len(pack) and pack[at : at + 3] == b"\x00\x00\x01":
        length = int.from_bytes(pack[at + 4 : at + 6], "big")
        end = min(len(pack), at + 6 + length)
        if pack[at + 3] == _PRIVATE_1:
            pts = _time_stamp(pack[at + 9 : at + 14]) if pack[at + 7] & 0x80 and at + 14 <= len(pack) else None
            yield pts, pack[at + 9 + pack[at + 8] : end]
        at = end


def _time_stamp(raw: bytes) -> int:
    """33 bits spread over five bytes with marker bits between."""
    return (raw[0] >> 1 & 7) << 30 | raw[1] << 22 | (raw[2] >> 1) << 15 | raw[3] << 7 | raw[4] >> 1
