"""The pieces under a joined title: cells as one stream, subpictures out of packs, times and colours of the tables, angles."""

from __future__ import annotations

import io
import shutil
import struct
from fractions import Fraction
from pathlib import Path
from typing import IO

import av
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from tests.disc.conftest import Disc
from tests.disc.test_disc_contents import damage
from yomikomi.core.disc.contents import read_contents
from yomikomi.core.disc.image import SECTOR
from yomikomi.core.disc.joining import JoinRequest, _palette_words, join_title
from yomikomi.core.disc.stream import CellReader, SubpictureCollector
from yomikomi.core.disc.tables import Cell, _playing_time
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.work import SilentReporter
from yomikomi.sim.disc.tables import _playing_time as written_time


class MadeFiles:
    """Data files of numbered sectors: every sector is filled with its own number."""

    def __init__(self, *sectors: int) -> None:
        self.raw: dict[str, bytes] = {}
        first = 0
        for part, count in enumerate(sectors, start=1):
            self.raw[f"VTS_01_{part}.VOB"] = b"".join(struct.pack(">I", first + n) * (SECTOR // 4) for n in range(count))
            first += count
        self.sizes = {name: len(raw) for name, raw in self.raw.items()}

    def open(self, name: str) -> IO[bytes]:
        return io.BytesIO(self.raw[name])


def cell(first: int, last: int) -> Cell:
    return Cell(first, last, Fraction(1), False, False, 0)


@given(
    parts=st.lists(st.integers(1, 30), min_size=1, max_size=4),
    runs=st.lists(st.tuples(st.floats(0, 1), st.integers(1, 30)), min_size=1, max_size=5),
    asked=st.lists(st.integers(1, 200_000), min_size=1, max_size=8).filter(lambda sizes: sum(sizes) / len(sizes) >= 300),
)
@example(parts=[1, 1], runs=[(0.0, 2)], asked=[1])
def test_cells_come_whole_and_in_order_however_they_are_asked_for(
    parts: list[int], runs: list[tuple[float, int]], asked: list[int]
) -> None:
    """Over any borders of files, in any order of cells, in pieces of any size; and every sector goes by once."""
    there = sum(parts)
    cells = tuple(cell(first := int(share * (there - 1)), min(there - 1, first + count - 1)) for share, count in runs)
    seen: list[bytes] = []
    reader = CellReader(MadeFiles(*parts), 1, cells, seen.append)
    got = b""
    place = 0
    while piece := reader.read(asked[place % len(asked)]):
        assert len(piece) <= asked[place % len(asked)]
        got += piece
        place += 1
    reader.close()
    wanted = [number for one in cells for number in range(one.first, one.last + 1)]
    assert [struct.unpack_from(">I", got, at)[0] for at in range(0, len(got), SECTOR)] == wanted
    assert b"".join(seen) == got
    assert reader.sectors_read == len(wanted)


def test_a_part_that_ends_early_is_told() -> None:
    files = MadeFiles(10)
    reader = CellReader(files, 1, (cell(8, 14),), lambda _raw: None)
    assert len(reader.read()) == 2 * SECTOR
    with pytest.raises(UnreadableError, match="part of the title is missing"):
        reader.read()
    files.raw["VTS_01_1.VOB"] = files.raw["VTS_01_1.VOB"][: 7 * SECTOR]
    with pytest.raises(UnreadableError, match="ends early"):
        CellReader(files, 1, (cell(4, 9),), lambda _raw: None).read()


def pack(stream: int, payload: bytes, pts: int | None) -> bytes:
    """One pack with one packet of private stream 1 (ISO/IEC 13818-1), filled up with padding."""
    head = b"\x00\x00\x01\xba" + bytes(9) + b"\xf8"
    if pts is None:
        header = b"\x81\x00\x00"
    else:
        stamp = bytes([0x21 | pts >> 29 & 14, pts >> 22 & 255, 1 | pts >> 14 & 254, pts >> 7 & 255, 1 | pts << 1 & 254])
        header = b"\x81\x80\x05" + stamp
    body = header + bytes([stream]) + payload
    made = head + b"\x00\x00\x01\xbd" + struct.pack(">H", len(body)) + body
    room = SECTOR - len(made) - 6
    return made + b"\x00\x00\x01\xbe" + struct.pack(">H", room) + b"\xff" * room


@given(
    units=st.lists(
        st.tuples(st.integers(0, 3), st.integers(4, 5000), st.integers(0, 2**33 - 1)), min_size=1, max_size=6
    ),
    piece=st.integers(50, 1900),
)  # fmt: skip
def test_subpictures_are_put_together_from_any_pieces(units: list[tuple[int, int, int]], piece: int) -> None:
    collector = SubpictureCollector()
    wanted = []
    for stream, size, pts in units:
        data = struct.pack(">H", size) + bytes(k % 251 for k in range(size - 2))
        wanted.append((stream, pts, data))
        for start in range(0, size, piece):
            collector.feed(pack(0x20 + stream, data[start : start + piece], pts if start == 0 else None))
            collector.feed(pack(0x80, b"sound", pts))  # what is no subpicture goes by
    assert [(one.stream, one.pts, one.data) for one in collector.ready] == wanted


@given(raw=st.binary(max_size=3 * SECTOR))
def test_packs_of_anything_break_nothing(raw: bytes) -> None:
    collector = SubpictureCollector()
    collector.feed(raw)
    collector.feed(b"\x00\x00\x01\xba" + raw)
    collector.feed(pack(0x20, b"\x00\x01", 5))  # too short to be one
    collector.feed(pack(0x21, b"the rest of one that was not seen to begin", None))
    assert all(len(one.data) >= 4 for one in collector.ready)


@given(frames=st.integers(0, 30 * 86_400 - 1), lines=st.sampled_from([480, 576]))
def test_playing_times_read_back_to_the_frame(frames: int, lines: int) -> None:
    """The writer's and the reader's description of the format agree; digits over nine count as nothing."""
    per_second = 30 if lines == 480 else 25
    seconds = Fraction(frames, per_second)
    assert _playing_time(written_time(seconds, lines)) == seconds
    assert _playing_time(b"\xaf\xfb\xee\xca") == 0


@pytest.mark.parametrize(
    ("ycrcb", "rgb"),
    [
        # ITU-R BT.601, 8 bits: black, white, and the primaries at 100 % (Y 81, 145, 41; from memory).
        ((16, 128, 128), (0, 0, 0)), ((235, 128, 128), (255, 255, 255)), ((81, 240, 90), (255, 0, 0)),
        ((145, 34, 54), (0, 255, 0)), ((41, 110, 240), (0, 0, 255)),
    ],
)  # fmt: skip
def test_subtitle_colours_follow_bt_601(ycrcb: tuple[int, int, int], rgb: tuple[int, int, int]) -> None:
    found = bytes.fromhex(_palette_words((ycrcb,)))
    assert all(abs(one - two) <= 2 for one, two in zip(found, rgb, strict=True))


def chain_of(disc: Path, title: int) -> int:
    """Where a title's chain begins in the title set's table."""
    table = (disc / "VIDEO_TS" / "VTS_01_0.IFO").read_bytes()
    chains = struct.unpack_from(">I", table, 0xCC)[0] * SECTOR
    return int(chains + struct.unpack_from(">I", table, chains + 8 + 8 * (title - 1) + 4)[0])


def first_cell_of(disc: Path, title: int) -> int:
    """Where the cell table of a title's chain begins in the title set's table."""
    table = (disc / "VIDEO_TS" / "VTS_01_0.IFO").read_bytes()
    chain = chain_of(disc, title)
    return int(chain + struct.unpack_from(">H", table, chain + 0xE8)[0])


def test_a_chain_says_which_stream_a_language_is(lessons_disc: Disc, tmp_path: Path) -> None:
    """The list of a title set names languages; which stream in the data is meant, the chain says: here they are exchanged."""
    disc = tmp_path / "disc"
    shutil.copytree(lessons_disc[0], disc)
    straight = join_title(JoinRequest(disc, 2, tmp_path / "a.mkv"), SilentReporter())
    damage(disc / "VIDEO_TS" / "VTS_01_0.IFO", chain_of(disc, 2) + 0x0C, bytes([0x81, 0, 0x80, 0]))
    # The subtitle's stream for wide pictures is one that is not there, the one for 4:3 is: this title is wide.
    damage(disc / "VIDEO_TS" / "VTS_01_0.IFO", chain_of(disc, 2) + 0x1C, bytes([0x80, 5, 0, 0]))
    exchanged = join_title(JoinRequest(disc, 2, tmp_path / "b.mkv"), SilentReporter())

    def sound(path: Path, language: str) -> list[bytes]:
        with av.open(str(path)) as container:
            stream = next(one for one in container.streams.audio if one.language == language)
            return [bytes(packet) for packet in container.demux(stream) if packet.size]

    assert sound(exchanged.path, "eng") == sound(straight.path, "jpn")
    assert sound(exchanged.path, "jpn") == sound(straight.path, "eng")
    with av.open(str(exchanged.path)) as container:
        assert [packet for packet in container.demux(container.streams.subtitles[0]) if packet.size] == []


def test_a_disc_that_fails_in_the_middle_leaves_nothing(lessons_disc: Disc, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A scratch: what the drive says comes through the library as it is."""
    whole = CellReader._read
    reads: list[int] = []

    def scratched(self: CellReader, name: str, offset: int, count: int) -> bytes:
        reads.append(offset)
        if len(reads) > 3:
            raise UnreadableError(f"{name} cannot be read: input/output error.", remedy="Clean the disc, or copy it again.")
        return whole(self, name, offset, count)

    monkeypatch.setattr(CellReader, "_read", scratched)
    with pytest.raises(UnreadableError, match="cannot be read") as told:
        join_title(JoinRequest(lessons_disc[0], 1, tmp_path / "t.mkv"), SilentReporter())
    assert "Clean the disc" in told.value.remedy
    assert list(tmp_path.iterdir()) == []


def test_angles_are_known_and_told(lessons_disc: Disc, tmp_path: Path) -> None:
    """Cells marked as further angles are not played one after another; interleaved ones are listed and not taken in."""
    disc = tmp_path / "disc"
    shutil.copytree(lessons_disc[0], disc)
    whole = read_contents(disc).titles[1]
    at = first_cell_of(disc, 2)
    damage(disc / "VIDEO_TS" / "VTS_01_0.IFO", at, bytes([0x50]))  # first cell of an angle block
    damage(disc / "VIDEO_TS" / "VTS_01_0.IFO", at + 24, bytes([0xD0]))  # the last of it: another view of the same
    angled = read_contents(disc).titles[1]
    assert [one.first for one in angled.cells] == [whole.cells[0].first, *(one.first for one in whole.cells[2:])]
    damage(disc / "VIDEO_TS" / "VTS_01_0.IFO", at, bytes([0x54]))
    assert read_contents(disc).titles[1].cells[0].interleaved
    with pytest.raises(WrongUseError, match="several angles") as told:
        join_title(JoinRequest(disc, 2, tmp_path / "t.mkv"), SilentReporter())
    assert told.value.remedy
    assert not (tmp_path / "t.mkv").exists()
