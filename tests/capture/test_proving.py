"""Proving the path: sync from flashes and claps, levels from bars and tone, the machine, a rehearsal, and the list of a session."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from fractions import Fraction
from pathlib import Path

import pytest

from tests.capture.making import SMALL, WHOLE, captured, record
from yomikomi.core.capture.health import health_path, read_health
from yomikomi.core.capture.levels import LevelsRequest, measure_levels
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.session_list import CHANGE_S, CaptureList, Entry
from yomikomi.core.capture.sync import SyncRequest, SyncResult, measure_sync
from yomikomi.core.capture.trial import CANDIDATES, TrialRequest, TrialRow, _reason, _recommend, try_codecs
from yomikomi.core.errors import CancelledError, UnreadableError
from yomikomi.core.reading.rehearsal import judge_rehearsal
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import SourceSpec
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.faulty import Faults, FaultySpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.synctest import SyncTestSpec


def _sync(spec: SourceSpec, folder: Path, how: RecordAs | None = None) -> SyncResult:
    path = folder / "sync.mkv"
    path.unlink(missing_ok=True)
    if how is None:
        record(spec, path, RecordAs(codec="uncompressed"))  # quick, and nothing is lost
    else:
        captured(spec, path, record_as=how)
    return measure_sync(SyncRequest(path), SilentReporter())


@pytest.mark.parametrize(
    ("offset", "whole"), [(-400.0, False), (0.0, False), (19.5, False), (400.0, False), (-400.0, True), (-83.0, True), (400.0, True)]
)
def test_flash_and_beep_within_two_milliseconds(offset: float, whole: bool, tmp_path: Path) -> None:
    """On fields of 525 lines, and on whole pictures at 25 a second."""
    fields, pictures = SyncTestSpec(offset_ms=offset, seconds=4.5, seed=2), SyncTestSpec(offset_ms=offset, seconds=4.5, standard="625i")
    result = _sync(replace(pictures, progressive=True) if whole else fields, tmp_path)
    assert result.kind == "flash"
    assert result.offset_ms == pytest.approx(offset, abs=2.0)
    assert result.events == 4
    assert result.spread_ms is not None
    assert result.spread_ms < 2


def test_flash_and_beep_through_a_tape_bottom_field_first(tmp_path: Path) -> None:
    spec = SyncTestSpec(offset_ms=-150, seconds=6, standard="625i", field_order=FieldOrder.BFF, tape="vhs", seed=4)
    assert _sync(spec, tmp_path).offset_ms == pytest.approx(-150, abs=2.0)


@pytest.mark.parametrize("offset", [-400.0, 130.0])
def test_claps_within_ten_milliseconds(offset: float, tmp_path: Path) -> None:
    result = _sync(SyncTestSpec("clap", offset, seconds=9, seed=int(abs(offset)) + 1), tmp_path)
    assert result.kind == "clap"
    assert result.offset_ms == pytest.approx(offset, abs=10.0)
    assert result.events >= 4


def test_a_drift_is_measured_and_a_steady_offset_has_none(tmp_path: Path) -> None:
    parting = _sync(SyncTestSpec(offset_ms=40, drift_ms_per_hour=6000, seconds=12.5), tmp_path)
    assert parting.drift_ms_per_hour == pytest.approx(6000, rel=0.02)
    steady = _sync(SyncTestSpec(offset_ms=40, seconds=12.5), tmp_path)
    assert steady.drift_ms_per_hour is not None
    assert steady.drift_error is not None
    assert abs(steady.drift_ms_per_hour) < max(4 * steady.drift_error, 20)


def test_where_nothing_can_be_measured_that_is_said(tmp_path: Path) -> None:
    """A programme, a room in which nobody claps, sounds without pictures: controls that must be refused."""
    for spec in (TapePlayerSpec(seed=7, seconds=3, tape="laserdisc", mixture="lively", real_time=False), SyncTestSpec("none", seconds=4)):
        result = _sync(spec, tmp_path)
        assert result.kind == "nothing"
        assert result.offset_ms is None
        assert "Nothing to measure" in result.words
    dark = OnPathSpec(SyncTestSpec(seconds=4.5), Delivery(picture="black"))
    assert "neither flashes nor claps" in _sync(dark, tmp_path).reason
    record(replace(SMALL, channels=0), tmp_path / "silent.mkv")
    with pytest.raises(UnreadableError, match="no sound"):
        measure_sync(SyncRequest(tmp_path / "silent.mkv"), SilentReporter())


def test_what_is_applied_is_gone_in_the_second_test(tmp_path: Path) -> None:
    """The journey of the Prove page: measure, apply by one key, measure again through the same recorder."""
    path = OnPathSpec(SyncTestSpec(seconds=4.5), Delivery(sound_lead_ms=220))
    first = _sync(path, tmp_path, RecordAs())
    assert first.offset_ms == pytest.approx(-220, abs=2)
    assert "220 ms before its picture" in first.words
    second = _sync(path, tmp_path, RecordAs(sound_later_ms=-first.offset_ms))  # type: ignore[operator]
    assert second.offset_ms == pytest.approx(0, abs=2)
    assert "in sync" in second.words


@pytest.mark.parametrize(
    ("spec", "wrong", "correction"),
    [
        (BarsSpec(), set(), ""),
        (BarsSpec(tape="vhs", seed=3), set(), ""),
        (BarsSpec(lift=16.4, gain=0.925), {"black"}, "set-up (7.5 %)"),
        (BarsSpec(gain=0.86), {"white"}, "Raise the contrast"),
        (BarsSpec(gain=255 / 219, lift=-18.6), {"black", "white"}, "limited range"),
        (BarsSpec(gain=219 / 255, lift=13.7), {"black", "white"}, "recorder's range to limited"),
        (BarsSpec(chroma_gain=0.7), {"saturation"}, "Raise the saturation"),
        (BarsSpec(chroma_degrees=-15, tape="laserdisc"), {"hue"}, "hue"),
        (BarsSpec(chroma_gain=0.0), {"colour"}, "colour standard"),
        (BarsSpec(tone_db=-6), {"tone"}, "Lower the sound input by 12 dB"),
        (BarsSpec(channels="swapped"), {"channels"}, "Exchange both plugs"),
        (BarsSpec(channels="left only"), {"channels"}, "right plug"),
        (BarsSpec(hd_matrix=True), {"matrix"}, "matrix of the recorder"),
        (OnPathSpec(BarsSpec(), Delivery(sound="none")), {"tone"}, "See Path"),
    ],
)
def test_level_faults_are_recovered_with_their_correction(spec: SourceSpec, wrong: set[str], correction: str) -> None:
    seconds = 4.0 if "channels" in wrong else 1.5  # one channel is interrupted every three seconds
    result = measure_levels(LevelsRequest(spec, seconds), SilentReporter())
    assert result.bars
    assert {line.name for line in result.lines if line.mark == "fault"} == wrong
    assert correction in " ".join(line.correction for line in result.lines)
    assert result.holds == (not wrong)


def test_measured_levels_are_those_put_in() -> None:
    spec = BarsSpec(lift=6, gain=0.95, chroma_gain=1.2, chroma_degrees=8, tone_db=-24, tape="vhs", seed=9)
    found = {line.name: line.value for line in measure_levels(LevelsRequest(spec), SilentReporter()).lines}
    assert found["black"] == pytest.approx(22, abs=1.5)
    assert found["white"] == pytest.approx(16 + 6 + 0.95 * 219, abs=2)
    assert found["saturation"] == pytest.approx(1.2, abs=0.03)
    assert found["hue"] == pytest.approx(8, abs=1.5)
    assert found["tone"] == pytest.approx(-24, abs=0.3)


def test_levels_refuse_what_shows_no_bars() -> None:
    result = measure_levels(LevelsRequest(replace(SMALL, seconds=None), 0.5), SilentReporter())
    assert not result.bars
    assert "does not show colour bars" in result.words
    assert not measure_levels(LevelsRequest(FaultySpec(SMALL, Faults(unplugged_at=0))), SilentReporter()).bars
    mono = measure_levels(LevelsRequest(OnPathSpec(BarsSpec(), Delivery(picture="blue"))), SilentReporter())
    assert not mono.bars


def _row(codec: str, headroom: float, *, lost: int = 0, speed: str | None = None, drive: float = 0.1) -> TrialRow:
    verdict = "fails" if lost or headroom < 1 or drive > 1 else "barely" if headroom < 1.15 or drive > 0.7 else "holds"
    return TrialRow(
        codec=codec, words=codec, speed=speed, headroom=headroom, lost=lost, frames=100, bytes_per_hour=1e9, slowest_write_ms=1,
        drive_part=drive, verdict=verdict,
    )  # fmt: skip


def test_the_trial_prefers_nothing_lost_then_what_holds_with_room() -> None:
    why = {(one.codec, one.speed): words for one, words in CANDIDATES}
    for rows, wanted, said in (
        ([_row("ffv1", 2.0), _row("utvideo", 8.0)], "ffv1", "open"),
        ([_row("ffv1", 0.5, lost=30), _row("utvideo", 4.0), _row("rdd36_hq", 1.6)], "utvideo", "lost 30 of 100"),
        ([_row("ffv1", 1.2), _row("utvideo", 1.4), _row("rdd36_hq", 1.3)], "utvideo", "That is little"),
        ([_row("ffv1", 3.0, drive=0.9), _row("vc3_hq", 2.0)], "vc3_hq", "of the drive's write rate"),
    ):
        best = _recommend(rows)
        assert best is not None
        assert best.codec == wanted
        assert said in _reason(best, rows, why)
    none = [_row("ffv1", 0.2, lost=90)]
    assert _recommend(none) is None
    assert "No codec tested can keep up" in _reason(None, none, why)


@pytest.mark.alone
def test_a_trial_tells_what_this_machine_can_do_and_leaves_nothing(tmp_path: Path) -> None:
    request = TrialRequest(tmp_path, 320, 240, Fraction(25), seconds=1.0, codecs=("ffv1", "uncompressed"))
    seen = SilentReporter()
    result = try_codecs(request, seen)
    assert [row.codec for row in result.rows] == ["ffv1", "uncompressed"]
    assert all(row.headroom > 1 and row.lost == 0 for row in result.rows)
    assert result.rows[1].bytes_per_hour == pytest.approx(320 * 240 * 2 * 25 * 3600 + 48_000 * 4 * 3600, rel=0.05)
    assert result.recommended in {"ffv1", "uncompressed"}
    assert result.record_as is not None
    assert seen.last.seconds_left > 0
    assert list(tmp_path.iterdir()) == []
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        try_codecs(request, stopped)
    assert list(tmp_path.iterdir()) == []


def _rehearsed(spec: SourceSpec, expected: SourceSpec, folder: Path, *, silent: bool = False) -> tuple[set[str], str]:
    path = folder / "rehearsal.mkv"
    for old in (path, health_path(path)):
        old.unlink(missing_ok=True)
    result = captured(spec, path, record_as=RecordAs(codec="uncompressed"))
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    told = judge_rehearsal(result, reading, expected.open().format, read_health(path)[1], silent=silent)
    # Headroom is the machine's, not the source's: other work beside the tests must not decide.
    return {line.name for line in told.wrong} - {"headroom"}, told.sentence


def test_a_rehearsal_shows_what_is_wrong_before_the_tape_is_committed(tmp_path: Path) -> None:
    tape = TapePlayerSpec(seed=3, seconds=0.8, tape="laserdisc", mixture="lively", real_time=False)
    wrong, _sentence = _rehearsed(tape, tape, tmp_path)
    assert wrong == set()
    for delivery, found in (
        (Delivery(sound="none"), {"sound"}),
        (Delivery(picture="black", level="hot"), {"picture", "sound"}),
        (Delivery(order="swapped"), {"field order"}),
        (Delivery(drops=True), {"frames", "rate"}),
    ):
        source = OnPathSpec(tape, delivery)
        wrong, sentence = _rehearsed(source, source, tmp_path)
        assert found <= wrong, delivery
        assert "Not yet" in sentence
    assert _rehearsed(replace(WHOLE, channels=0), replace(WHOLE, channels=0), tmp_path, silent=True)[0] == set()
    assert "scan" in _rehearsed(SMALL, WHOLE, tmp_path)[0]


def test_a_session_asks_for_one_carrier_after_the_other() -> None:
    entries = [Entry(n, f"K-00{n}", f"tape {n}", seconds) for n, seconds in ((1, 3600.0), (2, None), (4, 1800.0))]
    captures = CaptureList()
    for one in entries:
        captures = captures.with_carrier(one)
    assert captures.with_carrier(entries[0]) == captures
    assert captures.prompt == "Insert K-001 (tape 1), then confirm."
    now = datetime(2026, 11, 25, 20, 0, tzinfo=UTC)
    assert captures.ends(now) == (now + timedelta(seconds=3600 + CHANGE_S), None, None)
    captures = captures.moved(4, -1)
    assert [one.carrier_id for one in captures.entries] == [1, 4, 2]
    assert captures.moved(1, -1) == captures
    captures = captures.marked(1, "recording")
    assert captures.prompt == ""
    assert captures.ends(now, running_s=600)[0] == now + timedelta(seconds=3000)
    assert captures.without(1) == captures, "what is being recorded stays"
    captures = captures.marked(1, "done")
    assert captures.prompt == "Insert K-004 (tape 4), then confirm."
    captures = captures.marked(4, "troubled", "12 frames lost").marked(2, "skipped")
    assert captures.over
    assert captures.prompt == "The list is through: 1 of 3 recorded; look at K-004."
    assert captures.marked(4, "waiting") == captures, "a finished one stays as it is"
