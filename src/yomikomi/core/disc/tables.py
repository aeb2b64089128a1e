"""Tables of contents of a video disc (IFO files), parsed to the published structure.

Source: the DVD-Video file structure as it is published openly (field offsets from memory; the disc maker of the simulation
writes the same fields from its own description, and the tests compare both with what the pictures themselves hold). All
numbers are big-endian; sector numbers count 2048-byte sectors.
"""

from __future__ import annotations

import struct
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import TypeVar

from yomikomi.core.disc.image import SECTOR, DiscFiles, read_table
from yomikomi.core.errors import UnreadableError

# Limits of the format (from memory): titles on a disc, title sets, chapters in a title, cells in a chain, streams.
MOST_TITLES, MOST_SETS, MOST_CHAPTERS, MOST_CHAINS = 99, 99, 999, 999
# Of one title set. Chains of its titles play each cell once or twice, and no disc has room for more stretches worth a name; a table
# made to keep a reader busy has 250 000 (measured).
MOST_CELLS = 4000
_SOUND_KINDS = {0: "AC-3", 2: "MPEG-1", 3: "MPEG-2", 4: "PCM", 6: "DTS"}
_SOUND_PURPOSES = {1: "programme", 2: "for the visually impaired", 3: "commentary", 4: "commentary"}
_SUBTITLE_PURPOSES = {
    1: "subtitles", 2: "subtitles, large", 3: "subtitles for children", 5: "captions", 6: "captions, large", 7: "captions for children",
    9: "forced", 13: "commentary", 14: "commentary, large", 15: "commentary for children",
}  # fmt: skip
_RATES = {1: Fraction(25), 3: Fraction(30000, 1001)}
_STILL_FOR_EVER = 255

T = TypeVar("T")


@dataclass(frozen=True)
class SoundEntry:
    """``number``: its place in the title set's list; ``stream``: its number among streams of its kind in the data, as the
    title's chain says."""

    number: int
    language: str | None
    channels: int
    kind: str
    purpose: str
    stream: int = 0


@dataclass(frozen=True)
class SubtitleEntry:
    """As for sound; ``stream`` is the one meant for the title's own shape."""

    number: int
    language: str | None
    purpose: str
    stream: int = 0


@dataclass(frozen=True)
class Cell:
    """A stretch of the title set's data: sectors ``first`` to ``last`` inclusive, playing ``seconds``."""

    first: int
    last: int
    seconds: Fraction
    new_clock: bool
    interleaved: bool
    still: int


@dataclass(frozen=True)
class Chain:
    """A programme chain: cells in the order of play; ``entries`` are the cell numbers (from 0) where its programs begin.

    ``sounds``: place in the title set's list to stream in the data; ``subtitles`` to the streams for 4:3 and for wide pictures.
    """

    cells: tuple[Cell, ...]
    seconds: Fraction
    entries: tuple[int, ...]
    palette: tuple[tuple[int, int, int], ...]
    sounds: dict[int, int]
    subtitles: dict[int, tuple[int, int]]
    still: int


@dataclass(frozen=True)
class TitleSet:
    """``titles``: for each title of the set, its chapters as (chain number, program number), both from 1."""

    number: int
    width: int
    height: int
    rate: Fraction
    wide: bool
    sounds: tuple[SoundEntry, ...]
    subtitles: tuple[SubtitleEntry, ...]
    chains: tuple[Chain, ...]
    titles: tuple[tuple[tuple[int, int], ...], ...]


@dataclass(frozen=True)
class TitleEntry:
    """A title of the disc: which one of which title set it is. ``angles``: views of the same scenes to choose from."""

    index: int
    set_number: int
    number_in_set: int
    angles: int
    chapters: int


class Bytes:
    """A table with checked reading: what lies beyond its end is told as damage, never read."""

    def __init__(self, name: str, raw: bytes) -> None:
        self.name, self.raw = name, raw

    def number(self, place: int, form: str) -> int:
        """One big-endian number at a byte offset; ``form`` is B, H or I."""
        self.need(place, struct.calcsize(form))
        return int(struct.unpack_from(f">{form}", self.raw, place)[0])

    def need(self, place: int, count: int) -> None:
        if place < 0 or place + count > len(self.raw):
            raise UnreadableError(f"{self.name} is damaged: it points beyond its end.", remedy="Copy the disc again.")

    def part(self, place: int, count: int) -> bytes:
        self.need(place, count)
        return self.raw[place : place + count]


def with_backup(files: DiscFiles, name: str, parse: Callable[[Bytes], T]) -> T:
    """Parse a table, or where it is damaged the backup that every disc carries. Raises UnreadableError when both are."""
    try:
        return parse(Bytes(name, read_table(files, name)))
    except UnreadableError as damage:
        backup = name.replace(".IFO", ".BUP")
        if backup not in files.sizes:
            raise
        try:
            return parse(Bytes(backup, read_table(files, backup)))
        except UnreadableError:
            raise damage from None


def read_titles(table: Bytes) -> tuple[TitleEntry, ...]:
    """All titles of the disc, from VIDEO_TS.IFO. Raises UnreadableError."""
    if table.part(0, 12) != b"DVDVIDEO-VMG":
        raise UnreadableError(f"{table.name} is not a table of contents.", remedy="Copy the disc again.")
    start = table.number(0xC4, "I") * SECTOR
    count = table.number(start, "H")
    if not 0 < count <= MOST_TITLES:
        raise UnreadableError(f"{table.name} is damaged: it lists {count} titles.", remedy="Copy the disc again.")
    titles = []
    for index in range(count):
        at = start + 8 + 12 * index
        titles.append(
            TitleEntry(
                index=index + 1,
                set_number=table.number(at + 6, "B"),
                number_in_set=table.number(at + 7, "B"),
                angles=max(1, table.number(at + 1, "B")),
                chapters=table.number(at + 2, "H"),
            )
        )
    return tuple(titles)


def read_title_set(table: Bytes, number: int) -> TitleSet:
    """One title set, from VTS_nn_0.IFO. Raises UnreadableError."""
    if table.part(0, 12) != b"DVDVIDEO-VTS":
        raise UnreadableError(f"{table.name} is not a table of contents.", remedy="Copy the disc again.")
    video = table.number(0x200, "B"), table.number(0x201, "B")
    wide_lines = video[0] >> 4 & 3 == 0
    width = {0: 720, 1: 704, 2: 352, 3: 352}[video[1] >> 2 & 3]
    half = video[1] >> 2 & 3 == 3
    lines = 480 if wide_lines else 576
    return TitleSet(
        number=number,
        width=width,
        height=lines // 2 if half else lines,
        rate=_RATES[3] if wide_lines else _RATES[1],
        wide=video[0] >> 2 & 3 == 3,
        sounds=tuple(_sound(table, place) for place in range(min(8, table.number(0x202, "H")))),
        subtitles=tuple(_subtitle(table, place) for place in range(min(32, table.number(0x254, "H")))),
        chains=_chains(table),
        titles=_chapters(table),
    )


def _sound(table: Bytes, place: int) -> SoundEntry:
    at = 0x204 + 8 * place
    first, second = table.number(at, "B"), table.number(at + 1, "B")
    return SoundEntry(
        number=place,
        language=_language(table.part(at + 2, 2)) if first >> 2 & 3 == 1 else None,
        channels=(second & 7) + 1,
        kind=_SOUND_KINDS.get(first >> 5, "unknown"),
        purpose=_SOUND_PURPOSES.get(table.number(at + 5, "B"), ""),
    )


def _subtitle(table: Bytes, place: int) -> SubtitleEntry:
    at = 0x256 + 6 * place
    language = _language(table.part(at + 2, 2)) if table.number(at, "B") & 3 == 1 else None
    return SubtitleEntry(place, language, _SUBTITLE_PURPOSES.get(table.number(at + 5, "B"), ""))


def _language(code: bytes) -> str | None:
    """A code of ISO 639-1, as two letters."""
    text = code.decode("ascii", "replace").lower()
    return text if text.isalpha() and text.isascii() else None


def _chapters(table: Bytes) -> tuple[tuple[tuple[int, int], ...], ...]:
    start = table.number(0xC8, "I") * SECTOR
    count = table.number(start, "H")
    end = start + table.number(start + 4, "I") + 1
    if not 0 < count <= MOST_TITLES:
        raise UnreadableError(f"{table.name} is damaged: it lists {count} titles.", remedy="Copy the disc again.")
    begins = [start + table.number(start + 8 + 4 * place, "I") for place in range(count)]
    titles = []
    for place, begin in enumerate(begins):
        stop = begins[place + 1] if place + 1 < count else end
        entries = (stop - begin) // 4
        if not 0 < entries <= MOST_CHAPTERS:
            raise UnreadableError(f"{table.name} is damaged: its chapter table runs in a circle.", remedy="Copy the disc again.")
        titles.append(tuple((table.number(begin + 4 * k, "H"), table.number(begin + 4 * k + 2, "H")) for k in range(entries)))
    return tuple(titles)


def _chains(table: Bytes) -> tuple[Chain, ...]:
    start = table.number(0xCC, "I") * SECTOR
    count = table.number(start, "H")
    if not 0 < count <= MOST_CHAINS:
        raise UnreadableError(f"{table.name} is damaged: it lists {count} chains.", remedy="Copy the disc again.")
    chains: list[Chain] = []
    cells = 0
    for place in range(count):
        at = start + table.number(start + 8 + 8 * place + 4, "I")
        cells += table.number(at + 3, "B")
        if cells > MOST_CELLS:
            raise UnreadableError(f"{table.name} is damaged: it lists more than {MOST_CELLS} cells.", remedy="Copy the disc again.")
        chains.append(_chain(table, at))
    return tuple(chains)


def _chain(table: Bytes, at: int) -> Chain:
    programs, cell_count = table.number(at + 2, "B"), table.number(at + 3, "B")
    program_map, cell_table = table.number(at + 0xE6, "H"), table.number(at + 0xE8, "H")
    cells: list[Cell] = []
    numbers: dict[int, int] = {}
    for place in range(cell_count):
        cell = at + cell_table + 24 * place
        flags = table.number(cell, "B")
        if flags >> 4 & 3 == 1 and flags >> 6 in {2, 3}:
            continue  # a further angle of the cell before
        numbers[place + 1] = len(cells)
        first, last = table.number(cell + 8, "I"), table.number(cell + 20, "I")
        if last < first:
            raise UnreadableError(f"{table.name} is damaged: a cell ends before it begins.", remedy="Copy the disc again.")
        cells.append(
            Cell(
                first, last, _playing_time(table.part(cell + 4, 4)), bool(flags & 2), bool(flags & 4), table.number(cell + 2, "B")
            )
        )  # fmt: skip
    entries = tuple(numbers.get(table.number(at + program_map + place, "B"), 0) for place in range(programs)) if cells else ()
    summed = sum((cell.seconds for cell in cells), Fraction(0))
    told = _playing_time(table.part(at + 4, 4))
    return Chain(
        cells=tuple(cells),
        # Cells are rounded to frames one by one, the chain once; where the two contradict each other the cells are believed.
        seconds=told if abs(told - summed) <= 1 else summed,
        entries=entries,
        palette=tuple(tuple(table.part(at + 0xA4 + 4 * k + 1, 3)) for k in range(16)),  # type: ignore[misc]
        sounds={k: word >> 8 & 7 for k in range(8) if (word := table.number(at + 0x0C + 2 * k, "H")) & 0x8000},
        subtitles={
            k: (word >> 24 & 31, word >> 16 & 31) for k in range(32) if (word := table.number(at + 0x1C + 4 * k, "I")) & 0x8000_0000
        },
        still=table.number(at + 0xA2, "B"),
    )


def _playing_time(raw: bytes) -> Fraction:
    """hh mm ss ff in binary-coded decimal; the two top bits of ff say 25 or 30 frames a second. Digits over 9 count as 0."""
    hours, minutes, seconds, frames = (_decimal(value) for value in (*raw[:3], raw[3] & 0x3F))
    per_second = 25 if raw[3] >> 6 == 1 else 30
    return Fraction(hours * 3600 + minutes * 60 + seconds) + Fraction(frames, per_second)


def _decimal(value: int) -> int:
    high, low = value >> 4, value & 15
    return (high if high < 10 else 0) * 10 + (low if low < 10 else 0)


def is_still(chain: Chain) -> bool:
    """Whether it stands still for ever somewhere, as menus do."""
    return chain.still == _STILL_FOR_EVER or any(cell.still == _STILL_FOR_EVER for cell in chain.cells)
