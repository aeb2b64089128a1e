"""A disc's titles with all that its tables say of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from yomikomi.core.disc.image import SECTOR, DiscFiles, open_disc
from yomikomi.core.disc.tables import (
    MOST_SETS,
    Cell,
    Chain,
    SoundEntry,
    SubtitleEntry,
    TitleEntry,
    TitleSet,
    is_still,
    read_title_set,
    read_titles,
    with_backup,
)
from yomikomi.core.errors import UnreadableError

# Packs whose scrambling bits are looked at, spread over each title set.
_LOOKED_AT = 48
_PACK_START = b"\x00\x00\x01\xba"
_SCRAMBLED_WORDS = "The disc is scrambled: its maker protects it from being copied, and this program does not remove protection."
_SCRAMBLED_REMEDY = "Ask the owner of the rights for a copy without protection; what is allowed differs from place to place."


@dataclass(frozen=True)
class TitleData:
    """What the tables say of one title.

    Parameters
    ----------
    cells : in the order of play.
    chapter_starts : seconds from the start of the title, the first 0.
    missing : names of parts that are not there or too short, so that it cannot be taken in.
    """

    entry: TitleEntry
    cells: tuple[Cell, ...]
    seconds: Fraction
    chapter_starts: tuple[Fraction, ...]
    sounds: tuple[SoundEntry, ...]
    subtitles: tuple[SubtitleEntry, ...]
    palette: tuple[tuple[int, int, int], ...]
    width: int
    height: int
    rate: Fraction
    wide: bool
    still: bool
    size_bytes: int
    missing: tuple[str, ...] = ()

    @property
    def shape_words(self) -> str:
        return "16:9 squeezed" if self.wide else "4:3"


@dataclass(frozen=True)
class DiscContents:
    """``menus``: how many menu files lie beside the titles; ``trouble``: titles whose tables are damaged, in words."""

    titles: tuple[TitleData, ...]
    menus: int
    scrambled: bool
    trouble: tuple[str, ...] = ()


def read_contents(path: Path, check: Callable[[], None] = lambda: None) -> DiscContents:
    """Raises UnreadableError where there is no disc, or no title of it can be made out. ``check`` is called for every title and may
    raise to stop."""
    with open_disc(path) as files:
        entries = with_backup(files, "VIDEO_TS.IFO", read_titles)
        sets: dict[int, TitleSet | UnreadableError] = {}
        titles: list[TitleData] = []
        trouble: list[str] = []
        for entry in entries:
            check()
            try:
                titles.append(_title(files, entry, _set(files, entry.set_number, sets)))
            except UnreadableError as damage:
                trouble.append(f"title {entry.index}: {damage.message}")
        if not titles:
            raise UnreadableError(f"No title of {path.name} can be made out: {trouble[0]}", remedy="Copy the disc again.", path=path)
        menus = sum(1 for name, size in files.sizes.items() if size and (name == "VIDEO_TS.VOB" or name.endswith("_0.VOB")))
        scrambled = any(_scrambled(files, number) for number in sorted({title.entry.set_number for title in titles}))
        return DiscContents(tuple(titles), menus, scrambled, tuple(trouble))


def refuse_scrambled(contents: DiscContents) -> None:
    """Raises UnreadableError for a disc that is protected from copying."""
    if contents.scrambled:
        raise UnreadableError(_SCRAMBLED_WORDS, remedy=_SCRAMBLED_REMEDY)


def parts_of(files: DiscFiles, set_number: int) -> list[tuple[str, int]]:
    """Names and whole sectors of the data files of a title set, in order, up to the first that is missing."""
    parts = []
    for part in range(1, 10):
        name = f"VTS_{set_number:02d}_{part}.VOB"
        if name not in files.sizes:
            break
        parts.append((name, files.sizes[name] // SECTOR))
    return parts


def _set(files: DiscFiles, number: int, known: dict[int, TitleSet | UnreadableError]) -> TitleSet:
    if number not in known:
        if not 0 < number <= MOST_SETS:
            raise UnreadableError(f"it points to a title set {number} that cannot be.", remedy="Copy the disc again.")
        try:
            known[number] = with_backup(files, f"VTS_{number:02d}_0.IFO", lambda table: read_title_set(table, number))
        except UnreadableError as damage:
            known[number] = damage
    found = known[number]
    if isinstance(found, UnreadableError):
        raise found
    return found


def _title(files: DiscFiles, entry: TitleEntry, found: TitleSet) -> TitleData:
    if not 0 < entry.number_in_set <= len(found.titles):
        raise UnreadableError(f"its title set has no title {entry.number_in_set}.", remedy="Copy the disc again.")
    chapters = found.titles[entry.number_in_set - 1]
    order = list(dict.fromkeys(chain for chain, _ in chapters))
    if any(not 0 < number <= len(found.chains) for number in order):
        raise UnreadableError("its chapters point to a chain that is not there.", remedy="Copy the disc again.")
    chains = {number: found.chains[number - 1] for number in order}
    cells = tuple(cell for number in order for cell in chains[number].cells)
    if not cells:
        raise UnreadableError("it has no pictures.", remedy="Copy the disc again.")
    first = chains[order[0]]
    return TitleData(
        entry=entry,
        cells=cells,
        seconds=sum((chain.seconds for chain in chains.values()), Fraction(0)),
        chapter_starts=tuple(_chapter_starts(chapters, order, chains)),
        sounds=tuple(replace(one, stream=first.sounds[one.number]) for one in found.sounds if one.number in first.sounds),
        subtitles=tuple(
            replace(one, stream=first.subtitles[one.number][found.wide]) for one in found.subtitles if one.number in first.subtitles
        ),
        palette=first.palette,
        width=found.width,
        height=found.height,
        rate=found.rate,
        wide=found.wide,
        still=any(is_still(chain) for chain in chains.values()),
        size_bytes=sum(cell.last - cell.first + 1 for cell in cells) * SECTOR,
        missing=_missing(files, entry.set_number, max(cell.last for cell in cells)),
    )


def _chapter_starts(chapters: tuple[tuple[int, int], ...], order: list[int], chains: dict[int, Chain]) -> list[Fraction]:
    """Where each chapter begins, by the playing times of the cells before it."""
    before: dict[int, Fraction] = {}
    at = Fraction(0)
    for number in order:
        before[number] = at
        at += chains[number].seconds
    starts = []
    for number, program in chapters:
        chain = chains[number]
        cell = chain.entries[program - 1] if 0 < program <= len(chain.entries) else 0
        starts.append(before[number] + sum((one.seconds for one in chain.cells[:cell]), Fraction(0)))
    return starts


def _missing(files: DiscFiles, set_number: int, last_sector: int) -> tuple[str, ...]:
    parts = parts_of(files, set_number)
    there = sum(sectors for _, sectors in parts)
    return () if last_sector < there else (f"VTS_{set_number:02d}_{len(parts) + (0 if parts and parts[-1][1] == 0 else 1)}.VOB",)


def _scrambled(files: DiscFiles, set_number: int) -> bool:
    """Whether packs carry the scrambling bits of their packet headers (ISO/IEC 13818-1, PES_scrambling_control)."""
    for name, sectors in parts_of(files, set_number):
        step = max(1, sectors // _LOOKED_AT)
        with files.open(name) as file:
            for sector in range(0, sectors, step):
                file.seek(sector * SECTOR)
                pack = file.read(32)
                if len(pack) == 32 and pack.startswith(_PACK_START) and _is_scrambled(pack[14:]):
                    return True
    return False


def _is_scrambled(packet: bytes) -> bool:
    """Video, sound and private stream 1; padding and navigation packets have no such bits."""
    data = packet[3] == 0xBD or 0xC0 <= packet[3] <= 0xEF
    return packet[:3] == b"\x00\x00\x01" and data and packet[6] & 0x30 != 0
