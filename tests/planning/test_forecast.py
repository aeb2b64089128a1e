"""The forecast: sums with intervals, what fits, when the drive is full; and the measurement of the machine."""

from __future__ import annotations

import itertools
import math
import shutil
from collections import namedtuple
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yomikomi.core.errors import CancelledError, DriveFullError, UnfinishedError
from yomikomi.core.planning.carriers import KINDS
from yomikomi.core.planning.data_rates import CAPTURE_CODECS, capture_bits_per_second
from yomikomi.core.planning.forecast import Wish, Work, clock_time, forecast
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.machine import MachineSpeeds, Speed
from yomikomi.core.planning.machine_trial import MachineTrialRequest, TrialEncoder, capture_encoders, try_machine
from yomikomi.core.planning.spans import Span, total
from yomikomi.core.work import SilentReporter

BEGIN = datetime(2026, 11, 25, 18, 0, tzinfo=UTC)
TONIGHT = Wish(BEGIN, BEGIN + timedelta(hours=5))
FAST = MachineSpeeds(
    made_at="2026-11-25T17:00:00+00:00", processors=2, write_bytes_per_second=Speed(low=80e6, usual=100e6, high=110e6),
    encoders={"ffv1": Speed(low=30e6, usual=33e6, high=36e6), "h264": Speed(low=20e6, usual=22e6, high=24e6)},
)  # fmt: skip
HOUR = 3600.0


def tape(label: str, hours: float | None = 1.0, **more: object) -> Work:
    return Work(label, "vhs", "525i", hours * HOUR if hours else None, **more)  # type: ignore[arg-type]


works = st.lists(
    st.builds(
        Work,
        label=st.uuids().map(str),
        kind=st.sampled_from(list(KINDS)),
        format=st.sampled_from([None, *FORMATS]),
        seconds=st.one_of(st.none(), st.floats(60, 20_000)),
        unfit=st.booleans(),
        captured=st.booleans(),
        take_bytes=st.one_of(st.none(), st.integers(1, 10**11)),
        take_seconds=st.one_of(st.none(), st.floats(1, 20_000)),
        copied=st.booleans(),
    ),
    max_size=12,
)


@settings(max_examples=25, deadline=None)
@given(shelf=works, free=st.integers(0, 10**13), machine=st.sampled_from([None, FAST]))
def test_intervals_hold_their_middle_and_bars_follow_one_another(shelf: list[Work], free: int, machine: MachineSpeeds | None) -> None:
    made = forecast(shelf, TONIGHT, free=free, machine=machine)
    for span in (made.capture, made.capture_end, made.room, *([made.encode] if made.encode else [])):
        assert 0 <= span.low <= span.usual <= span.high
    for lane in ("capture", "encode"):
        bars = [bar for bar in made.bars if bar.lane == lane]
        for before, after in itertools.pairwise(bars):
            assert before.start <= before.end.usual <= after.start
            assert before.end.high <= after.end.high + 1e-6
            if lane == "capture":  # an encode that waits for its take absorbs some of the doubt about the one before
                assert before.end.high - before.end.usual <= after.end.high - after.end.usual + 1e-6
    if made.full_at is not None:
        assert made.room.usual > free
    assert not {bar.label for bar in made.bars} & {work.label for work in shelf if work.unfit}
    # One more tape never makes the session shorter, or the room smaller, where no length is a guess: it betters the guesses.
    if not made.guesses:
        more = forecast([*shelf, tape("one more")], TONIGHT, free=free, machine=machine)
        assert more.capture.usual >= made.capture.usual
        assert more.room.usual >= made.room.usual


def test_tapes_one_after_another_with_changeovers() -> None:
    made = forecast([tape("A"), tape("B", 2.0), tape("C", 2.0)], TONIGHT, free=10**12, machine=None)
    assert made.capture.usual == 5 * HOUR
    ends = [bar.end.usual for bar in made.bars]
    assert ends == pytest.approx([HOUR + 30, 3 * HOUR + 300 + 60, 5 * HOUR + 600 + 90])
    assert [bar.fit for bar in made.bars] == ["fits", "fits", "not today"]
    assert made.encode is None
    assert made.write_margin is None
    low, usual, high = capture_bits_per_second("ffv1", width=720, height=480, rate=FORMATS["525i"].rate)
    assert made.room.usual == pytest.approx(5 * HOUR * usual / 8)
    assert made.room.low > 4.5 * HOUR * low / 8
    assert made.room.high < 5.3 * HOUR * high / 8
    assert clock_time(BEGIN, ends[0]) == "19:00"
    assert clock_time(BEGIN, 7 * HOUR) == "+1 d 01:00"


def test_the_drive_fills_in_the_middle_of_a_tape() -> None:
    _, usual, _ = capture_bits_per_second("ffv1", width=720, height=480, rate=FORMATS["525i"].rate)
    free = round(1.5 * HOUR * usual / 8)
    made = forecast([tape("A"), tape("B")], TONIGHT, free=free, machine=FAST)
    assert made.full_at == pytest.approx(1.5 * HOUR + 300 + 30, abs=1)
    assert made.enough_room == "not today"
    assert forecast([tape("A")], TONIGHT, free=10**12, machine=FAST).enough_room == "fits"


def test_encoding_follows_capture_and_uses_what_was_measured() -> None:
    made = forecast([tape("A"), tape("B", captured=True, take_seconds=1800.0), tape("C", copied=True, captured=True)], TONIGHT,
                    free=10**12, machine=FAST)  # fmt: skip
    bars = [bar for bar in made.bars if bar.lane == "encode"]
    assert [bar.label for bar in bars] == ["B", "A"]
    pixels = float(FORMATS["525i"].pixel_rate)
    assert bars[0].end.usual == pytest.approx(1800 * pixels / 22e6)
    assert bars[1].start == pytest.approx(HOUR + 30)
    assert made.encode is not None
    assert made.encode.usual == pytest.approx(1.5 * HOUR * pixels / 22e6)
    assert made.capture_headroom == pytest.approx(30e6 / pixels)
    _, _, most = capture_bits_per_second("ffv1", width=720, height=480, rate=FORMATS["525i"].rate)
    assert made.write_margin == pytest.approx(80e6 * 8 / most)
    # Another codec of the capture changes the room at once; one that was not measured has no headroom to tell.
    high = forecast([tape("A")], Wish(BEGIN, TONIGHT.until, capture_codec="h264_high"), free=10**12, machine=FAST)
    assert high.room.high < forecast([tape("A")], TONIGHT, free=10**12, machine=FAST).room.low
    assert high.capture_headroom is None


def test_what_is_not_known_is_wide_and_what_was_learned_is_narrow() -> None:
    unknown = forecast([tape("A", None)], TONIGHT, free=10**12, machine=None)
    assert unknown.guesses == ("A",)
    assert unknown.capture.high > 5 * unknown.capture.low
    like = forecast([tape("A", None), tape("B"), tape("C", 1.1), tape("D", 1.2)], TONIGHT, free=10**12, machine=None)
    assert like.capture.high - like.capture.low < 2 * HOUR
    done = [tape(f"T{n}", captured=True, copied=True, take_seconds=HOUR, take_bytes=round((20 + n) * 1e9)) for n in range(3)]
    learned = forecast([*done, tape("E")], TONIGHT, free=10**12, machine=None)
    assert learned.learned
    assert learned.room.usual == pytest.approx(21e9)
    assert learned.room.high < 1.3 * learned.room.usual


def test_unfit_carriers_are_set_aside_and_discs_wait_for_copying() -> None:
    made = forecast([tape("A", unfit=True), Work("D", "disc"), Work("S", "card", "1080p25")], TONIGHT, free=10**12, machine=FAST)
    assert made.set_aside == ("A",)
    assert made.waiting == 2
    assert made.bars == ()
    # Common practice, no source: 4 to 5 GB a film, up to twice that; a title whose length is known takes 3 to 9.5 Mb/s.
    whole = forecast([Work("D", "disc")], TONIGHT, free=10**12, machine=None).room
    assert 4e9 <= whole.usual <= 5e9
    assert whole.high <= 10e9
    title = forecast([Work("D", "disc", "525i", 48 * 60.0)], TONIGHT, free=10**12, machine=None).room
    assert (title.low, title.high) == (48 * 60 * 3e6 / 8, 48 * 60 * 9.5e6 / 8)


@given(spans=st.lists(st.tuples(st.floats(0, 1e6), st.floats(0, 1e6), st.floats(0, 1e6)).map(lambda t: Span(*sorted(t))), max_size=8))
def test_independent_errors_add_as_squares(spans: list[Span]) -> None:
    """JCGM 100 (GUM) 5.1.2: for uncorrelated inputs the variances add."""
    summed = total(spans)
    assert summed.usual == pytest.approx(sum(span.usual for span in spans))
    assert summed.high - summed.usual == pytest.approx(math.sqrt(sum((s.high - s.usual) ** 2 for s in spans)), rel=1e-6, abs=1e-3)
    assert summed.high <= sum(span.high for span in spans) + 1e-3


def test_the_machine_is_measured(tmp_path: Path) -> None:
    reporter = SilentReporter()
    encoders = (capture_encoders()[0], TrialEncoder("h264", "libx264", (("preset", "ultrafast"), ("crf", "30"))))
    speeds = try_machine(MachineTrialRequest(tmp_path, encoders, encoder_seconds=0.4), reporter)
    assert set(speeds.encoders) == {"ffv1", "h264"}
    for speed in (speeds.write_bytes_per_second, *speeds.encoders.values()):
        assert 0 < speed.low <= speed.usual <= speed.high
    # The quickest preset of a lossy encoder is quicker than the lossless one, on any machine.
    assert speeds.encoders["h264"].usual > speeds.encoders["ffv1"].usual
    assert list(tmp_path.iterdir()) == []
    assert MachineSpeeds.model_validate_json(speeds.model_dump_json()) == speeds
    assert {encoder.name for encoder in capture_encoders()} <= set(CAPTURE_CODECS)


def test_the_trial_stops_and_spares_a_full_drive(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    reporter = SilentReporter()
    reporter.stop.set()
    with pytest.raises(CancelledError):
        try_machine(MachineTrialRequest(tmp_path, ()), reporter)
    with pytest.raises((UnfinishedError, FileNotFoundError)):
        try_machine(MachineTrialRequest(tmp_path / "gone", ()), SilentReporter())
    usage = namedtuple("usage", "total used free")
    monkeypatch.setattr(shutil, "disk_usage", lambda _path: usage(10**9, 10**9 - 10**7, 10**7))
    with pytest.raises(DriveFullError, match="nearly full"):
        try_machine(MachineTrialRequest(tmp_path, ()), SilentReporter())
    assert list(tmp_path.iterdir()) == []
