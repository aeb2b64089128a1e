"""What a copy's verdict promises, attacked: damaged sources, changed sources, streams that fell out, odd stamps, names given too soon."""

from __future__ import annotations

import random
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.making import Luma, decode_luma, programme_frames, write_clip
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.capture.sync import SyncRequest, measure_sync
from yomikomi.core.copying import making
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnfinishedError, UnreadableError, WrongUseError
from yomikomi.core.reading.cache import CachedReadRequest, read_cached
from yomikomi.core.reading.current import looks_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import overrule
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for, usual_recipes
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.media import probe
from yomikomi.core.video.subtitles import captions_of
from yomikomi.core.work import SilentReporter

QUICK = recipe_for("h264", 24, speed="ultrafast")


def _read(path: Path) -> Reading:
    return read(ReadRequest(path, complexity=False), SilentReporter())


def _copy(source: Path, target: Path, reading: Reading | None = None, **more: object) -> CopyResult:
    return make_copy(CopyRequest(source, target, reading or _read(source), Treatment(), QUICK, **more), SilentReporter())  # type: ignore[arg-type]


def _frames(count: int = 40) -> list[Luma]:
    return programme_frames(count, width=160, height=120)


def _flipped(source: Path, target: Path, numbers: list[int]) -> Path:
    """The same file with one byte changed in the middle of some of its pictures."""
    raw = bytearray(source.read_bytes())
    with av.open(str(source)) as container:
        for number, packet in enumerate(container.demux(video=0)):
            if number in numbers:
                assert packet.pos is not None
                raw[packet.pos + packet.size // 2] ^= 0x10
    target.write_bytes(raw)
    return target


def _check(result: CopyResult, name: str) -> Check:
    return next(check for check in result.checks if check.name == name)


def test_flipped_bytes_that_decoders_mend_in_silence_are_in_the_reading_and_the_verdict(tmp_path: Path) -> None:
    """FFV1 decodes such frames without a word; only the library's log tells. The copy is a true one of a damaged source."""
    how = {"level": "3", "slices": "4", "slicecrc": "1"}
    whole = write_clip(tmp_path / "whole.mkv", _frames(), codec="ffv1", options=how, sound_seconds=1.6)
    clean = _copy(whole, tmp_path / "clean.mp4")
    assert clean.verified
    assert clean.verdict == "verified"
    damaged = _flipped(whole, tmp_path / "damaged.mkv", list(range(3, 40, 4)))
    reading = _read(damaged)
    assert reading.damage is not None
    assert reading.damage.frames == 10
    assert any("10 frames damaged" in words for words in reading.warnings)
    result = _copy(damaged, tmp_path / "copy.mp4", reading)
    assert result.verified
    assert result.verdict == "verified; in the source: 10 frames damaged"
    assert _read(whole).damage == clean.source_damage == Reading.model_fields["damage"].annotation.__args__[0]()  # type: ignore[union-attr]


def _blanked(source: Path, target: Path, head: int, tail: int) -> Path:
    """Three of four pictures filled with zeros, but for some bytes at either end."""
    raw = bytearray(source.read_bytes())
    with av.open(str(source)) as container:
        for number, packet in enumerate(container.demux(video=0)):
            if number % 4 and packet.pos is not None and packet.size:
                raw[packet.pos + head : packet.pos + packet.size - tail] = bytes(packet.size - head - tail)
    target.write_bytes(raw)
    return target


def test_frames_that_give_no_picture_are_counted(tmp_path: Path) -> None:
    """30 of 40 pictures undecodable were copied as "40 of 40, verified"."""
    whole = write_clip(tmp_path / "whole.mkv", _frames(), options={"preset": "ultrafast", "crf": "16", "g": "1"})
    within = _blanked(whole, tmp_path / "within.mkv", 40, 8)
    reading = _read(within)
    result = _copy(within, tmp_path / "copy.mp4", reading)
    assert reading.damage is not None
    assert result.source_damage is not None
    assert result.source_damage.lost + result.source_damage.frames >= 30
    assert reading.damage.lost == result.source_damage.lost
    assert result.verdict != "verified"
    gone = _read(_blanked(whole, tmp_path / "gone.mkv", 0, 0))  # the file's own structure skips these without a word
    assert gone.damage is not None
    assert gone.damage.unread_bytes > 20_000


@pytest.mark.parametrize("suffix", [".mkv", ".mp4"])
def test_a_second_file_behind_the_first_is_told(tmp_path: Path, suffix: str) -> None:
    one, two = (write_clip(tmp_path / f"{n}{suffix}", _frames(25), sound_seconds=1) for n in "ab")
    joined = tmp_path / f"joined{suffix}"
    joined.write_bytes(one.read_bytes() + two.read_bytes())
    reading = _read(joined)
    assert reading.damage is not None
    assert reading.damage.unread_bytes == two.stat().st_size
    result = _copy(joined, tmp_path / "copy.mp4", reading)
    assert "behind the first part of the file are not read" in result.verdict
    assert _read(one).damage is not None
    assert not _read(one).damage.any  # type: ignore[union-attr]


def test_what_is_not_carried_is_named(tmp_path: Path) -> None:
    plain = write_clip(tmp_path / "plain.mkv", _frames(25), sound_seconds=1)
    rich = tmp_path / "rich.mkv"
    with av.open(str(plain)) as source, av.open(str(rich), "w") as sink:
        outs = {s.index: sink.add_stream_from_template(s) for s in source.streams}
        text = sink.add_stream("subrip")
        text.codec_context.subtitle_header = b"[Script Info]\nScriptType: v4.00+\n\n[Events]\nFormat: Layer, Start, End, Style, Text\n"
        sink.add_stream("pcm_s16le", rate=48_000, layout="stereo")  # a track that holds nothing
        base = Fraction(1, 1000)
        sink.set_chapters([
            {"id": n, "start": 400 * n, "end": 400 * n + 400, "time_base": base, "metadata": {"title": f"part {n}"}} for n in range(2)
        ])  # fmt: skip
        for packet in source.demux():
            if packet.dts is not None:
                packet.stream = outs[packet.stream.index]
                sink.mux(packet)
        line = av.Packet(b"a line")
        line.pts = line.dts = 100
        line.duration, line.time_base, line.stream = 500, base, text
        sink.mux(line)
    result = _copy(rich, tmp_path / "copy.mp4")
    assert result.verified
    assert [one.text for one in captions_of(tmp_path / "copy.mp4", 0).shown] == ["a line"]  # written anew in the kind that MP4 takes
    assert any("sound 2" in words and "holds nothing" in words for words in result.not_carried)
    assert "not in the copy: " in result.verdict
    assert {check.name: check.found for check in result.checks}["chapters"] == "2 of 2"
    matroska = QUICK.model_copy(update={"container": "mkv", "sound_codec": "opus"})
    whole = make_copy(CopyRequest(rich, tmp_path / "copy.mkv", _read(rich), Treatment(), matroska), SilentReporter())
    assert whole.verified, whole.checks
    assert not any("subtitle" in words or "chapter" in words for words in whole.not_carried)
    for copy in (tmp_path / "copy.mp4", tmp_path / "copy.mkv"):
        with av.open(str(copy)) as container:
            assert [round(float(one["start"] * one["time_base"]), 3) for one in container.chapters()] == [0.0, 0.4]  # type: ignore[operator]
            assert [one["metadata"].get("title") for one in container.chapters()] == ["part 0", "part 1"]
            assert len(container.streams.subtitles) == 1
    with av.open(str(tmp_path / "copy.mkv")) as container:
        lines = [(packet.pts, bytes(packet)) for packet in container.demux(container.streams.subtitles[0]) if packet.size]
    assert lines == [(100, b"a line")]



def test_a_reading_of_what_was_there_before_is_not_used(tmp_path: Path) -> None:
    """An 80 MB take of which 95 % were zeroed afterwards answered "no warnings". Times set back do not help."""
    import os

    path = tmp_path / "take.mkv"
    write_clip(path, _frames(), codec="rawvideo", sound_seconds=1.6)
    store = tmp_path / "store"
    before = read_cached(CachedReadRequest(ReadRequest(path), store), SilentReporter())
    assert looks_current(path, before)
    stamp = path.stat()
    raw = bytearray(path.read_bytes())
    raw[len(raw) // 20 : -5000] = bytes(len(raw) - len(raw) // 20 - 5000)
    path.write_bytes(raw)
    os.utime(path, ns=(stamp.st_atime_ns, stamp.st_mtime_ns))
    assert not looks_current(path, before)
    again = read_cached(CachedReadRequest(ReadRequest(path), store), SilentReporter())
    assert again.content != before.content
    assert again.strips != before.strips
    for attempt in (
        lambda: _copy(path, tmp_path / "copy.mp4", before),
        lambda: predict(PredictRequest(path, before, Treatment(), QUICK), SilentReporter()),
    ):
        with pytest.raises(UnfinishedError, match="has changed since it was read"):
            attempt()
    moved = tmp_path / "moved.mkv"
    whole = write_clip(tmp_path / "whole.mkv", _frames())
    reading = read_cached(CachedReadRequest(ReadRequest(whole), store), SilentReporter())
    moved.write_bytes(whole.read_bytes())
    assert _copy(moved, tmp_path / "moved.mp4", reading).verified, "the same bytes elsewhere are the same take"


def test_a_source_that_changes_while_it_is_copied_is_not_verified(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = write_clip(tmp_path / "take.mkv", _frames(), sound_seconds=1.6)
    reading = _read(path)
    real = making.encode

    def meddled(*args: object) -> object:
        made = real(*args)  # type: ignore[arg-type]
        raw = bytearray(path.read_bytes())
        raw[-1] ^= 1
        path.write_bytes(raw)
        return made

    monkeypatch.setattr(making, "encode", meddled)
    result = _copy(path, tmp_path / "copy.mp4", reading)
    assert not result.verified
    assert not _check(result, "source as read").passed
    assert (result.file, (tmp_path / "copy.mp4").exists()) == ("copy.unverified.mp4", False)


def test_a_name_is_given_to_verified_copies_only(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Stopped while it is verified, a copy stood under its final name."""
    path = write_clip(tmp_path / "take.mkv", _frames())
    reading = _read(path)

    class StopsAtVerifying(SilentReporter):
        def report(self, progress: object) -> None:
            if getattr(progress, "step", "") == "verifying":
                self.stop.set()

    monkeypatch.setattr("yomikomi.core.copying.verify._REPORT_PERIOD_S", -1.0)
    seen = StopsAtVerifying()
    with pytest.raises(Exception, match="Stopped"):
        make_copy(CopyRequest(path, tmp_path / "copy.mp4", reading, Treatment(), QUICK), seen)
    assert sorted(one.name for one in tmp_path.iterdir()) == ["take.mkv"]
    wrong = reading.model_copy(update={"duration_seconds": 9.0})
    result = _copy(path, tmp_path / "copy.mp4", wrong)
    assert (result.verified, result.file) == (False, "copy.unverified.mp4")
    assert sorted(one.name for one in tmp_path.iterdir()) == ["copy.unverified.mp4", "take.mkv"]
    assert _copy(path, tmp_path / "copy.mp4", wrong).file == "copy.unverified-2.mp4"


@pytest.mark.parametrize(("codec", "suffix"), [("libx264", ".h264"), ("libx265", ".hevc")])
def test_bare_streams_without_stamps_are_read_predicted_and_copied(tmp_path: Path, codec: str, suffix: str) -> None:
    options = {"preset": "ultrafast"} | ({"x265-params": "log-level=none"} if codec == "libx265" else {})
    path = tmp_path / f"bare{suffix}"
    with av.open(str(path), "w", format=suffix[1:]) as sink:
        stream = sink.add_stream(codec, rate=25, options=options)
        stream.width, stream.height, stream.pix_fmt = 160, 120, "yuv420p"
        for number, luma in enumerate(_frames()):
            frame = av.VideoFrame.from_ndarray(np.vstack([luma, np.full((60, 160), 128, np.uint8)]), format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            sink.mux(stream.encode(frame))
        sink.mux(stream.encode(None))
    reading = _read(path)
    assert (reading.frames, reading.rate.nominal) == (40, "25/1")
    told = predict(PredictRequest(path, reading, Treatment(), QUICK), SilentReporter())
    result = _copy(path, tmp_path / "copy.mp4", reading)
    assert (result.verified, result.frames, result.filled) == (True, 40, 0)
    assert told.size_bytes.expected == pytest.approx(result.size_bytes, rel=0.1)


def test_a_gap_of_hours_is_asked_about_and_a_late_sound_is_no_burden(tmp_path: Path) -> None:
    """Ten hours without pictures made 900 000 repeated frames without a word."""
    base = Fraction(1, 1000)
    stamps = [n * 40 for n in range(20)] + [36_000_000 + n * 40 for n in range(20)]
    path = write_clip(tmp_path / "gap.mkv", _frames(), stamps=stamps, stamp_base=base, codec="ffv1")
    reading = _read(path)
    with pytest.raises(UnfinishedError, match="No pictures for 9:59:59 after 0:00:01"):
        _copy(path, tmp_path / "copy.mp4", reading)
    short = write_clip(tmp_path / "short.mkv", _frames(), stamps=[n * 40 + (12_000 if n > 19 else 0) for n in range(40)], stamp_base=base)
    with pytest.raises(UnfinishedError, match="gaps over 10 s are not filled"):
        _copy(short, tmp_path / "copy.mp4")
    filled = _copy(short, tmp_path / "copy.mp4", fill_gaps=True)
    assert filled.verified, filled.checks
    assert filled.filled == 300
    assert filled.frames == 340


def test_sound_that_begins_late_is_silence_until_then(tmp_path: Path) -> None:
    path = tmp_path / "late.mkv"
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 64, 48, "yuv420p"
        tone = sink.add_stream("pcm_s16le", rate=48_000, layout="stereo")
        for number in range(500):
            frame = av.VideoFrame(64, 48, "yuv420p")
            for plane in frame.planes:
                np.frombuffer(memoryview(plane), np.uint8)[:] = 60 + number % 90
            frame.pts, frame.time_base = number, Fraction(1, 25)
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        block = av.AudioFrame.from_ndarray(np.full((1, 2 * 48_000), 9000, np.int16), format="s16", layout="stereo")
        block.sample_rate, block.pts, block.time_base = 48_000, 18 * 48_000, Fraction(1, 48_000)
        sink.mux(tone.encode(block))
        sink.mux(tone.encode(None))
    result = _copy(path, tmp_path / "copy.mp4")
    assert result.verified, result.checks
    with av.open(str(tmp_path / "copy.mp4")) as container:
        wave = np.concatenate([frame.to_ndarray()[0] for frame in container.decode(audio=0)])
    loud = np.flatnonzero(np.abs(wave) > 0.1)
    assert loud[0] / 48_000 == pytest.approx(18.0, abs=0.05)
    assert len(wave) / 48_000 == pytest.approx(19.0, abs=0.1)


def test_one_bad_sound_packet_ends_nothing(tmp_path: Path) -> None:
    path = tmp_path / "bad.mkv"
    with av.open(str(write_clip(tmp_path / "video.mkv", _frames(50)))) as source, av.open(str(path), "w") as sink:
        picture = sink.add_stream_from_template(source.streams.video[0])
        tone = sink.add_stream("ac3", rate=48_000, layout="stereo")
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = picture
                sink.mux(packet)
        t = np.arange(2 * 48_000) / 48_000
        wave = np.repeat((0.3 * np.sin(2 * np.pi * 440 * t)).astype(np.float32)[None], 2, axis=0)
        packets = []
        for start in range(0, wave.shape[1] - 1536, 1536):
            block = av.AudioFrame.from_ndarray(np.ascontiguousarray(wave[:, start : start + 1536]), format="fltp", layout="stereo")
            block.sample_rate, block.pts, block.time_base = 48_000, start, Fraction(1, 48_000)
            packets += tone.encode(block)
        for number, packet in enumerate(packets):
            if number == 20:
                data = bytearray(bytes(packet))
                data[:12] = bytes(12)
                bad = av.Packet(bytes(data))
                bad.pts, bad.dts, bad.duration, bad.time_base, bad.stream = packet.pts, packet.dts, packet.duration, packet.time_base, tone
                packet = bad  # noqa: PLW2901
            sink.mux(packet)
    reading = _read(path)
    assert reading.damage is not None
    assert reading.damage.sound >= 1
    assert "sound packet" in _copy(path, tmp_path / "copy.mp4", reading).verdict
    assert measure_sync(SyncRequest(path), SilentReporter()).kind == "nothing"


@pytest.mark.parametrize(("channels", "layout"), [(1, "mono"), (2, "stereo"), (4, "quad"), (6, "5.1"), (8, "7.1")])
def test_the_rate_of_sound_goes_by_the_channels_that_the_copy_has(tmp_path: Path, channels: int, layout: str) -> None:
    """Eight channels gave 640 kb/s on a stereo stream, four 320."""
    path = tmp_path / "sound.mkv"
    with av.open(str(write_clip(tmp_path / "video.mkv", _frames(50)))) as source, av.open(str(path), "w") as sink:
        picture = sink.add_stream_from_template(source.streams.video[0])
        tone = sink.add_stream("pcm_s16le", rate=48_000, layout=layout)
        for packet in source.demux(video=0):
            if packet.dts is not None:
                packet.stream = picture
                sink.mux(packet)
        noise = np.random.default_rng(1).integers(-9000, 9000, (1, channels * 2 * 48_000), np.int16)
        block = av.AudioFrame.from_ndarray(noise, format="s16", layout=layout)
        block.sample_rate, block.pts, block.time_base = 48_000, 0, Fraction(1, 48_000)
        sink.mux(tone.encode(block))
        sink.mux(tone.encode(None))
    result = _copy(path, tmp_path / "copy.mp4")
    assert result.verified, result.checks
    made = probe(tmp_path / "copy.mp4").sound[0].channels
    assert made == {1: 1, 6: 6}.get(channels, 2)
    assert QUICK.sound_bits_per_second(channels) == 80_000 * made
    with av.open(str(tmp_path / "copy.mp4")) as container:
        size = sum(packet.size for packet in container.demux(audio=0))
    assert size * 8 / 2.0 == pytest.approx(80_000 * made, rel=0.25)
    assert bool(result.not_carried) == (channels in {4, 8})


def test_wide_range_pictures_are_not_put_into_eight_bits(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "take.mkv", _frames())
    plain = _read(path)
    wide = plain.model_copy(update={"bit_depth": 10, "colour": plain.colour.model_copy(update={"transfer": 16, "primaries": 9})})
    for attempt in (
        lambda: make_copy(CopyRequest(path, tmp_path / "c.mp4", wide, Treatment(), QUICK), SilentReporter()),
        lambda: predict(PredictRequest(path, wide, Treatment(), QUICK), SilentReporter()),
    ):
        with pytest.raises(WrongUseError, match="PQ at 10 bits"):
            attempt()
    assert {one.codec for one in usual_recipes(fields=False, transfer=16, bit_depth=10)} == {"hevc", "av1"}
    assert {one.codec for one in usual_recipes(fields=False, transfer=16, bit_depth=8)} == {"h264", "hevc", "av1"}
    assert list(tmp_path.glob("c*")) == []


def test_a_rate_may_be_said_by_the_stamps_or_against_them(tmp_path: Path) -> None:
    """Pictures of 25 that were stamped as 30: by the stamps every sixth would be left out; against them all are kept."""
    frames = _frames(60)
    path = write_clip(tmp_path / "take.mkv", frames, rate=30, codec="ffv1")
    reading = _read(path)
    by_stamps, kept = overrule(reading, "rate", "25/1"), overrule(reading, "rate", "25/1 retimed")
    assert (by_stamps.duration_seconds, kept.duration_seconds) == (2.0, 2.4)
    one, two = _copy(path, tmp_path / "one.mp4", by_stamps), _copy(path, tmp_path / "two.mp4", kept)
    assert (one.frames, one.dropped, one.verified) == (50, 10, True)
    assert (two.frames, two.dropped, two.filled, two.verified) == (60, 0, 0, True)
    told = [predict(PredictRequest(path, r, Treatment(), QUICK), SilentReporter()) for r in (by_stamps, kept)]
    for prediction, made in zip(told, (one, two), strict=True):
        assert prediction.size_bytes.expected == pytest.approx(made.size_bytes, rel=0.1)
    assert len(decode_luma(tmp_path / "two.mp4")) == 60
    back = overrule(kept, "rate", "30/1")
    assert (back.rate.retimed, back.duration_seconds) == (False, 2.0)


def test_random_damage_never_passes_unseen_and_never_breaks(tmp_path: Path) -> None:
    """Bytes turned over anywhere in a lossless take: it is refused, or the damage is told, or no picture differs."""
    whole = write_clip(tmp_path / "whole.mkv", _frames(20), codec="ffv1", options={"level": "3", "slices": "4", "slicecrc": "1"})
    good = decode_luma(whole)
    raw = whole.read_bytes()
    for seed in range(12):
        chance = random.Random(seed)
        changed = bytearray(raw)
        for _ in range(chance.randrange(1, 6)):
            changed[chance.randrange(len(raw))] ^= 1 << chance.randrange(8)
        path = tmp_path / f"{seed}.mkv"
        path.write_bytes(changed)
        try:
            reading = _read(path)
        except UnreadableError:
            continue
        if reading.damage is not None and not reading.damage.any and not reading.warnings:
            found = decode_luma(path)
            assert len(found) == len(good)
            assert all(np.array_equal(one, two) for one, two in zip(found, good, strict=True)), seed


def test_the_verdict_names_every_reserve() -> None:
    checks = [Check(name="frame count", passed=True, found="x")]
    plain = CopyResult(file="x", size_bytes=1, frames=1, duration_seconds=1, encode_seconds=1, verified=True, checks=checks)
    assert plain.verdict == "verified"
    told = plain.model_copy(update={"filled": 3, "dropped": 1, "not_carried": ["2 chapters"], "verified": False})
    assert told.verdict == (
        "NOT verified; in the source: 3 frames repeated in place of missing ones, 1 frame of the source left out; "
        "not in the copy: 2 chapters"
    )
    assert replace(CopyRequest(Path("a"), Path("b"), None, Treatment(), QUICK), fill_gaps=True).fill_gaps  # type: ignore[arg-type]
