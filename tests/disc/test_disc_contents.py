"""A disc's table of contents against what was put on it; damaged and hostile discs."""

from __future__ import annotations

import random
import shutil
import struct
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.disc.conftest import Disc
from yomikomi.core.disc.contents import read_contents, refuse_scrambled
from yomikomi.core.disc.image import SECTOR, looks_like_disc
from yomikomi.core.disc.joining import JoinRequest, join_title
from yomikomi.core.disc.tables import Bytes, read_title_set, read_titles
from yomikomi.core.disc.titles import judge_titles
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.work import SilentReporter


@pytest.fixture
def copy_of(tmp_path: Path, lessons_disc: Disc) -> Path:
    """A disc that a test may damage."""
    folder = tmp_path / "disc"
    shutil.copytree(lessons_disc[0], folder)
    return folder


def damage(file: Path, place: int, raw: bytes, *, backup_too: bool = True) -> None:
    for one in [file, file.with_suffix(".BUP")] if backup_too else [file]:
        whole = bytearray(one.read_bytes())
        whole[place : place + len(raw)] = raw
        one.write_bytes(whole)


@pytest.mark.parametrize("name", ["lessons_disc", "feature_disc", "series_disc"])
def test_titles_are_what_was_put_on_the_disc(name: str, request: pytest.FixtureRequest) -> None:
    folder, made = request.getfixturevalue(name)
    contents = read_contents(folder)
    assert not contents.scrambled
    assert contents.trouble == ()
    for title, true, judged in zip(contents.titles, made, judge_titles(contents.titles), strict=True):
        assert float(title.seconds) == pytest.approx(true.seconds, abs=0.05)
        assert [float(at) for at in title.chapter_starts] == pytest.approx(true.chapter_seconds, abs=0.15)
        assert [sound.language for sound in title.sounds] == list(true.spec.sounds)
        assert {(sound.kind, sound.channels) for sound in title.sounds} <= {("AC-3", 2)}
        assert [subtitle.language for subtitle in title.subtitles] == list(true.spec.subtitles)
        assert title.wide
        assert title.height == (576 if name == "feature_disc" else 480)
        assert judged.kind == true.spec.kind, judged.reason
        assert judged.reason
        assert 0.5 < judged.confidence <= 0.99
        assert judged.joins == tuple(place + 1 for place in true.spec.joins)


def test_an_image_says_the_same_as_its_folder(lessons_disc: Disc, lessons_image: Path) -> None:
    assert looks_like_disc(lessons_image)
    assert looks_like_disc(lessons_disc[0])
    assert not looks_like_disc(lessons_disc[0].parent)
    assert read_contents(lessons_image) == read_contents(lessons_disc[0])
    assert read_contents(lessons_disc[0] / "VIDEO_TS") == read_contents(lessons_disc[0])


def test_a_damaged_table_gives_way_to_its_backup(copy_of: Path, lessons_disc: Disc) -> None:
    whole = read_contents(lessons_disc[0])
    for name in ("VIDEO_TS.IFO", "VTS_01_0.IFO"):
        file = copy_of / "VIDEO_TS" / name
        file.write_bytes(file.read_bytes()[:700])
    assert read_contents(copy_of) == whole
    (copy_of / "VIDEO_TS" / "VTS_01_0.IFO").unlink()
    assert read_contents(copy_of) == whole


@pytest.mark.parametrize(
    ("spoil", "words"),
    [
        (lambda d: [(d / n).write_bytes(b"") for n in ("VIDEO_TS.IFO", "VIDEO_TS.BUP")], "empty"),
        (lambda d: [(d / n).write_bytes(b"DVDVIDEO-VMG") for n in ("VIDEO_TS.IFO", "VIDEO_TS.BUP")], "beyond its end"),
        (lambda d: [(d / n).write_bytes(random.Random(1).randbytes(9000)) for n in ("VIDEO_TS.IFO", "VIDEO_TS.BUP")], "not a table"),
        (lambda d: damage(d / "VIDEO_TS.IFO", SECTOR, b"\xff\xff"), "lists 65535 titles"),
        (lambda d: damage(d / "VIDEO_TS.IFO", 0xC4, b"\xff\xff\xff\xff"), "beyond its end"),
        (lambda d: [(d / n).unlink() for n in ("VTS_01_0.IFO", "VTS_01_0.BUP")], "missing"),
        (lambda d: damage(d / "VTS_01_0.IFO", 0xCC, struct.pack(">I", 0)), "No title"),
    ],
)
def test_damaged_tables_are_told(copy_of: Path, spoil: Callable[[Path], object], words: str) -> None:
    spoil(copy_of / "VIDEO_TS")
    with pytest.raises(UnreadableError, match=words) as told:
        read_contents(copy_of)
    assert told.value.remedy


def test_one_damaged_title_does_not_hide_the_others(copy_of: Path) -> None:
    damage(copy_of / "VIDEO_TS" / "VIDEO_TS.IFO", SECTOR + 8 + 12 * 1 + 7, b"\x63")  # the second title: number 99 in its set
    contents = read_contents(copy_of)
    assert [title.entry.index for title in contents.titles] == [1, 3, 4, 5]
    assert "title 2" in contents.trouble[0]


def test_chapters_that_run_in_a_circle_are_told(copy_of: Path) -> None:
    table = (copy_of / "VIDEO_TS" / "VTS_01_0.IFO").read_bytes()
    start = struct.unpack_from(">I", table, 0xC8)[0] * SECTOR
    # The second title's chapters begin where the first's do: the first has none then, and they would be read for ever.
    damage(copy_of / "VIDEO_TS" / "VTS_01_0.IFO", start + 12, table[start + 8 : start + 12])
    with pytest.raises(UnreadableError, match="circle"):
        read_contents(copy_of)


@given(seed=st.integers(0, 2**32), spots=st.integers(1, 60), cut=st.integers(0, 8192))
def test_no_table_ever_breaks_the_reader(lessons_disc: Disc, seed: int, spots: int, cut: int) -> None:
    """Whatever stands in a table, it is read or refused with words; nothing else happens."""
    rng = random.Random(seed)
    for name, parse in (("VIDEO_TS.IFO", read_titles), ("VTS_01_0.IFO", lambda table: read_title_set(table, 1))):
        raw = bytearray((lessons_disc[0] / "VIDEO_TS" / name).read_bytes()[: 8192 - cut % 8192])
        for _ in range(min(spots, len(raw))):
            raw[rng.randrange(len(raw))] = rng.randrange(256)
        try:
            parse(Bytes(name, bytes(raw)))  # type: ignore[operator]
        except UnreadableError as told:
            assert told.remedy  # noqa: PT017  both ends are right


def test_scrambled_discs_are_refused_with_a_word_on_rights(copy_of: Path, tmp_path: Path) -> None:
    part = copy_of / "VIDEO_TS" / "VTS_01_1.VOB"
    raw = bytearray(part.read_bytes())
    for sector in range(0, len(raw), SECTOR):
        if raw[sector + 17] in {0xE0, 0xBD}:
            raw[sector + 20] |= 0x10
    part.write_bytes(raw)
    contents = read_contents(copy_of)
    assert contents.scrambled
    assert len(contents.titles) == 5  # what the tables say may be known
    for refused in (lambda: refuse_scrambled(contents), lambda: join(copy_of, 1, tmp_path / "t.mkv")):
        with pytest.raises(UnreadableError, match="does not remove protection") as told:
            refused()
        assert "rights" in told.value.remedy
    assert not (tmp_path / "t.mkv").exists()


def test_missing_parts_are_named(copy_of: Path, tmp_path: Path) -> None:
    (copy_of / "VIDEO_TS" / "VTS_01_2.VOB").unlink()
    contents = read_contents(copy_of)
    assert contents.titles[0].missing == ("VTS_01_2.VOB",)
    with pytest.raises(UnreadableError, match="VTS_01_2.VOB is missing"):
        join(copy_of, 1, tmp_path / "t.mkv")
    with pytest.raises(WrongUseError, match="no title 9"):
        join(copy_of, 9, tmp_path / "t.mkv")


def test_data_that_are_not_pictures_are_told_and_leave_nothing(copy_of: Path, tmp_path: Path) -> None:
    for part in (copy_of / "VIDEO_TS").glob("VTS_01_*.VOB"):
        part.write_bytes(random.Random(2).randbytes(part.stat().st_size))
    with pytest.raises(UnreadableError):
        join(copy_of, 1, tmp_path / "t.mkv")
    assert list(tmp_path.glob("*.mkv*")) + list(tmp_path.glob(".*.part")) == []


@pytest.mark.parametrize("raw", [b"", b"not an image", bytes(3_000_000), random.Random(3).randbytes(400_000)])
def test_images_that_are_none(tmp_path: Path, raw: bytes) -> None:
    path = tmp_path / "x.iso"
    path.write_bytes(raw)
    with pytest.raises(UnreadableError) as told:
        read_contents(path)
    assert told.value.remedy


def test_a_cut_image_loses_titles_not_the_program(tmp_path: Path, lessons_image: Path) -> None:
    whole = lessons_image.read_bytes()
    for share in (0.2, 0.5, 0.9):
        path = tmp_path / f"cut-{share}.iso"
        path.write_bytes(whole[: round(len(whole) * share)])
        try:
            contents = read_contents(path)
        except UnreadableError as told:
            assert told.remedy  # noqa: PT017
        else:
            assert any(title.missing for title in contents.titles)


def test_what_is_no_disc(tmp_path: Path) -> None:
    with pytest.raises(UnreadableError, match="no VIDEO_TS"):
        read_contents(tmp_path)
    with pytest.raises(UnreadableError, match="There is no gone"):
        read_contents(tmp_path / "gone")


def join(disc: Path, title: int, target: Path) -> None:
    join_title(JoinRequest(disc, title, target), SilentReporter())
