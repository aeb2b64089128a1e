"""Parts cut out of the middle, and fades: pictures to the frame, sound to the sample, subtitles and chapters where they belong."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.making import Luma, interlace, programme_frames, pulled_down, sliding_frames, write_clip
from tests.treatment.test_sound import RATE, _file, _noise, _rendered
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Kept, Pieces
from yomikomi.core.treatment.steps import Crop, CutOut, Fade, Part, Split, Trim
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import luma
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)
QUICK = recipe_for("h264", 26, speed="ultrafast")
_PARTS = st.lists(st.tuples(st.floats(0, 12), st.floats(0.01, 3)), min_size=1, max_size=5)


def _cut(*parts: tuple[float, float]) -> CutOut:
    return CutOut(parts=tuple(Part(start=start, end=end) for start, end in parts))


@given(_PARTS, st.booleans(), st.integers(1, 300))
def test_what_is_kept_is_counted_like_a_list(parts: list[tuple[float, float]], trimmed: bool, frames: int) -> None:
    """Against a plain list of the frames that no cut touches."""
    rate = Fraction(25)
    cut = _cut(*((start, start + length) for start, length in parts))
    inside = Trim(start=0.5, end=9).ticks(rate, frames) if trimmed else range(frames)
    kept = Kept(tuple(cut.left(inside, rate)))
    edges = [tuple(round(Fraction(at).limit_denominator(10**6) * 25) for at in (part.start, part.end)) for part in cut.parts]
    gone = {n for start, end in edges for n in range(start, end)}
    plain = [n for n in inside if n not in gone] or [inside.start]
    assert len(kept) == len(plain)
    assert [n for stretch in kept.stretches(range(len(kept))) for n in stretch] == plain
    assert [n for stretch in kept.stretches(range(3, 9)) for n in stretch] == plain[3:9]
    for whole in range(frames + 2):
        assert kept.number(whole) == (plain.index(whole) if whole in plain else None)
        assert kept.before(whole) == sum(n < whole for n in plain)
    pieces = Pieces.of(kept, rate)
    assert pieces.length == Fraction(len(plain), 25)
    assert sum(one.end - one.begin for one in pieces.inside(Fraction(0), Fraction(1000)) if one.end) == pieces.length


def test_what_is_no_cut_is_refused_and_parts_that_touch_are_one() -> None:
    for wrong in ([], [{"start": 2, "end": 2}], [{"start": -1, "end": 2}], [{"start": 1, "end": float("nan")}]):
        with pytest.raises(ValidationError):
            CutOut.model_validate({"parts": wrong})
    assert _cut((3, 5), (1, 3), (4, 4.5)).parts == (Part(start=1, end=5),)


@pytest.mark.parametrize("kind", ["fields", "film"])
def test_pictures_around_a_cut_are_those_of_the_whole(tmp_path: Path, kind: str) -> None:
    frames: list[Luma] = interlace(sliding_frames(160, width=176, height=144), FieldOrder.TFF)
    if kind == "film":
        frames = pulled_down(programme_frames(70, width=352, height=288, seed=4), (2, 3), FieldOrder.TFF)
    path = write_clip(tmp_path / "a.mkv", frames, rate=VIDEO, codec="ffv1", options={})
    reading = read(ReadRequest(path), SilentReporter())
    treatment = fields_treatment(reading).having(Crop(top=4))
    whole = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment)]
    cut = treatment.having(_cut((0.5, 0.9), (1.4, 1.7))).having(Trim(start=0.2, end=2.2))
    numbers = [n for stretch in Timing.of(reading, cut).kept.parts for n in stretch]
    out = [luma(frame).copy() for frame in TreatedFrames(path, reading, cut)]
    assert len(out) == len(numbers) == Timing.of(reading, cut).frames
    assert all(np.array_equal(one, whole[number]) for one, number in zip(out, numbers, strict=True))
    part = [luma(frame).copy() for frame in TreatedFrames(path, reading, cut, range(5, 30))]
    assert all(np.array_equal(one, two) for one, two in zip(part, out[5:30], strict=True))
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, cut, QUICK), SilentReporter())
    assert made.verified, made.checks
    assert made.frames == len(numbers)
    assert cut.digest != treatment.digest


def test_sound_is_joined_to_the_sample(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    whole = _rendered(path, reading, Treatment())
    cut = Treatment(steps=(Trim(start=0.4), _cut((1, 1.52), (2.2, 3))))
    wanted = np.concatenate([whole[round(a * RATE) : round(b * RATE)] for a, b in ((0.4, 1), (1.52, 2.2), (3, 4))])
    made_of_it = _rendered(path, reading, cut)
    away = np.min([np.abs(np.arange(len(wanted)) - round(at * RATE)) for at in (0.6, 1.28)], axis=0)
    assert np.array_equal(made_of_it[away > RATE * 0.006], wanted[away > RATE * 0.006])  # but for some milliseconds at either side
    assert np.all(np.abs(made_of_it) <= np.abs(wanted) + 1e-9)
    wanted = made_of_it
    middle = _rendered(path, reading, cut, (Fraction(2, 5), Fraction(8, 5)))
    assert np.array_equal(middle, wanted[RATE * 2 // 5 : RATE * 8 // 5])
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, cut, QUICK), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mp4")) as container:
        sound = np.concatenate([block.to_ndarray()[0] for block in container.decode(audio=0)])
    length = RATE // 4
    for first in range(0, len(wanted) - length, length):  # each part of it, so that none has moved
        one, two = (np.fft.rfft(wave[first : first + length], 2 * length) for wave in (sound, wanted[:, 0]))
        lag = int(np.argmax(np.fft.irfft(one * np.conj(two))))
        assert min(lag, 2 * length - lag) <= 2, first


@pytest.mark.parametrize(("tone", "wide"), [(110.3, 600), (1003.3, 4000)])
def test_a_cut_in_a_tone_does_not_click(tmp_path: Path, tone: float, wide: int) -> None:
    """Far above the tone nothing is louder at the joint than 60 dB below it, where a plain cut is at 30 to 50."""
    wave = 0.5 * np.sin(2 * np.pi * tone * np.arange(RATE * 4) / RATE + 0.7)
    path, reading = _file(tmp_path / "a.mkv", wave, wave)
    cut = Treatment(steps=(_cut((1, 1.52), (2.2, 3)),))
    plain = np.concatenate([wave[:RATE], wave[round(1.52 * RATE) : round(2.2 * RATE)], wave[3 * RATE :]])
    make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, cut, QUICK), SilentReporter())
    with av.open(str(tmp_path / "c.mp4")) as container:
        copied = np.concatenate([block.to_ndarray()[0] for block in container.decode(audio=0)])
    exact = _rendered(path, reading, cut)[:, 0]
    for at in (1.0, 1.68):
        spans = [sound[round((at - 0.04) * RATE) :][: round(0.08 * RATE)] for sound in (plain, exact)]
        spectra = [np.abs(np.fft.rfft(span * np.hanning(len(span)))) for span in spans]
        high = [20 * np.log10(one[round(wide * 0.08) :].max() / one.max()) for one in spectra]
        assert high[1] < -60 < high[0], high
        assert np.abs(copied[round((at - 0.0008) * RATE) : round((at + 0.0008) * RATE)]).max() < 0.1
        assert np.abs(copied[round((at - 0.03) * RATE) : round((at - 0.01) * RATE)]).max() > 0.4


def test_what_is_cut_out_whole_is_named(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    late = reading.model_copy(update={"sound": [s.model_copy(update={"starts_at": 1.0, "ends_at": 2.0}) for s in reading.sound]})
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", late, Treatment(steps=(_cut((0.5, 3)),)), QUICK), SilentReporter())
    assert made.not_carried == ["sound 1 (pcm_s16le): all of it lies in what is cut out"]


def _with_chapters(folder: Path) -> tuple[Path, Reading]:
    """6 s with a chapter each second and a subtitle of half a second in each."""
    path = folder / "k.mkv"
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 96, 64, "yuv420p"
        words: Any = sink.add_stream("subrip")
        words.codec_context.subtitle_header = b"[Script Info]\nScriptType: v4.00+\n\n[Events]\nFormat: Layer, Start, End, Style, Text\n"
        sink.set_chapters(
            [
                {"id": n, "start": 1000 * n, "end": 1000 * (n + 1), "time_base": Fraction(1, 1000), "metadata": {"title": f"part {n}"}}
                for n in range(6)
            ]
        )
        for picture in sliding_frames(150, width=96, height=64):
            frame = av.VideoFrame(96, 64, "yuv420p")
            for number, plane in enumerate(frame.planes):
                np.frombuffer(plane, np.uint8).reshape(plane.height, -1)[:, : plane.width] = picture if number == 0 else 128
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        for n in range(6):
            packet = av.Packet(f"line {n}".encode())
            packet.stream, packet.time_base = words, Fraction(1, 1000)
            packet.pts = packet.dts = 1000 * n + 200
            packet.duration = 500
            sink.mux(packet)
    return path, read(ReadRequest(path), SilentReporter())


def test_subtitles_and_chapters_move_up_and_those_that_are_cut_out_go(tmp_path: Path) -> None:
    path, reading = _with_chapters(tmp_path)
    cut = Treatment(steps=(_cut((1, 3), (4.4, 5)),))
    recipe = QUICK.model_copy(update={"container": "mkv", "sound_codec": "opus"})
    made = make_copy(CopyRequest(path, tmp_path / "c.mkv", reading, cut, recipe), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mkv")) as container:
        chapters = [(one["metadata"]["title"], float(one["start"] * one["time_base"])) for one in container.chapters()]
        lines = [(bytes(p).decode(), p.pts, p.duration) for p in container.demux(subtitles=0) if p.pts is not None and p.size]
    assert chapters == [("part 0", 0.0), ("part 3", 1.0), ("part 4", 2.0), ("part 5", pytest.approx(2.4))]
    assert lines == [("line 0", 200, 500), ("line 3", 1200, 500), ("line 4", 2200, 200), ("line 5", 2600, 500)]


def test_fades_come_out_of_black_and_go_there(tmp_path: Path) -> None:
    """At the ends of what is kept, also where a stretch is treated alone; sound with it."""
    path, reading = _file(tmp_path / "a.mkv", np.full(4 * RATE, 0.5), np.full(4 * RATE, -0.5))
    steps = (Trim(start=0.4, end=3.4), _cut((1, 1.4)), Fade(fade_in=0.4, fade_out=0.8))
    plain, faded = Treatment(steps=steps[:2]), Treatment(steps=steps)
    before = [luma(frame).astype(float) - 16 for frame in TreatedFrames(path, reading, plain)]
    after = [luma(frame).astype(float) - 16 for frame in TreatedFrames(path, reading, faded)]
    assert len(before) == len(after) == 65
    parts = [float((two * one).sum() / (one * one).sum()) for one, two in zip(before, after, strict=True)]
    assert parts[0] < 0.06
    assert parts[5] == pytest.approx(0.5, abs=0.06)
    assert parts[12:44] == pytest.approx([1.0] * 32, abs=0.01)
    assert parts[55] == pytest.approx(0.5, abs=0.06)
    assert parts[-1] < 0.06
    some = [luma(frame).astype(float) - 16 for frame in TreatedFrames(path, reading, faded, range(50, 60))]
    assert all(np.array_equal(one, two) for one, two in zip(some, after[50:60], strict=True))
    sound = _rendered(path, reading, faded)
    assert len(sound) == round(2.6 * RATE)
    assert sound[[0, RATE // 5, RATE, len(sound) - round(0.4 * RATE), -1], 0] == pytest.approx([0, 0.25, 0.5, 0.25, 0], abs=0.01)
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, faded, QUICK), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mp4")) as container:
        heard = np.concatenate([block.to_ndarray()[0] for block in container.decode(audio=0)])
    assert heard[[RATE // 5, RATE, round(2.2 * RATE)]] == pytest.approx([0.25, 0.5, 0.25], abs=0.03)


def test_what_is_predicted_is_of_what_is_kept(tmp_path: Path) -> None:
    """A part full of detail between two calm ones, each long enough to be sampled: with the one cut out it is a small copy, without the
    others a large one."""
    calm = [picture // 8 + 100 for picture in programme_frames(300, width=176, height=144, seed=8)]
    path = write_clip(tmp_path / "a.mkv", [*calm, *programme_frames(300, width=176, height=144), *calm], rate=25)
    reading = read(ReadRequest(path), SilentReporter())
    told = []
    for cut in (_cut((12, 24)), _cut((1, 11.9), (24.1, 35)), Trim(end=12)):
        treatment = Treatment(steps=(cut,))
        told.append(predict(PredictRequest(path, reading, treatment, QUICK), SilentReporter()).size_bytes)
        made = make_copy(CopyRequest(path, tmp_path / f"{len(told)}.mp4", reading, treatment, QUICK), SilentReporter())
        assert made.verified, made.checks
        assert made.size_bytes == pytest.approx(told[-1].expected, rel=0.2)
    assert told[1].expected > 1.5 * told[0].expected > 2 * told[2].expected


def test_a_take_is_split_into_copies_that_follow_each_other(tmp_path: Path) -> None:
    """Together they are the whole, frame for frame; what lies outside of in and out makes no copy."""
    frames = interlace(sliding_frames(120, width=96, height=64), FieldOrder.TFF)
    path = write_clip(tmp_path / "a.mkv", frames, rate=25, codec="ffv1", options={})
    reading = read(ReadRequest(path), SilentReporter())
    treatment = fields_treatment(reading).having(Trim(start=0.2, end=2.2)).having(Split(at=(1.5, 0.7, 0.1, 9.0)))
    parts = treatment.parts
    assert [(part.get(Trim).start, part.get(Trim).end) for part in parts] == [(0.2, 0.7), (0.7, 1.5), (1.5, 2.2)]  # type: ignore[union-attr]
    whole = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment)]
    apart = [luma(frame).copy() for part in parts for frame in TreatedFrames(path, reading, part)]
    assert len(whole) == len(apart)
    assert all(np.array_equal(one, two) for one, two in zip(whole, apart, strict=True))
    assert Treatment().parts == (Treatment(),)
    for wrong in ((), (0,), (-1,), (float("nan"),)):
        with pytest.raises(ValidationError):
            Split(at=wrong)
