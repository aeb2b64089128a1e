"""The arithmetic of planning against published values, handbook figures and facts of the trade."""

from __future__ import annotations

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st
from timecode import Timecode

from yomikomi.core.planning.carriers import KINDS
from yomikomi.core.planning.data_rates import (
    PCM_BITS_PER_SECOND,
    pcm_bits_per_second,
    published_bits_per_second,
    uncompressed_bits_per_second,
)
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.lengths import marked_minutes_for, marked_text, parse_marked, running_seconds
from yomikomi.core.reckoner.engine import reckon
from yomikomi.core.reckoner.sheets import sheet_of
from yomikomi.sim.disc import maker

ONE_HOUR = Fraction(3600)


def value(sheet: str, wanted: str, **given_sides: str) -> Fraction:
    found = reckon(sheet_of(sheet), given_sides).values[wanted]
    assert isinstance(found, Fraction)
    return found


@pytest.mark.parametrize(
    ("key", "width", "height", "rate"),
    [
        # ITU-R BT.601: 720 luma samples in the digital active line of both standards; 480 and 576 are the lines that discs
        # and DV keep of them (from memory). SMPTE ST 296: 1280x720. ITU-R BT.709 part 2: 1920x1080. ITU-R BT.2020: 3840x2160.
        ("525i", 720, 480, Fraction(30000, 1001)),
        ("625i", 720, 576, Fraction(25)),
        ("720p59.94", 1280, 720, Fraction(60000, 1001)),
        ("1080i59.94", 1920, 1080, Fraction(30000, 1001)),
        ("1080p23.976", 1920, 1080, Fraction(24000, 1001)),
        ("2160p59.94", 3840, 2160, Fraction(60000, 1001)),
    ],
)
def test_picture_formats(key: str, width: int, height: int, rate: Fraction) -> None:
    found = FORMATS[key]
    assert (found.width, found.height, found.rate) == (width, height, rate)


@pytest.mark.parametrize(
    ("depth", "full", "limited"),
    [
        # ITU-R BT.601 and BT.709: black at 16, white at 235 in 8 bits; 64 and 940 in 10 bits (quantisation tables).
        ("8", "0", 16), ("8", "255", 235), ("10", "0", 64), ("10", "1023", 940),
        # Half of full range, rounded: 16 + 219 x 128 / 255 = 125.9.
        ("8", "128", 126),
    ],
)  # fmt: skip
def test_levels(depth: str, full: str, limited: int) -> None:
    assert value("levels", "limited", depth=depth, full=full) == limited
    back = value("levels", "full", depth=depth, limited=str(limited))
    assert abs(back - int(full)) <= 1


@given(code=st.integers(16, 235))
def test_limited_codes_come_back(code: int) -> None:
    """Limited range has fewer codes than full range, so each survives the way there and back."""
    full = value("levels", "full", depth="8", limited=str(code))
    assert value("levels", "limited", depth="8", full=str(full)) == code


@given(rate=st.sampled_from(["23.976", "24", "25", "29.97", "30", "50", "59.94", "60"]), data=st.data())
def test_timecode_over_full_days_against_the_timecode_package(rate: str, data: st.DataObject) -> None:
    """SMPTE ST 12-1, as the package implements it independently; 29.97 and 59.94 dropping and not, frames over 24 hours."""
    base = -(-Fraction(rate).numerator // Fraction(rate).denominator)
    frames = data.draw(st.integers(0, base * 86_400 - base * 120))
    drop = data.draw(st.booleans()) and rate in {"29.97", "59.94"}
    name = {"23.976": "23.98"}.get(rate, rate)
    other = Timecode(name, frames=frames + 1, force_non_drop_frame=not drop)
    code = reckon(sheet_of("timecode"), {"rate": rate, "counting": "drop" if drop else "non-drop", "frames": str(frames)}).values["code"]
    assert code.replace(";", ":") == str(other).replace(";", ":")
    assert value("timecode", "frames", rate=rate, counting="drop" if drop else "non-drop", code=code) == frames


def test_facts_of_drop_frame_counting() -> None:
    """SMPTE ST 12-1: 17 982 frames in ten minutes, 107 892 in an hour of 29.97 drop-frame."""
    assert value("timecode", "frames", rate="29.97", counting="drop", code="00:10:00;00") == 17_982
    assert value("timecode", "frames", rate="29.97", counting="drop", code="01:00:00;00") == 107_892
    assert value("timecode", "frames", rate="59.94", counting="drop", code="01:00:00;00") == 215_784


@pytest.mark.parametrize(
    ("sheet", "wanted", "sides", "expected", "tolerance"),
    [
        # Common practice, no source: 40 Mb/s with sound are 18.1 GB an hour.
        ("size", "size", {"time": "1h", "video": "40M", "sound": "320k"}, 18.1e9, 0.004),
        # Common practice, no source: about 1 GB an hour at 2 Mb/s with sound.
        ("size", "size", {"time": "1h", "video": "2000k", "sound": "160k"}, 1e9, 0.03),
        # Common practice, no source: 10 GB at 100 Mb/s are 13 min 20 s.
        ("size", "time", {"size": "10GB", "video": "100M", "sound": "0", "container": "0"}, 800, 0),
        # Common practice, no source: clips of 30 s, 120 of them an hour.
        ("clips", "count", {"clip": "30 s", "time": "1h"}, 120, 0),
        # Common practice, no source: 10 s until a buffer is full.
        ("card", "time", {"needs": "80", "card": "40", "buffer": "400MB"}, 10, 0),
        # Common practice, no source: a 3:2 sensor's picture within 1920x1080 is 1620x1080, and its crops.
        ("crop", "inner_width", {"inner": "3:2"}, 1620, 0),
        ("crop", "crop_width", {"inner": "3:2", "target": "1:1"}, 1080, 0),
        ("crop", "crop_width", {"inner": "3:2", "target": "9:16"}, 607, 0),
        ("crop", "crop_height", {"inner": "3:2", "target": "9:16"}, 1080, 0),
        ("crop", "crop_width", {"inner": "3:2", "target": "16:9"}, 1620, 0),
        ("crop", "crop_height", {"inner": "3:2", "target": "16:9"}, 911, 0),
        # Common practice, no source: a wide film on a 720x480 disc is cropped to 720x368.
        ("crop", "inner_height", {"width": "720", "height": "480", "pixel": "32/27", "inner": "2.35", "sides": "16"}, 368, 0),
        # Common practice, no source: 4 Mb/s is a slow uplink; 1 GB takes 2000 s on all of it.
        ("upload", "time", {"size": "1GB", "uplink": "4M", "share": "100 %"}, 2000, 0),
        # ISO/IEC 13818-2 display shapes on the whole 720 samples: 8:9 at 4:3 and 32:27 at 16:9 on 480 lines; 16:15 on 576.
        ("shape", "pixel", {"width": "720", "height": "480", "display": "4:3"}, 8 / 9, 1e-12),
        ("shape", "pixel", {"width": "720", "height": "480", "display": "16:9"}, 32 / 27, 1e-12),
        ("shape", "pixel", {"width": "720", "height": "576", "display": "4:3"}, 16 / 15, 1e-12),
        # Handbook values: -6.0206 dB is half the amplitude, -3.0103 dB half the power; a stop is a factor of two.
        ("decibels", "amplitude", {"level": "-6.0206"}, 0.5, 1e-5),
        ("decibels", "power", {"level": "-3.0103"}, 0.5, 1e-5),
        ("stops", "light", {"stops": "3"}, 8, 0),
    ],
)
def test_worked_examples(sheet: str, wanted: str, sides: dict[str, str], expected: float, tolerance: float) -> None:
    assert float(value(sheet, wanted, **sides)) == pytest.approx(expected, rel=tolerance, abs=0)


def test_data_rates() -> None:
    # ITU-R BT.601 4:2:2, 8 bits, active picture of 525 lines: 720 x 480 x 29.97 x 16 bits = 165.7 Mb/s (166 measured as raw).
    sd = FORMATS["525i"]
    raw = uncompressed_bits_per_second(width=sd.width, height=sd.height, rate=sd.rate, depth=8, sampling="4:2:2")
    assert float(raw) == pytest.approx(165.7e6, rel=0.001)
    # SMPTE ST 292-1 carries 1080i 10-bit 4:2:2 at 1.485/1.001 Gb/s with blanking: the active picture is 1.243 Gb/s of it.
    hd = uncompressed_bits_per_second(width=1920, height=1080, rate=Fraction(30000, 1001), depth=10, sampling="4:2:2")
    assert float(hd) == pytest.approx(1.243e9, rel=0.001)
    # 48 kHz, 24 bits, stereo: 1.04 GB an hour (common practice, no source: about a gigabyte an hour).
    assert pcm_bits_per_second(sample_rate=48_000, depth=24, channels=2) * ONE_HOUR / 8 == pytest.approx(1.04e9, rel=0.004)
    # RDD 36 422 HQ and VC-3: nominal 220 Mb/s at 1920x1080, 29.97 (published rate tables, from memory).
    for codec in ("rdd36_hq", "vc3_hq"):
        usual = published_bits_per_second(codec, width=1920, height=1080, rate=Fraction(30000, 1001))
        assert usual == pytest.approx(220e6, rel=0.02)
    # RDD 36, its publisher's target rates (from memory): 422 HQ and 4444, Mb/s.
    for width, height, rate, hq, full in (
        (720, 486, Fraction(30000, 1001), 63, 94), (720, 576, Fraction(25), 61, 92), (1280, 720, Fraction(60000, 1001), 220, 330),
        (1280, 720, Fraction(50), 184, 275), (1920, 1080, Fraction(24000, 1001), 176, 264), (1920, 1080, Fraction(60000, 1001), 440, 660),
        (3840, 2160, Fraction(25), 737, 1106), (3840, 2160, Fraction(30000, 1001), 884, 1326),
    ):  # fmt: skip
        for codec, published in (("rdd36_hq", hq), ("rdd36_4444", full)):
            video = published_bits_per_second(codec, width=width, height=height, rate=rate) - PCM_BITS_PER_SECOND
            assert video == pytest.approx(published * 1e6, rel=0.03), (codec, height)


@pytest.mark.parametrize(
    ("kind", "marked", "speed", "minutes"),
    [
        # Common practice, no source: marked minutes at standard speed, twice at the half-speed setting, three times at the slowest.
        ("vhs", 120, "SP", 120), ("vhs", 120, "LP", 240), ("vhs", 120, "EP", 360), ("video8", 90, "LP", 180),
    ],
)  # fmt: skip
def test_tape_lengths(kind: str, marked: int, speed: str, minutes: int) -> None:
    assert running_seconds(KINDS[kind], marked_minutes=marked, speed=speed) == 60 * minutes


@pytest.mark.parametrize(
    ("kind", "shell", "lines", "speed", "minutes", "within"),
    [
        # Common practice, no source: a T cassette in 625 lines runs about 1.43 times as long, an E cassette in 525 that much shorter;
        # discs of 625 lines hold about 64 or 36 minutes a side where those of 525 lines hold 60 or 30.
        ("vhs", "T-120", "525i", "SP", 120, 0), ("vhs", "T-120", "625i", "SP", 172, 1), ("vhs", "T-160", "625i", "LP", 458, 2),
        ("vhs", "E-180", "625i", "SP", 180, 0), ("vhs", "E-180", "525i", "SP", 126, 1), ("vhs", "180", "625i", "SP", 180, 0),
        ("laserdisc", "60", "525i", "long play", 60, 0), ("laserdisc", "60", "525i", "active play", 30, 0),
        ("laserdisc", "60", "625i", "long play", 64, 0.1), ("laserdisc", "60", "625i", "active play", 36, 0.1),
    ],
)  # fmt: skip
def test_what_is_marked_holds_in_its_own_lines(kind: str, shell: str, lines: str, speed: str, minutes: float, within: float) -> None:
    marked, cassette = parse_marked(shell) or (0.0, "")
    runs = running_seconds(KINDS[kind], marked_minutes=marked, speed=speed, lines=lines, cassette=cassette) / 60
    assert runs == pytest.approx(minutes, abs=within or 1e-9)
    back = marked_minutes_for(KINDS[kind], seconds=60 * runs, speed=speed, lines=lines, cassette=cassette)
    assert parse_marked(marked_text(back, cassette)) == (pytest.approx(marked), cassette)
    # Video tape has a polyester base: vinegar is the smell of acetate, which film and sound tape are made of.
    assert not any("smell" in one.checks for one in KINDS.values())


def test_the_simulated_disc_keeps_to_the_limits_of_its_format() -> None:
    """DVD-Video, published tables (from memory): video to 9.8 Mb/s, all streams to 10.08 Mb/s, groups to 18 (525) or 15 (625)
    pictures, AC-3 to 448 kb/s, a decoder buffer of 1 835 008 bits (ISO/IEC 13818-2 main level)."""
    assert maker._VIDEO_PEAK <= 9_800_000
    assert maker._VIDEO_PEAK + 2 * maker._SOUND_BITS <= 10_080_000
    assert maker._GROUP <= 15
    assert maker._SOUND_BITS <= 448_000
    assert maker._BUFFER_BITS == 1_835_008
