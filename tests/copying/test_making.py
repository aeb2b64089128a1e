"""Copies: what was asked for comes out, proven; and every way a copy can go wrong is seen or leaves nothing behind."""

from __future__ import annotations

import os
import resource
import signal
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import decode_luma, interlace, psnr, sliding_frames, write_clip
from tests.timing import CANCEL_LIMIT_S, cancel_seconds, usual_of_three
from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.balance.trials import TrialProgress, TrialRequest, run_trials
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.encode import encode
from yomikomi.core.copying.making import CopyProgress, CopyRequest, make_copy
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.copying.verify import Expected, verify
from yomikomi.core.errors import CancelledError, DriveAwayError, DriveFullError, NameTakenError, UnreadableError, WrongUseError
from yomikomi.core.outlets.model import outlets
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, RateCap
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.media import probe
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job, JobState, Reporter, SilentReporter
from yomikomi.core.work.new_file import clear_parts, free_name


def names(folder: Path) -> list[str]:
    return sorted(path.name for path in folder.iterdir())


QUICK = recipe_for("h264", 24, speed="ultrafast")


def _read(path: Path) -> Reading:
    return read(ReadRequest(path), SilentReporter())


@pytest.mark.parametrize(
    ("codec", "quality", "speed", "container", "sound", "deinterlace"),
    [
        ("h264", 22, "ultrafast", "mp4", "aac", Deinterlace.DOUBLE), ("h264", 22, "ultrafast", "mkv", "opus", Deinterlace.LEAVE),
        ("hevc", 26, "ultrafast", "mp4", "aac", Deinterlace.SINGLE), ("av1", 40, "12", "mkv", "opus", Deinterlace.SINGLE),
    ],
)  # fmt: skip
def test_every_kind_of_copy_is_made_and_proven(
    tmp_path: Path, short_tape: Path, short_reading: Reading, codec: str, quality: int, speed: str, container: str, sound: str,
    deinterlace: Deinterlace,
) -> None:  # fmt: skip
    target = tmp_path / f"copy.{container}"
    recipe = recipe_for(codec, quality, speed=speed, container=container, sound=sound)
    before = short_tape.read_bytes()
    treatment = Treatment.of_fields(deinterlace, FieldOrder.BFF)
    result = make_copy(CopyRequest(short_tape, target, short_reading, treatment, recipe), SilentReporter())
    assert [check.name for check in result.checks if not check.passed] == []
    assert result.verified
    assert result.frames == (50 if deinterlace is Deinterlace.DOUBLE else 25)
    assert result.size_bytes == target.stat().st_size
    assert short_tape.read_bytes() == before
    assert names(tmp_path) == [target.name]
    info = probe(target)  # and by another look at the file
    assert info.codec == codec
    assert info.geometry.sample_aspect == Fraction(12, 11)
    assert (info.colour.primaries, info.colour.matrix) == (5, 5)
    assert info.average_rate == (50 if deinterlace is Deinterlace.DOUBLE else 25)
    assert info.sound[0].codec == sound
    if codec == "h264" and deinterlace is Deinterlace.LEAVE:
        assert info.flagged_field_order == "bff"


def test_the_copy_looks_like_the_treated_take(tmp_path: Path) -> None:
    pictures = sliding_frames(50, width=320, height=240)
    source = write_clip(tmp_path / "s.mkv", interlace(pictures, FieldOrder.TFF), codec="ffv1")
    reading = _read(source)
    treatment = fields_treatment(reading)
    make_copy(CopyRequest(source, tmp_path / "c.mp4", reading, treatment, recipe_for("h264", 12)), SilentReporter())
    found = decode_luma(tmp_path / "c.mp4")
    assert len(found) == 50
    assert np.mean([psnr(a, b) for a, b in list(zip(found, pictures, strict=True))[4:46]]) > 34


@pytest.mark.parametrize("each", [2, 7])
def test_a_copy_has_as_many_frames_as_the_preview_and_the_trials_count(
    tmp_path: Path, short_tape: Path, short_reading: Reading, each: int
) -> None:
    """25 frames are no whole number of groups: the last group begins too, and its first frame is in all of them."""
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.BFF).having(RateCap(each=each))
    result = make_copy(CopyRequest(short_tape, tmp_path / "copy.mkv", short_reading, treatment, QUICK), SilentReporter())
    shown = sum(1 for _ in TreatedFrames(short_tape, short_reading, treatment, None))
    assert result.frames == shown == Timing.of(short_reading, treatment).frames == -(-25 // each)


def test_a_frame_that_claims_to_last_half_an_hour_does_not(tmp_path: Path, progressive_clip: Path) -> None:
    path = tmp_path / "claims.mkv"
    with av.open(str(progressive_clip)) as source, av.open(str(path), "w") as sink:
        stream = sink.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(source.streams.video[0]):
            if packet.size:
                packet.duration = round(1800 / packet.time_base)
                packet.stream = stream
                sink.mux(packet)
    reading = _read(path)
    result = make_copy(CopyRequest(path, tmp_path / "copy.mkv", reading, Treatment(), QUICK), SilentReporter())
    assert result.frames == reading.frames
    assert result.verified


def test_sound_stays_in_time_with_gaps_and_a_late_start(tmp_path: Path) -> None:
    """A click in the sound and a flash in the picture, a second in; ten frames are missing before them."""
    dark, light = np.full((64, 96), 40, np.uint8), np.full((64, 96), 200, np.uint8)
    numbers = [n for n in range(50) if not 5 <= n < 15]
    frames = [light if n >= 25 else dark for n in numbers]
    stamps = [n * 40 + 520 for n in numbers]  # the picture begins 0.52 s into the file, the sound at its beginning
    source = write_clip(
        tmp_path / "s.mkv", frames, codec="ffv1", stamps=stamps, stamp_base=Fraction(1, 1000), sound_seconds=3, silence=(0.0, 1.52)
    )
    reading = _read(source)
    assert reading.sound[0].starts_at == pytest.approx(-0.52, abs=0.002)
    result = make_copy(CopyRequest(source, tmp_path / "c.mp4", reading, Treatment(), QUICK), SilentReporter())
    assert result.verified, [c for c in result.checks if not c.passed]
    luma = [float(frame.mean()) for frame in decode_luma(tmp_path / "c.mp4")]
    flash = next(n for n, value in enumerate(luma) if value > 120) / 25
    with av.open(str(tmp_path / "c.mp4")) as container:
        wave = np.concatenate([f.to_ndarray()[0] for f in container.decode(audio=0)])
    click = int(np.argmax(np.abs(wave) > 0.1)) / 48_000
    assert flash == 1.0
    assert click == pytest.approx(flash, abs=0.03)


def test_two_sound_streams_and_none(tmp_path: Path, progressive_clip: Path) -> None:
    frames = sliding_frames(30, width=96, height=64)
    mute = write_clip(tmp_path / "mute.mkv", frames)
    with av.open(str(mute)) as source, av.open(str(tmp_path / "none.mkv"), "w") as sink:
        stream = sink.add_stream_from_template(source.streams.video[0])
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = stream
                sink.mux(packet)
    none = tmp_path / "none.mkv"
    result = make_copy(CopyRequest(none, tmp_path / "n.mp4", _read(none), Treatment(), QUICK), SilentReporter())
    assert result.verified
    assert probe(tmp_path / "n.mp4").sound == ()
    two = tmp_path / "two.mkv"
    with av.open(str(progressive_clip)) as source, av.open(str(two), "w") as sink:
        picture, tone = source.streams.video[0], source.streams.audio[0]
        outputs = [sink.add_stream_from_template(picture), sink.add_stream_from_template(tone), sink.add_stream_from_template(tone)]
        outputs[2].metadata["language"] = "jpn"
        for packet in source.demux(picture, tone):
            if packet.dts is None:
                continue
            data = bytes(packet)
            for output in outputs[:1] if packet.stream is picture else outputs[1:]:
                copy = av.Packet(data)
                copy.pts, copy.dts, copy.duration, copy.time_base = packet.pts, packet.dts, packet.duration, packet.time_base
                copy.is_keyframe = packet.is_keyframe
                copy.stream = output
                sink.mux(copy)
    result = make_copy(CopyRequest(two, tmp_path / "t.mkv", _read(two), Treatment(), replace_container(QUICK)), SilentReporter())
    assert result.verified, [c for c in result.checks if not c.passed]
    assert [sound.language for sound in probe(tmp_path / "t.mkv").sound][1] == "jpn"


def replace_container(recipe: object) -> object:
    return recipe.model_copy(update={"container": "mkv", "sound_codec": "opus"})  # type: ignore[attr-defined]


@pytest.mark.parametrize(("codec", "speed"), [("h264", "veryslow"), ("av1", "2")])
def test_cancel_is_prompt_and_leaves_nothing(tmp_path: Path, tape: Path, tape_reading: Reading, codec: str, speed: str) -> None:
    target = tmp_path / "copy.mp4"
    request = CopyRequest(tape, target, tape_reading, fields_treatment(tape_reading), recipe_for(codec, 20, speed=speed))

    def attempt() -> float:
        job = Job(make_copy, request, name="copy").start()
        seconds = cancel_seconds(job, started=lambda: bool(names(tmp_path)))
        assert job.state is JobState.CANCELLED
        job.wait(5)
        clear_parts(tmp_path, target)  # what the owner of the job does when a worker had to be ended
        assert names(tmp_path) == []
        return seconds

    assert usual_of_three(attempt) < CANCEL_LIMIT_S


def test_a_name_that_is_taken_is_left_alone(tmp_path: Path, short_tape: Path, short_reading: Reading) -> None:
    target = tmp_path / "taken.mp4"
    target.write_text("somebody's film")
    request = CopyRequest(short_tape, target, short_reading, Treatment(), QUICK)
    with pytest.raises(NameTakenError, match="exists already"):
        make_copy(request, SilentReporter())
    assert target.read_text() == "somebody's film"
    assert names(tmp_path) == ["taken.mp4"]
    assert free_name(tmp_path, "taken", ".mp4").name == "taken-2.mp4"
    assert free_name(tmp_path, "new", ".mp4").name == "new.mp4"


class _TakesTheName(SilentReporter):
    """Somebody writes a file of that name while the copy is being made."""

    def __init__(self, target: Path) -> None:
        super().__init__()
        self.target = target

    def check(self) -> None:
        self.target.write_text("quicker")


def test_a_name_taken_meanwhile_is_left_alone_too(tmp_path: Path, short_tape: Path, short_reading: Reading) -> None:
    target = tmp_path / "race.mp4"
    with pytest.raises(NameTakenError, match="exists already"):
        make_copy(CopyRequest(short_tape, target, short_reading, Treatment(), QUICK), _TakesTheName(target))
    assert target.read_text() == "quicker"
    assert names(tmp_path) == ["race.mp4"]


def _copy_with_little_room(request: CopyRequest, reporter: Reporter) -> CopyResult:
    signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (200_000, 200_000))
    return make_copy(request, reporter)


def test_a_full_drive_leaves_no_half_file(tmp_path: Path, tape: Path, tape_reading: Reading) -> None:
    recipe = recipe_for("h264", 8, speed="ultrafast")
    request = CopyRequest(tape, tmp_path / "big.mp4", tape_reading, Treatment(), recipe)
    job = Job(_copy_with_little_room, request, name="copy").start().wait(60)
    with pytest.raises(DriveFullError) as caught:
        job.answer()
    assert "take is untouched" in str(caught.value)
    assert names(tmp_path) == []


def test_impossible_wishes_are_refused(tmp_path: Path, short_tape: Path, short_reading: Reading) -> None:
    fields = Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.BFF)
    with pytest.raises(WrongUseError, match="cannot mark fields"):
        make_copy(CopyRequest(short_tape, tmp_path / "f.mp4", short_reading, fields, recipe_for("av1", 40)), SilentReporter())
    with pytest.raises(DriveAwayError, match="is not there"):
        make_copy(CopyRequest(short_tape, tmp_path / "no" / "f.mp4", short_reading, Treatment(), QUICK), SilentReporter())
    with pytest.raises(UnreadableError):
        make_copy(CopyRequest(tmp_path / "gone.mkv", tmp_path / "f.mp4", short_reading, Treatment(), QUICK), SilentReporter())
    stopped = SilentReporter()
    stopped.stop.set()
    with pytest.raises(CancelledError):
        make_copy(CopyRequest(short_tape, tmp_path / "f.mp4", short_reading, Treatment(), QUICK), stopped)
    assert names(tmp_path) == []


class TestProof:
    """Every check is shown to fail when what it checks is wrong."""

    @pytest.fixture
    def made(self, tmp_path: Path, progressive_clip: Path) -> tuple[Expected, Path]:
        reading = _read(progressive_clip)
        target = tmp_path / "good.mp4"
        encoded = encode(CopyRequest(progressive_clip, target, reading, Treatment(), QUICK), target, SilentReporter())
        return Expected(encoded, chain_for(reading, Treatment()).format, reading.duration_seconds, "mp4"), target

    @staticmethod
    def failed(checks: list[Check]) -> set[str]:
        return {check.name for check in checks if not check.passed}

    def with_file(self, expected: Expected, path: Path) -> Expected:
        return replace(expected, encoded=replace(expected.encoded, path=path))

    def test_a_good_copy_passes(self, made: tuple[Expected, Path]) -> None:
        assert self.failed(verify(made[0], SilentReporter())) == set()

    def test_frames_and_duration(self, made: tuple[Expected, Path], tmp_path: Path) -> None:
        expected, _ = made
        short = write_clip(tmp_path / "short.mp4", sliding_frames(45, width=320, height=240), sound_seconds=2)
        assert {"frame count", "duration"} <= self.failed(verify(self.with_file(expected, short), SilentReporter()))

    def test_sound_missing_short_or_silent(self, made: tuple[Expected, Path], tmp_path: Path) -> None:
        expected, _ = made
        frames = sliding_frames(50, width=320, height=240)
        short = write_clip(tmp_path / "short.mp4", frames, sound_seconds=1.2)
        silent = write_clip(tmp_path / "silent.mp4", frames, sound_seconds=2.0, sound_level=0.0)
        assert "sound length" in self.failed(verify(self.with_file(expected, short), SilentReporter()))
        assert "sound present" in self.failed(verify(self.with_file(expected, silent), SilentReporter()))
        assert "sound streams" in self.failed(verify(replace(expected, encoded=replace(expected.encoded, sounds=())), SilentReporter()))

    def test_shape_colour_rate_and_index(self, made: tuple[Expected, Path], tmp_path: Path) -> None:
        expected, _ = made
        other = write_clip(
            tmp_path / "o.mp4", sliding_frames(50, width=320, height=200), rate=30, sound_seconds=2, sample_aspect=Fraction(4, 3)
        )
        assert {"size and pixel shape", "colour tags", "constant rate", "index in front", "duration"} <= self.failed(
            verify(self.with_file(expected, other), SilentReporter())
        )
        matroska = write_clip(tmp_path / "o.mkv", sliding_frames(50, width=320, height=240), sound_seconds=2)
        assert "index in front" in self.failed(verify(replace(self.with_file(expected, matroska), container="mkv"), SilentReporter()))

    def test_damage(self, made: tuple[Expected, Path], tmp_path: Path) -> None:
        expected, good = made
        data = bytearray(good.read_bytes())
        place = data.index(b"mdat") + 2000
        data[place : place + 3000] = os.urandom(3000)
        damaged = tmp_path / "damaged.mp4"
        damaged.write_bytes(data)
        assert self.failed(verify(self.with_file(expected, damaged), SilentReporter()))
        damaged.write_bytes(b"")
        (only,) = verify(self.with_file(expected, damaged), SilentReporter())
        assert (only.name, only.passed) == ("decodes in full", False)
        assert "0 bytes" in only.found


def test_a_short_take_is_predicted_within_its_interval(tmp_path: Path, short_tape: Path, short_reading: Reading) -> None:
    """Tried whole, so the copy is held to the interval of nine in ten, for each codec."""
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.BFF)
    for codec, quality, speed in (("h264", 23, "superfast"), ("hevc", 28, "ultrafast"), ("av1", 40, "12")):
        recipe = recipe_for(codec, quality, speed=speed)
        told: Prediction = predict(PredictRequest(short_tape, short_reading, treatment, recipe), SilentReporter())
        result = make_copy(CopyRequest(short_tape, tmp_path / f"{codec}.mp4", short_reading, treatment, recipe), SilentReporter())
        assert told.size_bytes.low <= result.size_bytes <= told.size_bytes.high, (codec, told.size_bytes, result.size_bytes)
        assert told.encode_seconds.low < told.encode_seconds.expected < told.encode_seconds.high
        assert told.measured


def test_trials_report_and_leave_pictures(tmp_path: Path, short_tape: Path, short_reading: Reading) -> None:
    recipes = tuple(recipe_for("h264", quality, speed="ultrafast") for quality in (18, 34))
    job = Job(run_trials, TrialRequest(short_tape, short_reading, Treatment(), recipes, folder=tmp_path), name="trials").start()
    seen: list[TrialProgress] = []
    job.wait(60, watch=lambda j: seen.append(j.progress) if j.progress else None)
    trials = job.answer()
    good, small = trials.points
    assert good.size_bytes.expected > 2 * small.size_bytes.expected
    assert good.ssim_db > small.ssim_db + 1
    assert good.psnr_db > small.psnr_db + 1
    assert trials.complete
    assert trials.whole
    assert {p.name for p in tmp_path.iterdir()} == {"source.png", "h264-18.png", "h264-34.png"}
    assert seen[-1].part <= 1.0
    counts = [len(one.so_far.points) for one in seen if one.so_far is not None]
    assert 1 in counts, "the first recipe is told before the second is tried"
    assert counts == sorted(counts), "and never taken back by a word that came after it"
    assert isinstance(CopyProgress("encoding", 0.5, 1, 1, 1.0), CopyProgress)


def test_a_copy_is_held_against_its_outlet(tmp_path: Path) -> None:
    """From its own bytes: one that fits is verified, in every container; one over a limit is not, and says by how much."""
    clip = write_clip(tmp_path / "take.mkv", sliding_frames(30, width=160, height=128), sound_seconds=1.2)
    reading, phone = _read(clip), outlets()["phone"]
    strict = phone.model_copy(update={"words": "Slow line", "peak_kbps": 20})
    found = {}
    for name, outlet in (("fits.mov", phone), ("fits.mp4", phone), ("slow.mp4", strict)):
        recipe = QUICK.model_copy(update={"container": name[-3:]})
        result = make_copy(CopyRequest(clip, tmp_path / name, reading, Treatment(), recipe, outlet=outlet), SilentReporter())
        found[name] = next(check for check in result.checks if check.name.startswith("plays at"))
        assert result.verified == found[name].passed
    assert [check.passed for check in found.values()] == [True, True, False]
    assert found["slow.mp4"].name == "plays at: Slow line"
    assert "allowed 20 kb/s" in found["slow.mp4"].found
    assert "slow.unverified.mp4" in names(tmp_path)
