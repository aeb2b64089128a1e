"""True rate, constancy and gaps from time stamps; level and silence of sound."""

from __future__ import annotations

from fractions import Fraction

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yomikomi.core.reading.rate import judge_rate
from yomikomi.core.reading.sound import SoundMeter, to_float
from yomikomi.core.video.rates import KNOWN_RATES

MS = Fraction(1, 1000)
COMMON = [r for r in KNOWN_RATES if 20 < r <= 60]


def stamps(rate: Fraction, count: int, base: Fraction, *, start: int = 0) -> list[int | None]:
    return [start + round(n / rate / base) for n in range(count)]


@given(st.sampled_from(COMMON), st.sampled_from([MS, Fraction(1, 90_000), Fraction(1, 10**6)]), st.integers(0, 10**6))
def test_a_constant_rate_is_found_exactly(rate: Fraction, base: Fraction, start: int) -> None:
    """Whole milliseconds as in Matroska, 90 kHz, microseconds; from any beginning; told by header and stamps."""
    found = judge_rate(stamps(rate, 300, base, start=start), time_base=base, declared=rate)
    assert (found.nominal, found.constant, found.gaps, found.missing) == (rate, True, 0, 0)


@pytest.mark.parametrize("rate", [Fraction(30000, 1001), Fraction(30), Fraction(24000, 1001), Fraction(24), Fraction(60000, 1001)])
def test_milliseconds_alone_tell_29_97_from_30_in_time(rate: Fraction) -> None:
    """Over 100 s the mean step is known to a hundred-thousandth, enough to tell rates a thousandth apart."""
    assert judge_rate(stamps(rate, int(100 * rate), MS), time_base=MS, declared=None).nominal == rate


@given(st.sampled_from(COMMON), st.sets(st.integers(5, 290), min_size=1, max_size=6))
def test_lost_frames_are_counted(rate: Fraction, lost: set[int]) -> None:
    all_stamps = stamps(rate, 300, MS)
    kept = [stamp for number, stamp in enumerate(all_stamps) if number not in lost]
    found = judge_rate(kept, time_base=MS, declared=rate)
    runs = len([n for n in lost if n - 1 not in lost])
    assert found.nominal == rate
    assert not found.constant
    assert (found.gaps, found.missing) == (runs, len(lost))


def test_jitter_is_no_change_of_rate_but_a_change_is() -> None:
    rng = np.random.default_rng(1)
    base = Fraction(1, 90_000)
    jittered: list[int | None] = [int(n * 3003 + rng.integers(-600, 600)) for n in range(500)]
    assert judge_rate(jittered, time_base=base, declared=Fraction(30000, 1001)).constant
    doubled: list[int | None] = [n * 3003 for n in range(100)] + [100 * 3003 + n * 6006 for n in range(100)]
    assert not judge_rate(doubled, time_base=base, declared=Fraction(30000, 1001)).constant


def test_a_lying_header_does_not_win() -> None:
    found = judge_rate(stamps(Fraction(25), 200, MS), time_base=MS, declared=Fraction(30))
    assert found.nominal == 25


def test_missing_stamps_fall_back_on_the_header() -> None:
    assert judge_rate([None] * 50, time_base=MS, declared=Fraction(50)).nominal == 50
    assert judge_rate([], time_base=MS, declared=None).told_by == "header"
    assert not judge_rate([5, 5, 5, 5], time_base=MS, declared=Fraction(25)).constant


def _frame(wave: np.ndarray, form: str, rate: int = 48_000, at: int = 0) -> av.AudioFrame:
    layout = "mono" if wave.shape[0] == 1 else "stereo"
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(wave), format=form, layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
    return frame


@pytest.mark.parametrize(
    ("form", "kind", "scale"),
    [("s16p", np.int16, 32768), ("s32p", np.int32, 2**31), ("fltp", np.float32, 1), ("dblp", np.float64, 1), ("u8p", np.uint8, 128)],
)
def test_every_sample_format_reads_the_same(form: str, kind: type, scale: float) -> None:
    sine = 0.5 * np.sin(np.arange(4800) * 2 * np.pi / 96)
    wave = np.round(sine * scale + 128).astype(kind) if kind is np.uint8 else (sine * scale).astype(kind)
    assert np.abs(to_float(_frame(wave[None, :], form))[0] - sine).max() < (0.01 if kind is np.uint8 else 1e-4)


def test_packed_channels_are_kept_apart() -> None:
    both = np.zeros((1, 200), np.int16)
    both[0, 0::2], both[0, 1::2] = 1000, -2000
    frame = av.AudioFrame.from_ndarray(both, format="s16", layout="stereo")
    found = to_float(frame) * 32768
    assert found.shape == (2, 100)
    assert (found[0] == 1000).all()
    assert (found[1] == -2000).all()


@settings(deadline=None)
@given(st.floats(0.0005, 1.0))
def test_peak_and_mean(level: float) -> None:
    meter = SoundMeter(48_000)
    meter.feed(_frame((level * np.sin(np.arange(4800) * 2 * np.pi / 48)).astype(np.float32)[None, :], "fltp"))
    assert meter.peak_db == pytest.approx(20 * np.log10(level), abs=0.02)
    assert meter.peak_db - meter.rms_db == pytest.approx(3.01, abs=0.02)


def test_silences_of_a_second_and_more() -> None:
    meter = SoundMeter(48_000)
    for block in range(500):  # 10 s in blocks of 20 ms; silent from 2 to 4.5 s, and for half a second at 7
        loud = 0.0005 if 100 <= block < 225 or 350 <= block < 375 else 0.4
        meter.feed(_frame(np.full((1, 960), loud, np.float32), "fltp", at=960 * block))
    assert meter.silences() == [(pytest.approx(2.0), pytest.approx(4.5))]
    assert meter.span == (0.0, pytest.approx(10.0))
    assert SoundMeter(48_000).span == (0.0, 0.0)
    assert SoundMeter(48_000).peak_db == -120.0
