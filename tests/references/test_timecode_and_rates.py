"""Timecode and data rates against the standard, another library, and facts of the trade."""

from __future__ import annotations

from fractions import Fraction

import pytest
from timecode import Timecode

from yomikomi.core.video.rates import bits_per_second, bytes_for
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.video.timecode import TimecodeRule

NTSC, DOUBLE = Fraction(30000, 1001), Fraction(60000, 1001)


def test_ten_minutes_of_drop_frame() -> None:
    """SMPTE ST 12-1: ten minutes of 29.97 drop-frame are 17 982 frames, an hour 107 892 (from memory)."""
    rule = TimecodeRule(NTSC, drop=True)
    assert rule.to_frames("00:10:00;00") == 17_982
    assert rule.to_frames("01:00:00;00") == 107_892
    assert rule.from_frames(1800) == "00:01:00;02"
    assert TimecodeRule(DOUBLE, drop=True).to_frames("00:10:00;00") == 35_964


def test_drop_frame_keeps_to_the_clock() -> None:
    """ST 12-1 gives the remaining error as about 86 ms in 24 hours (from memory)."""
    shown = 24 * 3600
    real = TimecodeRule(NTSC, drop=True).to_frames("24:00:00;00") / NTSC
    assert abs(float(real) - shown) == pytest.approx(0.0864, abs=0.001)


@pytest.mark.parametrize(
    ("name", "rule"),
    [
        ("29.97", TimecodeRule(NTSC, drop=True)),
        ("59.94", TimecodeRule(DOUBLE, drop=True)),
        ("25", TimecodeRule(Fraction(25))),
        ("24", TimecodeRule(Fraction(24))),
    ],
)
def test_the_timecode_package_agrees(name: str, rule: TimecodeRule) -> None:
    """The package ``timecode`` counts frames from 1."""
    for frames in [0, 1, 29, 1799, 1800, 1801, 17_981, 17_982, 35_964, 107_892, 123_457, 1_000_003]:
        theirs = str(Timecode(name, frames=frames + 1))
        assert rule.from_frames(frames).replace(";", ":") == theirs.replace(";", ":")


def test_59_94_is_twice_29_97() -> None:
    """SMPTE ST 170 and ST 274: 30/1.001 and 60/1.001, exactly."""
    assert STANDARDS["525i"].rate == NTSC
    assert STANDARDS["525i"].field_rate == DOUBLE
    assert 2 * NTSC == DOUBLE
    assert NTSC * 1001 == 30_000


def test_facts_of_the_trade() -> None:
    """Common practice, no source: 40 Mb/s is about 18 GB an hour; 100 Mb/s for 13 min 20 s is 10 GB; 1.04 GB an hour of
    48 kHz 24-bit stereo."""
    hour = Fraction(3600)
    assert bytes_for(bits_per_second=Fraction(40_000_000), seconds=hour) / 1e9 == pytest.approx(18, abs=0.2)
    assert bytes_for(bits_per_second=Fraction(100_000_000), seconds=Fraction(800)) == 10_000_000_000
    assert bytes_for(bits_per_second=Fraction(48_000 * 24 * 2), seconds=hour) / 1e9 == pytest.approx(1.04, abs=0.005)
    assert bits_per_second(size_bytes=18_000_000_000, seconds=hour) == 40_000_000
