"""Which titles of a disc are what: shelves of real running times, as common practice has them (no source)."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from yomikomi.core.disc.contents import TitleData
from yomikomi.core.disc.tables import Cell, SoundEntry, SubtitleEntry, TitleEntry
from yomikomi.core.disc.titles import Judged, judge_titles

MINUTE = 60


def title(index: int, seconds: float, *, chapters: int = 1, sounds: int = 2, subtitles: int = 1, still: bool = False) -> TitleData:
    """A title of its own cell: one after another on the disc."""
    length = Fraction(seconds)
    return TitleData(
        entry=TitleEntry(index, 1, index, 1, chapters),
        cells=(Cell(index * 1_000_000, index * 1_000_000 + 9, length, True, False, 255 if still else 0),),
        seconds=length,
        chapter_starts=tuple(length * k / chapters for k in range(chapters)),
        sounds=tuple(SoundEntry(k, "en", 2, "AC-3", "") for k in range(sounds)),
        subtitles=tuple(SubtitleEntry(k, "en", "") for k in range(subtitles)),
        palette=((16, 128, 128),) * 16, width=720, height=480, rate=Fraction(30000, 1001), wide=False, still=still, size_bytes=20_480,
    )  # fmt: skip


def kinds(judged: list[Judged]) -> list[str]:
    return [one.kind for one in judged]


def test_a_film_and_its_extras() -> None:
    disc = [
        title(1, 40, sounds=1, subtitles=0),
        title(2, 105 * MINUTE, chapters=24),
        title(3, 12 * MINUTE, chapters=3, sounds=1),
        title(4, 55),
    ]
    judged = judge_titles(disc)
    assert kinds(judged) == ["extra", "programme", "extra", "extra"]
    assert judged[1].confidence > 0.95
    assert "length of a film" in judged[1].reason
    assert "under a minute" in judged[3].reason


@pytest.mark.parametrize("slot", [22, 48])
def test_episodes_of_a_slot(slot: float) -> None:
    disc = [title(n, (slot + n / 10) * MINUTE, chapters=6) for n in range(1, 5)] + [title(5, 4 * MINUTE, sounds=1, subtitles=0)]
    judged = judge_titles(disc)
    assert kinds(judged) == ["episode"] * 4 + ["extra"]
    assert min(one.confidence for one in judged) > 0.9
    assert "broadcast slot" in judged[0].reason


def test_a_title_that_plays_all_is_known_by_its_cells() -> None:
    parts = [title(n, 48 * MINUTE, chapters=5) for n in (2, 3, 4)]
    every = replace(
        title(1, 3 * 48 * MINUTE, chapters=15), cells=tuple(cell for part in parts for cell in part.cells)
    )  # fmt: skip
    judged = judge_titles([every, *parts])
    assert kinds(judged) == ["programme", "episode", "episode", "episode"]
    assert judged[0].joins == (2, 3, 4)
    assert "another title plays it" in judged[1].reason


def test_two_films_on_one_disc_are_programmes() -> None:
    assert kinds(judge_titles([title(1, 92 * MINUTE, chapters=12), title(2, 88 * MINUTE, chapters=12)])) == ["programme", "programme"]


def test_repeated_titles_are_named() -> None:
    film = title(1, 100 * MINUTE, chapters=10)
    again = replace(film, entry=TitleEntry(2, 1, 2, 1, 10))
    judged = judge_titles([film, again, title(3, 70)])
    assert kinds(judged) == ["programme", "programme", "extra"]
    assert judged[1].same_as == 1
    assert "same pictures as title 1" in judged[1].reason


def test_menus_among_the_titles() -> None:
    judged = judge_titles([title(1, 95 * MINUTE, chapters=9), title(2, 6, sounds=0, still=True), title(3, 12, sounds=0, subtitles=0)])
    assert kinds(judged) == ["programme", "menu", "menu"]


def test_the_only_title_is_the_programme() -> None:
    assert kinds(judge_titles([title(1, 8 * MINUTE)])) == ["programme"]


def test_what_is_less_clear_is_less_certain() -> None:
    clear = judge_titles([title(1, 100 * MINUTE, chapters=9), title(2, 2 * MINUTE)])
    unclear = judge_titles([title(1, 100 * MINUTE, chapters=9), title(2, 44 * MINUTE, chapters=9)])
    assert unclear[0].confidence < clear[0].confidence
    assert unclear[1].confidence < clear[1].confidence


@given(
    lengths=st.lists(st.floats(0, 4 * 3600), min_size=1, max_size=12),
    tracks=st.lists(st.integers(0, 3), min_size=12, max_size=12),
    stills=st.lists(st.booleans(), min_size=12, max_size=12),
)
@example(lengths=[5e-324, 0.0], tracks=[1] * 12, stills=[False] * 12)
def test_every_title_is_judged_whatever_its_length(lengths: list[float], tracks: list[int], stills: list[bool]) -> None:
    disc = [title(n + 1, length, sounds=tracks[n], still=stills[n]) for n, length in enumerate(lengths)]
    judged = judge_titles(disc)
    assert [one.title for one in judged] == disc
    for one in judged:
        assert 0 <= one.confidence <= 0.99
        assert one.reason
    content = [one for one in judged if one.kind != "menu"]
    if content and max(float(one.title.seconds) for one in content) > 0:
        assert any(one.kind in {"programme", "episode"} for one in content)
