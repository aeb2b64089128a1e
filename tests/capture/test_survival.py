"""Recordings that are killed, unplugged, starved or run out of drive: at most half a second is lost, and it is told."""

from __future__ import annotations

import os
import resource
import signal
import time
from dataclasses import replace
from functools import partial
from pathlib import Path

import av
import numpy as np
import pytest

from tests.capture.making import SMALL, all_of, captured, heard, lumas, numbers
from yomikomi.core.capture import parts, session
from yomikomi.core.capture.health import health_path, read_health
from yomikomi.core.capture.loudness import LoudnessMeter
from yomikomi.core.capture.mend import MendRequest, later_parts, mend
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.media import check_tail, probe
from yomikomi.core.work import Job, JobState, Reporter, SilentReporter
from yomikomi.sim.faulty import Faults, FaultySpec
from yomikomi.sim.feed import FeedSpec

LIVE = replace(SMALL, seconds=None, real_time=True)


@pytest.mark.alone
@pytest.mark.parametrize("codec", ["rdd36_hq", "utvideo", "h264_high", "uncompressed"])
def test_kill_costs_at_most_half_a_second_in_every_container(codec: str, tmp_path: Path) -> None:
    how = RecordAs(codec=codec)
    path = tmp_path / f"take{how.suffix(8)}"
    job = Job(capture, CaptureRequest(LIVE, path, how), name="recording", urgent=True, grace=5).start()
    while job.progress is None or job.progress.seconds < 1.6:
        assert job.poll() or not job.state.ended
        time.sleep(0.003)
    os.kill(job.pid or 0, signal.SIGKILL)
    killed_at = job.progress.seconds
    job.wait(5)
    assert job.state is JobState.FAILED
    before = probe(path)
    mended = mend(MendRequest(path), SilentReporter())
    assert killed_at - mended.seconds <= 0.5
    assert len(lumas(path)) == mended.frames
    after = probe(path)
    assert (after.flagged_field_order, after.colour, after.geometry) == (before.flagged_field_order, before.colour, before.geometry)
    assert check_tail(path) is None
    rows, end = read_health(path)
    assert len(rows) >= 1  # the log is there up to the last second
    assert end is None


@pytest.mark.alone
def test_a_killed_take_in_parts_is_mended_as_a_whole(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    request = CaptureRequest(LIVE, path, RecordAs(part_minutes=1 / 60))
    job = Job(capture, request, name="recording", urgent=True, grace=5).start()
    while job.progress is None or job.progress.seconds < 2.6:
        job.poll()
        time.sleep(0.003)
    os.kill(job.pid or 0, signal.SIGKILL)
    killed_at = job.progress.seconds
    job.wait(5)
    mended = mend(MendRequest(path), SilentReporter())
    assert [one.name for one in mended.files] == ["take.mkv", "take-part2.mkv", "take-part3.mkv"]
    assert killed_at - mended.seconds <= 0.5
    assert mended.frames == sum(len(lumas(one)) for one in mended.files)


@pytest.mark.parametrize(("faults", "said"), [(Faults(unplugged_at=30), "device is gone"), (Faults(silent_at=30), "given nothing")])
def test_a_source_that_goes_ends_the_take_and_is_named(faults: Faults, said: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(session, "STALL_S", 0.6)
    result = captured(FaultySpec(SMALL, faults), tmp_path / "take.mkv")
    assert said in result.trouble
    assert result.remedy
    assert result.frames == 30
    assert check_tail(tmp_path / "take.mkv") is None
    assert len(lumas(tmp_path / "take.mkv")) == 30


@pytest.mark.alone
def test_a_starved_recorder_lists_what_it_lost_and_keeps_the_rest_in_place(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A recorder that is too slow by far: the queue fills, frames are lost, and every one of them is told."""
    slow = parts.TakeRecorder.write

    def slowly(self: parts.TakeRecorder, *item: object) -> None:
        time.sleep(0.08)
        slow(self, *item)  # type: ignore[arg-type]

    monkeypatch.setattr(parts.TakeRecorder, "write", slowly)
    monkeypatch.setattr("yomikomi.core.capture.reader.queue_frames", lambda _source: 8)
    path = tmp_path / "take.mkv"
    result = captured(replace(LIVE, seconds=2.5), path, patient=False)
    assert result.dropped > 10
    assert sum(count for _, count in result.gaps) == result.dropped
    missing = {number for first, count in result.gaps for number in range(first, first + count)}
    kept = numbers(path, SMALL.rate)
    assert not missing & set(kept)
    assert result.frames == len(kept)
    rows, end = read_health(path)
    assert end is not None
    assert end.gaps == result.gaps
    assert sum(row.lost for row in rows) > 5
    assert max(row.queue for row in rows) > 4


def test_losses_can_end_a_take_and_otherwise_only_warn(tmp_path: Path) -> None:
    spec = FaultySpec(SMALL, Faults(lost=frozenset(range(20, 26))))
    strict = captured(spec, tmp_path / "strict.mkv", rules=EndRules(most_lost=3, blank_seconds=None))
    assert "6 frames are lost" in strict.trouble
    assert strict.frames >= 20, "what came before the loss was counted is kept"
    seen = SilentReporter()
    lax = captured(spec, tmp_path / "lax.mkv", reporter=seen)
    assert (lax.trouble, lax.dropped, lax.gaps, lax.frames) == ("", 6, ((20, 6),), 54)
    assert numbers(tmp_path / "lax.mkv", SMALL.rate)[19:22] == [19, 26, 27]
    _, sounds = all_of(SMALL)
    assert len(heard(tmp_path / "lax.mkv")) == sum(len(block.samples) for block in sounds)  # sound has no gap


def test_parts_follow_each_other_without_a_frame_or_a_sample_missing(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    result = captured(SMALL, path, record_as=RecordAs(part_minutes=0.5 / 60, timecode="10:00:00:00"))
    pictures, sounds = all_of(SMALL)
    assert len(result.parts) == 4
    assert result.parts[1:] == tuple(later_parts(path))
    found = [luma for one in result.parts for luma in lumas(one)]
    assert all(np.array_equal(one, other.y) for one, other in zip(found, pictures, strict=True))
    samples = np.concatenate([heard(one) for one in result.parts])
    assert np.array_equal(samples, np.concatenate([block.samples for block in sounds]))
    with av.open(str(result.parts[2])) as container:
        told = {key.lower(): value for key, value in {**container.metadata, **container.streams.video[0].metadata}.items()}
        assert told["timecode"] == "10:00:01:00"
    assert check_tail(result.parts[-1]) is None


def _with_little_room(request: CaptureRequest, reporter: Reporter) -> CaptureResult:
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (700_000, 700_000))  # what a full drive does to each file
    return capture(request, reporter)


def test_a_full_drive_goes_on_in_the_next_folder(tmp_path: Path) -> None:
    second = tmp_path / "second"
    second.mkdir()
    path = tmp_path / "take.mkv"
    request = CaptureRequest(SMALL, path, RecordAs(codec="uncompressed"), EndRules(blank_seconds=None), (second,), patient=True)
    result: CaptureResult = Job(_with_little_room, request, name="recording").start().wait(30).answer()
    assert [one.parent.name for one in result.parts] == [tmp_path.name, "second"]
    assert "drive is full" in result.trouble  # the second one is as small
    pictures, _ = all_of(SMALL)
    mended = mend(MendRequest(path, (second,)), SilentReporter())
    found = [luma for one in mended.files for luma in lumas(one)]
    # Nothing is missing between the first drive and the second but what the first could not take any more.
    assert len(found) >= result.frames - 15
    assert np.array_equal(lumas(result.parts[1])[0], pictures[len(lumas(path))].y) or len(lumas(path)) < 15
    assert np.array_equal(found[0], pictures[0].y)


def test_the_floor_of_the_drive_moves_on_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(session, "_FREE_PERIOD_S", 0.0)
    second = tmp_path / "second"
    second.mkdir()
    monkeypatch.setattr(
        session.shutil, "disk_usage", lambda folder: type("Room", (), {"free": 10**12 if str(folder).endswith("second") else 10**6})
    )
    result = captured(SMALL, tmp_path / "take.mkv", spill=(second,))
    assert (result.trouble, result.frames) == ("", 60)
    assert [one.parent.name for one in result.parts] == [tmp_path.name, "second"]
    assert [len(lumas(one)) for one in result.parts] == [1, 59]


def test_mending_needs_a_first_frame_and_passes_over_parts_just_begun(tmp_path: Path) -> None:
    captured(SMALL, tmp_path / "take.mkv")
    (tmp_path / "take-part2.mkv").write_bytes(b"\x1a\x45\xdf\xa3")
    mended = mend(MendRequest(tmp_path / "take.mkv"), SilentReporter())
    assert (mended.frames, [one.name for one in mended.files]) == (60, ["take.mkv"])
    (tmp_path / "empty.mov").write_bytes(b"")
    with pytest.raises(UnreadableError):
        mend(MendRequest(tmp_path / "empty.mov"), SilentReporter())


def test_the_log_is_no_reason_to_stop(tmp_path: Path) -> None:
    path = tmp_path / "take.mkv"
    health_path(path).mkdir()  # a log that cannot be written
    assert captured(SMALL, path).frames == 60
    broken = tmp_path / "other.mkv"
    health_path(broken).write_text('{"at": 1, "frames": 30}\n{"at": 2, "fr')
    rows, end = read_health(broken)
    assert ([row.frames for row in rows], end) == ([30], None)
    assert read_health(tmp_path / "none.mkv") == ([], None)


def test_an_accelerated_half_hour_ends_by_itself_with_memory_flat(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Half an hour of a small source as fast as it goes (one frame in 120 comes, so the clock runs 120 times as fast; two hours are in
    the bench); the programme is over after 28 min, then the picture stands and is silent."""
    import psutil

    # The true peak is measured at 192 kHz whatever the rate: a quarter of a minute of work for this much sound, and tested elsewhere.
    monkeypatch.setattr("yomikomi.core.capture.listening.LoudnessMeter", partial(LoudnessMeter, true_peak=False))
    spec = _LongSpec(rate_words="1/4")
    used: list[int] = []

    class Watch(SilentReporter):
        def report(self, progress: object) -> None:
            super().report(progress)
            used.append(psutil.Process().memory_info().rss)

    result = captured(
        spec, tmp_path / "take.mkv", reporter=Watch(), rules=EndRules(blank_seconds=60.0), record_as=RecordAs(part_minutes=15)
    )
    assert "Blank or still picture and silence" in result.ended
    assert result.trouble == ""
    assert _LONG_S + 55 < result.seconds < _LONG_S + 120
    assert result.tail_seconds == pytest.approx(60, abs=8)
    assert len(result.parts) == 2
    rows, _ = read_health(tmp_path / "take.mkv")
    assert len(rows) > 420
    settled = used[len(used) // 4 :]
    assert max(settled) - settled[0] < 60_000_000


_LONG_S = 28 * 60


class _LongSpec:
    """A camera that films for 28 min of its own time and then only a wall, in silence."""

    def __init__(self, rate_words: str) -> None:
        self.rate_words = rate_words

    def open(self):  # type: ignore[no-untyped-def]
        from fractions import Fraction

        from yomikomi.core.video.source import Picture, SoundBlock

        feed = FeedSpec(160, 128, Fraction(self.rate_words), seed=2, real_time=False, mixture="lively", channels=1).open()
        pictures = [feed.picture(number) for number in range(40)]

        class Long:
            format = replace(feed.format, sound_rate=8000)
            number = -1

            def read(self) -> tuple[Picture, SoundBlock]:
                self.number += 1
                over = self.number / float(feed.format.standard.rate) > _LONG_S
                one = pictures[0 if over else self.number * 7 % 40]
                start, end = self.format.first_sample(self.number), self.format.first_sample(self.number + 1)
                loud = np.full((end - start, 1), 0, np.int16)
                if not over:
                    loud[::2] = 3000
                return replace(one, number=self.number, ready_at=time.monotonic()), SoundBlock(start, loud, round(start * 1e6 / 8000))

            def close(self) -> None:
                return

        return Long()
