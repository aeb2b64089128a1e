"""Recording: what goes in comes out, gaps stay gaps, and every way a recording can be cut short."""

from __future__ import annotations

import os
import resource
import shutil
import signal
import time
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from yomikomi.core.capture import session
from yomikomi.core.capture.health import Health
from yomikomi.core.capture.mend import MendRequest, mend
from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.capture.sound_watch import level_db
from yomikomi.core.errors import CancelledError, DriveFullError, SourceLostError, UnfinishedError, UnreadableError, YomikomiError
from yomikomi.core.video.media import check_tail, probe
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.core.work import Job, JobState, Reporter, SilentReporter
from yomikomi.sim.player import TapePlayer, TapePlayerSpec

pytestmark = pytest.mark.alone

FAST = TapePlayerSpec(seed=2, seconds=1, tape="perfect", mixture="still", real_time=False)
LIVE = TapePlayerSpec(seed=2, mixture="still")


@dataclass(frozen=True)
class TroubledSpec:
    """A player that stops answering after some frames."""

    after: int
    error: str = "source"

    def open(self) -> TroubledPlayer:
        return TroubledPlayer(self)


class TroubledPlayer(TapePlayer):
    def __init__(self, spec: TroubledSpec) -> None:
        super().__init__(FAST)
        self._trouble = spec

    def read(self) -> tuple[Picture, SoundBlock]:
        if self._next >= self._trouble.after:
            if self._trouble.error == "source":
                raise SourceLostError("The cable was pulled.", remedy="Put it back.")
            raise OSError(5, "Input/output error")
        return super().read()


@pytest.mark.parametrize(("standard", "order", "wide"), [("525i", FieldOrder.TFF, False), ("625i", FieldOrder.BFF, True)])
def test_everything_comes_back_as_it_went_in(tmp_path: Path, standard: str, order: FieldOrder, wide: bool) -> None:
    player = TapePlayer(TapePlayerSpec(standard=standard, field_order=order, seed=9, wide=wide, real_time=False))
    path = tmp_path / "take.mkv"
    recorder = Recorder(path, player.format)
    pictures, sounds = [], []
    for _ in range(20):
        picture, sound = player.read()
        recorder.write_picture(picture)
        recorder.write_sound(sound)
        pictures.append(picture)
        sounds.append(sound.samples)
    recorder.close()
    recorder.close()  # closing twice is harmless
    info = probe(path)
    assert (info.codec, info.pixel_format, info.flagged_field_order) == ("ffv1", "yuv422p", order.value)
    assert info.geometry.sample_aspect == player.format.sample_aspect == (Fraction(16, 11) if wide else Fraction(10, 11))
    assert info.colour == player.format.standard.colour
    assert info.average_rate == player.format.standard.rate
    assert info.sound[0].codec == "pcm_s16le"
    with av.open(str(path)) as container:
        for frame, picture in zip(container.decode(video=0), pictures, strict=True):
            assert frame.interlaced_frame
            for plane, samples in zip(frame.planes, (picture.y, picture.u, picture.v), strict=True):
                stored = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)[:, : plane.width]
                assert np.array_equal(stored, samples)
    with av.open(str(path)) as container:
        heard = np.concatenate([frame.to_ndarray().ravel() for frame in container.decode(audio=0)])
    assert np.array_equal(heard, np.concatenate(sounds).ravel())


def test_a_gap_in_the_numbers_stays_a_gap_in_time(tmp_path: Path) -> None:
    player = TapePlayer(FAST)
    recorder = Recorder(tmp_path / "gap.mkv", player.format)
    for number in (0, 1, 2, 7, 8):
        recorder.write_picture(player.picture(number))
    recorder.close()
    with av.open(str(tmp_path / "gap.mkv")) as container:
        places = [round(frame.pts * frame.time_base * Fraction(30000, 1001)) for frame in container.decode(video=0)]
    assert places == [0, 1, 2, 7, 8]


def test_kill_in_mid_recording_loses_at_most_half_a_second(tmp_path: Path) -> None:
    """The file opens at once, and mended it is whole. Three recordings, each killed at another moment."""
    for round_number, seconds in enumerate((1.4, 1.75, 2.1)):
        path = tmp_path / f"take{round_number}.mkv"
        job = Job(capture, CaptureRequest(LIVE, path), name="recording", urgent=True, grace=5).start()
        while job.progress is None or job.progress.seconds < seconds:
            assert job.poll() or not job.state.ended
            time.sleep(0.003)
        os.kill(job.pid or 0, signal.SIGKILL)
        killed_at = job.progress.seconds
        job.wait(5)
        assert job.state is JobState.FAILED
        assert probe(path).geometry.sample_aspect == Fraction(10, 11)
        mended = mend(MendRequest(path), SilentReporter())
        assert killed_at - mended.seconds <= 0.5
        assert check_tail(path) is None
        with av.open(str(path)) as container:
            assert sum(1 for _ in container.decode(video=0)) == mended.frames
        info = probe(path)
        assert float(info.seconds or 0) == pytest.approx(mended.seconds, abs=0.1)
        assert info.flagged_field_order == "bff"
        assert info.geometry.sample_aspect == Fraction(10, 11)


def test_mending_what_cannot_be_mended_leaves_it_alone(tmp_path: Path) -> None:
    broken = tmp_path / "broken.mkv"
    broken.write_bytes(b"\x1a\x45\xdf\xa3" + bytes(300))
    before = broken.read_bytes()
    with pytest.raises(UnreadableError):
        mend(MendRequest(broken), SilentReporter())
    assert broken.read_bytes() == before
    assert list(tmp_path.iterdir()) == [broken]
    stopped = SilentReporter()
    stopped.stop.set()
    whole = tmp_path / "whole.mkv"
    capture(CaptureRequest(FAST, whole), SilentReporter())
    before = whole.read_bytes()
    with pytest.raises(CancelledError):
        mend(MendRequest(whole), stopped)
    assert whole.read_bytes() == before


def _record_with_little_room(request: CaptureRequest, reporter: Reporter) -> CaptureResult:
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (6_000_000, 6_000_000))  # what a full drive does to a file, for anybody
    return capture(request, reporter)


def test_a_full_drive_ends_the_take_and_keeps_it(tmp_path: Path) -> None:
    path = tmp_path / "full.mkv"
    spec = TapePlayerSpec(seed=2, seconds=5, mixture="lively", real_time=False)
    job = Job(_record_with_little_room, CaptureRequest(spec, path), name="recording").start().wait(60)
    result: CaptureResult = job.answer()
    assert "drive is full" in result.trouble
    assert "Make room" in result.remedy
    assert result.frames > 10
    mended = mend(MendRequest(path), SilentReporter())
    assert mended.frames >= result.frames - 15  # half a second


def test_the_drive_floor_ends_the_take_in_time(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(session, "_FREE_PERIOD_S", 0.0)
    free = shutil.disk_usage(tmp_path).free
    request = CaptureRequest(replace(FAST, seconds=3), tmp_path / "take.mkv", rules=EndRules(floor_bytes=2 * free))
    result = capture(request, SilentReporter())
    assert "nearly full" in result.trouble
    assert 0 < result.frames < 90
    assert check_tail(tmp_path / "take.mkv") is None


@pytest.mark.parametrize("error", ["source", "system"])
def test_a_lost_source_keeps_what_there_is(tmp_path: Path, error: str) -> None:
    result = capture(CaptureRequest(TroubledSpec(12, error), tmp_path / "take.mkv"), SilentReporter())
    assert result.frames == 12
    assert result.trouble
    assert result.remedy
    assert check_tail(tmp_path / "take.mkv") is None


def test_nothing_is_ever_overwritten_or_written_where_it_may_not(tmp_path: Path) -> None:
    taken = tmp_path / "taken.mkv"
    taken.write_text("a take")
    with pytest.raises(YomikomiError, match="exists already"):
        capture(CaptureRequest(FAST, taken), SilentReporter())
    assert taken.read_text() == "a take"
    with pytest.raises(UnfinishedError):
        capture(CaptureRequest(FAST, tmp_path / "no such folder" / "take.mkv"), SilentReporter())


def test_status_tells_all_a_person_watches(tmp_path: Path) -> None:
    job = Job(
        capture, CaptureRequest(LIVE, tmp_path / "take.mkv", rules=EndRules(max_seconds=1.5)), name="recording", urgent=True, grace=5
    ).start()
    seen = []
    job.wait(30, watch=lambda j: seen.append(j.progress))
    result: CaptureResult = job.answer()
    assert (result.frames, result.dropped, result.trouble) == (45, 0, "")
    last = [s for s in seen if s is not None][-1]
    preview = next(s.preview for s in reversed(seen) if s is not None and s.preview is not None)
    assert (preview.width, preview.height) == (655, 480)  # 720x480 with pixels of 10:11
    assert len(preview.rgb) == 655 * 480 * 3
    assert 20e6 < last.bits_per_second < 120e6
    assert 0 < last.seconds_left < float("inf")
    assert -60 < last.peak_db < 0
    assert last.recording


def test_looking_records_nothing(tmp_path: Path) -> None:
    result = capture(CaptureRequest(FAST, None, rules=EndRules(max_seconds=0.5), patient=True), SilentReporter())
    assert (result.path, result.bytes_written, result.frames) == (None, 0, 15)
    assert not list(tmp_path.iterdir())


def test_health_counts_late_and_lost() -> None:
    health = Health(Fraction(25))
    for number, waited in ((10, 0.0), (11, 0.01), (14, 0.0), (15, 0.05), (16, 0.2)):
        health.saw(number, waited=waited)
    health.lost_in_queue()
    assert (health.frames, health.dropped, health.late) == (5, 3, 2)


def test_levels() -> None:
    """A full-scale sine has its RMS 3.01 dB below its peak."""
    sine = np.round(32767 * np.sin(np.arange(4800) * 2 * np.pi / 48)).astype(np.int16)[:, None]
    peak, rms = level_db(sine)
    assert peak == pytest.approx(0, abs=0.01)
    assert peak - rms == pytest.approx(3.01, abs=0.01)
    assert level_db(np.zeros((10, 1), np.int16)) == (-96.0, -96.0)
    assert level_db(np.empty((0, 1), np.int16)) == (-96.0, -96.0)


def test_the_format_is_that_of_the_standard() -> None:
    form = SourceFormat(STANDARDS["525i"], FieldOrder.BFF, Fraction(10, 11), 48_000, 1)
    assert TapePlayer(FAST).format == form


def test_full_is_told_from_other_trouble(tmp_path: Path) -> None:
    if not Path("/dev/full").exists():
        pytest.skip("this system has no /dev/full")
    (tmp_path / "take.mkv").symlink_to("/dev/full")
    recorder = Recorder(tmp_path / "take.mkv", TapePlayer(FAST).format, claimed=True)
    player = TapePlayer(FAST)
    with pytest.raises(DriveFullError):
        for _ in range(30):
            picture, sound = player.read()
            recorder.write_picture(picture)
            recorder.write_sound(sound)
    recorder.close()  # the person was told already


def test_what_could_not_be_written_at_the_very_end_is_told_too(tmp_path: Path) -> None:
    if not Path("/dev/full").exists():
        pytest.skip("this system has no /dev/full")
    (tmp_path / "take.mkv").symlink_to("/dev/full")
    player = TapePlayer(FAST)
    recorder = Recorder(tmp_path / "take.mkv", player.format, claimed=True)
    recorder.write_picture(player.picture(0))  # waits in the muxer for its sound
    with pytest.raises(DriveFullError):
        recorder.close()
