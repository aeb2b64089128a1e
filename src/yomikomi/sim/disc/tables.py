"""Writes the tables of contents of a simulated disc (IFO files and their backups).

Source: the DVD-Video file structure as published openly (from memory). Only what a reader needs is filled in; there are no
navigation commands, so a simulated disc is read, not played with menus.
"""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

SECTOR = 2048
_SOUND_CODES = {"AC-3": 0, "PCM": 4}


@dataclass(frozen=True)
class CellPlace:
    """A cell: sectors ``first`` to ``last`` of the title set's data, ``seconds`` long."""

    first: int
    last: int
    seconds: Fraction
    new_clock: bool


@dataclass(frozen=True)
class ChainPlan:
    """Cells of one title; ``programs``: the numbers (from 1) of the cells where its chapters begin."""

    cells: tuple[CellPlace, ...]
    programs: tuple[int, ...]
    sounds: int
    subtitles: int
    still: bool = False


@dataclass(frozen=True)
class SetPlan:
    """One title set with one chain for each of its titles."""

    chains: tuple[ChainPlan, ...]
    lines: int
    wide: bool
    sound: str
    sounds: tuple[str, ...]
    subtitles: tuple[str, ...]
    palette: Sequence[tuple[int, int, int]]


class _Table(bytearray):
    def put(self, place: int, form: str, *values: int) -> None:
        raw = struct.pack(f">{form}", *values)
        self.put_bytes(place, raw)

    def put_bytes(self, place: int, raw: bytes) -> None:
        if len(self) < place + len(raw):
            self.extend(bytes(place + len(raw) - len(self)))
        self[place : place + len(raw)] = raw

    def fill_sector(self) -> int:
        """Pad to whole sectors; returns how many there are."""
        self.extend(bytes(-len(self) % SECTOR))
        return len(self) // SECTOR


def manager_table(sets: Sequence[SetPlan], order: Sequence[tuple[int, int]]) -> bytes:
    """VIDEO_TS.IFO. ``order``: for each title of the disc, its title set (from 1) and its place in that (from 1)."""
    table = _Table()
    table.put_bytes(0, b"DVDVIDEO-VMG")
    table.put(0x20, "H", 0x0011)
    table.put(0x26, "HHB", 1, 1, 1)
    table.put(0x3E, "H", len(sets))
    table.put(0x80, "I", 0x3FF)
    table.put(0xC4, "I", 1)
    table.put(SECTOR, "HHI", len(order), 0, 8 + 12 * len(order) - 1)
    for number, (set_number, place) in enumerate(order):
        chapters = len(sets[set_number - 1].chains[place - 1].programs)
        table.put(SECTOR + 8 + 12 * number, "BBHHBBI", 0x3C, 1, chapters, 0, set_number, place, 0)
    sectors = table.fill_sector()
    table.put(0x0C, "I", 2 * sectors - 1)
    table.put(0x1C, "I", sectors - 1)
    return bytes(table)


def set_table(plan: SetPlan, data_sectors: int) -> bytes:
    """VTS_nn_0.IFO."""
    table = _Table()
    table.put_bytes(0, b"DVDVIDEO-VTS")
    table.put(0x20, "H", 0x0011)
    table.put(0x80, "I", 0x7FF)
    table.put(0x200, "BB", 0x40 | (0 if plan.lines == 480 else 0x10) | (0x0F if plan.wide else 0x03), 0)
    table.put(0x202, "H", len(plan.sounds))
    for number, language in enumerate(plan.sounds):
        table.put(0x204 + 8 * number, "BB", _SOUND_CODES[plan.sound] << 5 | 0x04, 0x01)
        table.put_bytes(0x206 + 8 * number, language.encode("ascii"))
        table.put(0x209 + 8 * number, "B", 1)
    table.put(0x254, "H", len(plan.subtitles))
    for number, language in enumerate(plan.subtitles):
        table.put(0x256 + 6 * number, "B", 0x01)
        table.put_bytes(0x258 + 6 * number, language.encode("ascii"))
        table.put(0x25B + 6 * number, "B", 1)
    table.put_bytes(2 * SECTOR - 1, b"\0")
    table.put(0xC8, "I", table.fill_sector())
    table.put_bytes(len(table), _chapter_table(plan))
    table.put(0xCC, "I", table.fill_sector())
    table.put_bytes(len(table), _chain_table(plan))
    sectors = table.fill_sector()
    table.put(0x0C, "I", 2 * sectors + data_sectors - 1)
    table.put(0x1C, "I", sectors - 1)
    table.put(0xC4, "I", sectors)
    return bytes(table)


def _chapter_table(plan: SetPlan) -> bytes:
    head, body = _Table(), _Table()
    for number, chain in enumerate(plan.chains):
        head.put(8 + 4 * number, "I", 8 + 4 * len(plan.chains) + len(body))
        for program in range(len(chain.programs)):
            body.put(len(body), "HH", number + 1, program + 1)
    head.put(0, "HHI", len(plan.chains), 0, 8 + 4 * len(plan.chains) + len(body) - 1)
    return bytes(head + body)


def _chain_table(plan: SetPlan) -> bytes:
    head, body = _Table(), _Table()
    for number, chain in enumerate(plan.chains):
        head.put(8 + 8 * number, "BBHI", 0x80 | number + 1, 0, 0, 8 + 8 * len(plan.chains) + len(body))
        body.put_bytes(len(body), _chain(chain, plan.palette, plan.lines))
    head.put(0, "HHI", len(plan.chains), 0, 8 + 8 * len(plan.chains) + len(body) - 1)
    return bytes(head + body)


def _chain(chain: ChainPlan, palette: Sequence[tuple[int, int, int]], lines: int) -> bytes:
    table = _Table()
    table.put(0x02, "BB", len(chain.programs), len(chain.cells))
    table.put_bytes(0x04, _playing_time(sum((cell.seconds for cell in chain.cells), Fraction(0)), lines))
    for number in range(chain.sounds):
        table.put(0x0C + 2 * number, "H", 0x8000 | number << 8)
    for number in range(chain.subtitles):
        table.put(0x1C + 4 * number, "I", 0x8000_0000 | number << 24 | number << 16 | number << 8 | number)
    table.put(0xA2, "B", 255 if chain.still else 0)
    for number, colour in enumerate(palette):
        table.put(0xA4 + 4 * number, "BBBB", 0, *colour)
    programs = 0xEC
    cells = programs + len(chain.programs) + len(chain.programs) % 2
    places = cells + 24 * len(chain.cells)
    table.put(0xE4, "HHHH", 0, programs, cells, places)
    for number, program in enumerate(chain.programs):
        table.put(programs + number, "B", program)
    clock = 0
    for number, cell in enumerate(chain.cells):
        at = cells + 24 * number
        clock += cell.new_clock or number == 0
        table.put(at, "BBBB", 0x02 if cell.new_clock or number == 0 else 0x08, 0, 0, 0)
        table.put_bytes(at + 4, _playing_time(cell.seconds, lines))
        table.put(at + 8, "IIII", cell.first, 0, cell.last, cell.last)
        table.put(places + 4 * number, "HBB", clock, 0, number + 1)
    return bytes(table)


def _playing_time(seconds: Fraction, lines: int) -> bytes:
    """hh mm ss ff in binary-coded decimal, frames rounded down."""
    per_second, mark = (30, 0xC0) if lines == 480 else (25, 0x40)
    whole, rest = divmod(seconds, 1)
    frames = int(rest * per_second)
    hours, rest_s = divmod(int(whole), 3600)
    parts = [hours, rest_s // 60, rest_s % 60, frames]
    coded = [part // 10 << 4 | part % 10 for part in parts]
    return bytes([*coded[:3], coded[3] | mark])
