"""Levels of coded pictures against sizes that the standards name as examples.

Sources: ITU-T H.264 table A-6 and ITU-T H.265 table A.11 (maximum frame rates for some sizes at each level), AV1 Bitstream & Decoding
Process Specification A.3 (examples beside the levels); the figures are from memory.
"""

from __future__ import annotations

import itertools
from fractions import Fraction

import pytest

from yomikomi.core.recipes.levels import LEVELS, least_level, level_kbps


@pytest.mark.parametrize(
    ("codec", "width", "height", "rate", "level"),
    [
        ("h264", 176, 144, Fraction(15), "1"), ("h264", 352, 288, Fraction(30), "1.3"), ("h264", 720, 480, Fraction(30), "3"),
        ("h264", 720, 576, Fraction(25), "3"), ("h264", 1280, 720, Fraction(30), "3.1"), ("h264", 1280, 720, Fraction(60), "3.2"),
        ("h264", 1920, 1080, Fraction(30), "4"), ("h264", 1920, 1080, Fraction(60), "4.2"), ("h264", 3840, 2160, Fraction(30), "5.1"),
        ("h264", 3840, 2160, Fraction(60), "5.2"), ("hevc", 1280, 720, Fraction(30), "3.1"), ("hevc", 1920, 1080, Fraction(30), "4"),
        ("hevc", 1920, 1080, Fraction(60), "4.1"), ("hevc", 3840, 2160, Fraction(30), "5"), ("hevc", 3840, 2160, Fraction(60), "5.1"),
        ("hevc", 7680, 4320, Fraction(60), "6.1"), ("av1", 1280, 720, Fraction(30), "3.1"), ("av1", 1920, 1080, Fraction(30), "4.0"),
        ("av1", 1920, 1080, Fraction(60), "4.1"), ("av1", 3840, 2160, Fraction(60), "5.1"), ("av1", 7680, 4320, Fraction(60), "6.1"),
    ],
)  # fmt: skip
def test_examples_of_the_standards(codec: str, width: int, height: int, rate: Fraction, level: str) -> None:
    found = least_level(codec, width=width, height=height, rate=rate)
    assert found is not None
    assert found.name == level


def test_bits_and_references_raise_the_level() -> None:
    size = {"width": 1920, "height": 1080, "rate": Fraction(25)}
    assert [least_level("h264", kbps=kbps, **size).name for kbps in (20_000, 25_000, 26_000, 70_000)] == ["4", "4", "4.1", "5"]  # type: ignore[union-attr, arg-type]
    assert least_level("h264", kbps=21_000, high=False, **size).name == "4.1"  # type: ignore[union-attr, arg-type]
    # Level 4 holds four pictures of 1080 lines (table A-1: 32 768 macroblocks), so five references need level 5.
    assert [least_level("h264", held_pictures=held, **size).name for held in (4, 5)] == ["4", "5"]  # type: ignore[union-attr, arg-type]
    assert least_level("h264", width=16384, height=16384, rate=Fraction(120)) is None


def test_levels_grow() -> None:
    for codec, levels in LEVELS.items():
        for one, two in itertools.pairwise(levels):
            assert (one.picture, one.second, one.kbps) <= (two.picture, two.second, two.kbps), (codec, two.name)
            assert one.picture <= two.picture
            assert one.second <= two.second
            assert level_kbps(codec, one.name) <= level_kbps(codec, two.name)
