"""In and out: pictures to the frame, sound to the sample, and everything that is counted goes by what is kept."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from tests.making import Luma, interlace, programme_frames, pulled_down, sliding_frames, write_clip
from tests.treatment.test_sound import RATE, SECONDS, _file, _noise, _rendered
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import advise, fields_treatment
from yomikomi.core.treatment.audio_steps import Move
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Deinterlace, Trim
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import luma
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)
QUICK = recipe_for("h264", 26, speed="ultrafast")


@given(st.floats(0, 500), st.floats(0, 500), st.sampled_from([VIDEO, Fraction(25), Fraction(24000, 1001)]), st.integers(1, 9000))
def test_a_trim_keeps_frames_that_are_there(start: float, length: float, rate: Fraction, frames: int) -> None:
    kept = Trim(start=start, end=start + length if length > 0.001 else 0).ticks(rate, frames)
    assert len(kept) >= 1
    assert kept.start >= 0
    assert kept.stop <= frames
    if start + length < frames / rate - 1 and length > 1:
        assert abs(len(kept) - length * rate) <= 1
        assert abs(kept.start - start * rate) <= Fraction(1, 2) + Fraction(1, 1000)


def test_what_is_no_trim_is_refused() -> None:
    for wrong in ({"start": 5, "end": 3}, {"start": -1}, {"start": float("nan")}, {"end": float("inf")}):
        with pytest.raises(ValidationError):
            Trim.model_validate(wrong)


@pytest.mark.parametrize("kind", ["fields", "film"])
def test_trimmed_pictures_are_the_same_part_of_the_whole(tmp_path: Path, kind: str) -> None:
    frames: list[Luma] = interlace(sliding_frames(160, width=176, height=144), FieldOrder.TFF)
    if kind == "film":
        frames = pulled_down(programme_frames(70, width=352, height=288, seed=4), (2, 3), FieldOrder.TFF)
    path = write_clip(tmp_path / "a.mkv", frames, rate=VIDEO, codec="rawvideo")
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    treatment = fields_treatment(reading).having(Crop(top=4))
    assert treatment.deinterlace is (Deinterlace.DOUBLE if kind == "fields" else Deinterlace.LEAVE)
    whole = [luma(frame).copy() for frame in TreatedFrames(path, reading, treatment)]
    rate = Timing.of(reading, treatment).rate
    trimmed = treatment.having(Trim(start=0.7, end=1.9))
    first, end = round(Fraction(7, 10) * rate), round(Fraction(19, 10) * rate)
    out = [luma(frame).copy() for frame in TreatedFrames(path, reading, trimmed)]
    assert len(out) == Timing.of(reading, trimmed).frames == end - first
    assert all(np.array_equal(one, two) for one, two in zip(out, whole[first:end], strict=True))
    part = [luma(frame).copy() for frame in TreatedFrames(path, reading, trimmed, range(5, 11))]
    assert all(np.array_equal(one, two) for one, two in zip(part, whole[first + 5 : first + 11], strict=True))
    assert trimmed.digest != treatment.digest, "other trials"


def test_sound_goes_with_the_pictures_to_the_sample(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    whole = _rendered(path, reading, Treatment())
    part = _rendered(path, reading, Treatment(steps=(Trim(start=1, end=3),)))
    assert np.array_equal(part, whole[RATE : 3 * RATE])
    treatment = Treatment(steps=(Trim(start=0.52, end=2.2),))
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, treatment, QUICK), SilentReporter())
    assert made.verified, made.checks
    assert made.frames == 42
    with av.open(str(tmp_path / "c.mp4")) as container:
        sound = np.concatenate([block.to_ndarray()[0] for block in container.decode(audio=0)])
    assert len(sound) / RATE == pytest.approx(1.68, abs=0.03)
    wanted = whole[round(0.52 * RATE) : round(2.2 * RATE), 0]
    spectrum = np.fft.rfft(sound, 2**18) * np.conj(np.fft.rfft(wanted, 2**18))
    lag = int(np.argmax(np.fft.irfft(spectrum)))
    lag = lag if lag < 2**17 else lag - 2**18
    assert abs(lag) <= 2, "in step to two samples"
    for early in (Treatment(steps=(Trim(end=1),)), Treatment(steps=(Trim(start=SECONDS - 0.5),)), Treatment(steps=(Trim(start=900),))):
        made = make_copy(CopyRequest(path, tmp_path / f"{early.digest}.mkv", reading, early, QUICK.model_copy(
            update={"container": "mkv", "sound_codec": "opus"}
        )), SilentReporter())
        assert made.verified, made.checks


def test_a_variable_rate_is_treated_whole_and_in_parts(tmp_path: Path) -> None:
    """Stretches of it were other frames than the same part of the whole, and the end was lost."""
    stamps = np.cumsum(np.random.default_rng(2).integers(1, 4, 60)).tolist()
    path = write_clip(tmp_path / "v.mkv", sliding_frames(60, width=96, height=64), codec="rawvideo", stamps=stamps)
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    for treatment in (Treatment(), Treatment(steps=(Trim(start=0.8, end=2.0),)), Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF)):
        out = TreatedFrames(path, reading, treatment, most_filled_s=None)
        whole = [luma(frame).copy() for frame in out]
        assert abs(len(whole) - out.timing.frames) <= 2
        third = len(whole) // 3
        part = [luma(frame) for frame in TreatedFrames(path, reading, treatment, range(third, 2 * third), most_filled_s=None)]
        assert all(np.array_equal(one, two) for one, two in zip(part, whole[third : 2 * third], strict=True))


def test_sound_that_lies_outside_is_named_and_not_waited_for(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    gone = Treatment(sound=(Move(later_ms=-5000),))
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, gone, QUICK), SilentReporter())
    assert made.verified, made.checks
    assert made.not_carried == ["sound 1 (pcm_s16le): all of it lies before the first picture"]


def test_trials_size_what_is_kept(tmp_path: Path) -> None:
    """Half of a take is still, half moves: the prediction is of the half that is kept."""
    still = [sliding_frames(1, width=176, height=144)[0]] * 150
    path = write_clip(tmp_path / "a.mkv", [*still, *programme_frames(150, width=176, height=144)], rate=25)
    reading = read(ReadRequest(path), SilentReporter())
    told = []
    for trim in (Trim(end=6), Trim(start=6)):
        treatment = Treatment(steps=(trim,))
        told.append(predict(PredictRequest(path, reading, treatment, QUICK), SilentReporter()))
        made = make_copy(CopyRequest(path, tmp_path / f"{trim.end}.mp4", reading, treatment, QUICK), SilentReporter())
        assert made.verified, made.checks
        assert made.frames == 150
        assert made.size_bytes == pytest.approx(told[-1].size_bytes.expected, rel=0.1)
    assert told[1].size_bytes.expected > 2 * told[0].size_bytes.expected


def _with_black(folder: Path) -> Reading:
    black = [np.full((144, 176), 16, np.uint8)] * 60
    return read(
        ReadRequest(write_clip(folder / "b.mkv", [*black, *programme_frames(120, width=176, height=144), *black, *black], rate=25)),
        SilentReporter(),
    )


def test_black_ends_are_offered_and_never_cut_without_a_word(tmp_path: Path) -> None:
    reading = _with_black(tmp_path)
    found = next(one for one in advise(reading, findings(reading)) if one.key == "trim")
    assert isinstance(found.step, Trim)
    assert (found.step.start, found.step.end) == pytest.approx((2.4, 7.2), abs=0.1)
    assert not found.usual
    assert found.ways[1].step is None
