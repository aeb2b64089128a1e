"""Exact rates, timecode, sizes and times as people read and type them."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.rates import (
    KNOWN_RATES,
    bits_per_second,
    bytes_for,
    fraction_text,
    nearest_known_rate,
    rate_text,
    seconds_that_fit,
)
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.core.video.timecode import TimecodeRule, clock, frame_clock, spoken
from yomikomi.core.video.units import bit_rate_text, decibel_text, parse_size, size_text

RULES = [TimecodeRule(rate) for rate in KNOWN_RATES if rate >= 12] + [
    TimecodeRule(Fraction(30000, 1001), drop=True),
    TimecodeRule(Fraction(60000, 1001), drop=True),
]


@given(st.sampled_from(RULES), st.integers(0, 3_000_000))
def test_timecode_goes_there_and_back(rule: TimecodeRule, frames: int) -> None:
    assert rule.to_frames(rule.from_frames(frames)) == frames


@given(st.sampled_from(RULES), st.integers(0, 3_000_000))
def test_timecode_counts_without_repeating(rule: TimecodeRule, frames: int) -> None:
    one, two = ([int(part) for part in rule.from_frames(n).replace(";", ":").split(":")] for n in (frames, frames + 1))
    assert one < two or frames + 1 >= 86_400 * rule.base


def test_numbers_that_do_not_exist_are_refused() -> None:
    drop = TimecodeRule(Fraction(30000, 1001), drop=True)
    for wrong in ("00:01:00;00", "00:09:00;01", "00:60:00:00", "00:00:00:30", "12:00", "a:b:c:d"):
        with pytest.raises(ValueError, match=r".+"):
            drop.to_frames(wrong)
    with pytest.raises(ValueError, match="29.97 and 59.94 only"):
        TimecodeRule(Fraction(25), drop=True)
    with pytest.raises(ValueError, match="negative"):
        drop.from_frames(-1)


@pytest.mark.parametrize(
    ("rate", "text"),
    [
        (Fraction(30000, 1001), "29.97"), (Fraction(60000, 1001), "59.94"), (Fraction(24000, 1001), "23.976"),
        (Fraction(25), "25"), (Fraction(120000, 1001), "119.88"), (Fraction(25, 2), "12.50"),
    ],
)  # fmt: skip
def test_rates_are_written_as_people_write_them(rate: Fraction, text: str) -> None:
    assert rate_text(rate) == text
    assert fraction_text(rate) == f"{rate.numerator}/{rate.denominator}"


@given(st.sampled_from(KNOWN_RATES), st.floats(-1e-5, 1e-5))
def test_a_known_rate_is_found_from_near_it(rate: Fraction, off: float) -> None:
    assert nearest_known_rate(rate * Fraction(1 + off), tolerance=5e-5) == rate


def test_29_97_and_30_are_told_apart_and_strange_rates_stay_strange() -> None:
    assert nearest_known_rate(Fraction(2997, 100), tolerance=2e-4) == Fraction(30000, 1001)
    assert nearest_known_rate(Fraction(30), tolerance=2e-4) == 30
    assert nearest_known_rate(Fraction(27), tolerance=2e-4) is None


@given(st.integers(1, 10**10), st.integers(1, 10**5))
def test_rate_size_and_time_agree(size: int, seconds: int) -> None:
    rate = bits_per_second(size_bytes=size, seconds=Fraction(seconds))
    assert bytes_for(bits_per_second=rate, seconds=Fraction(seconds)) == size
    assert seconds_that_fit(free_bytes=size, bits_per_second=float(rate)) == pytest.approx(seconds)


def test_drive_time_edges() -> None:
    assert seconds_that_fit(free_bytes=10, bits_per_second=0.0) == float("inf")
    with pytest.raises(ValueError, match="positive"):
        bits_per_second(size_bytes=1, seconds=Fraction(0))


@given(st.floats(1e3, 9.9e12))
def test_sizes_read_and_typed_agree(size: float) -> None:
    typed = parse_size(size_text(size))
    assert typed is not None
    assert typed == pytest.approx(size, rel=0.006)


@pytest.mark.parametrize(
    ("words", "size"),
    [
        ("4.7GB", 4.7e9),
        ("700 MB", 7e8),
        ("2", 2e9),
        ("1,5g", 1.5e9),
        ("300k", 3e5),
        ("0", None),
        ("-3GB", None),
        ("much", None),
        ("4.7 XB", None),
    ],
)
def test_sizes_as_people_type_them(words: str, size: float | None) -> None:
    assert parse_size(words) == size


def test_words_for_numbers() -> None:
    assert size_text(548e6) == "548 MB"
    assert size_text(1.86e9) == "1.86 GB"
    assert size_text(999) == "999 B"
    assert bit_rate_text(40e6) == "40.0 Mb/s"
    assert bit_rate_text(160e3) == "160 kb/s"
    assert decibel_text(-9.94) == "−9.9 dB"
    assert clock(7079.6) == "1:58:00"
    assert [spoken(s) for s in (38, 250, 1500, 12_000)] == ["38 s", "4 min 10 s", "25 min", "3 h 20 min"]


@given(st.sampled_from(KNOWN_RATES), st.integers(0, 500_000))
def test_places_beside_pictures_are_unique_and_in_order(rate: Fraction, frame: int) -> None:
    one, two = frame_clock(frame, rate), frame_clock(frame + 1, rate)
    assert one != two
    assert int(one[one.index(".") + 1 :]) < rate + 1


def test_shapes() -> None:
    for standard in STANDARDS.values():
        for aspect, words in (
            (standard.file_aspect_4_3, "4:3"), (standard.file_aspect_16_9, "16:9"),
            (standard.sample_aspect_4_3, "4:3"), (standard.sample_aspect_16_9, "16:9"),
        ):  # fmt: skip
            assert Geometry(standard.width, standard.height, aspect).shape_words == words
        assert standard.field_rate == 2 * standard.rate
    assert Geometry(1920, 800).shape_words == "2.40:1"
    assert FieldOrder.TFF.other is FieldOrder.BFF


@given(st.integers(1, 4000), st.integers(1, 4000), st.integers(2, 3000), st.integers(2, 3000))
def test_fitting_keeps_inside_and_touches(width: int, height: int, box_width: int, box_height: int) -> None:
    fitted = Geometry(width, height).fit(box_width, box_height)
    assert 1 <= fitted[0] <= box_width + 1
    assert 1 <= fitted[1] <= box_height + 1
    assert fitted[0] >= box_width or fitted[1] >= box_height
