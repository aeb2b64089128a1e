"""Drift taken out to the sample, surround mixed by its standard, wide-range pictures to a copy that every player shows."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from numpy.typing import NDArray

from tests.making import sliding_frames
from tests.treatment.test_sound import RATE, SECONDS, _file, _noise, _rendered
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.copying.rendering import RenderRequest, render
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading, Sync
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.recipes.recipe import recipe_for, usual_recipes
from yomikomi.core.treatment.advice import advise
from yomikomi.core.treatment.audio_steps import Downmix, Drift, Move
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import HighRange, Trim
from yomikomi.core.treatment.stretching import Stretcher
from yomikomi.core.video.colour import BT2020_PQ
from yomikomi.core.work import SilentReporter

QUICK = recipe_for("h264", 26, speed="ultrafast")
Wave = NDArray[np.float64]


def _chirps(stretch: float) -> Wave:
    """A burst every half second, as a clock that runs by ``stretch`` hears it."""
    at = np.arange(RATE * SECONDS) / RATE / stretch
    inside = at % 0.5
    return 0.4 * np.sin(2 * np.pi * (500 * inside + 2000 * inside**2)) * (inside < 0.1)


@pytest.mark.parametrize("ms_per_hour", [-2400.0, 900.0, 36_000.0])
def test_a_drift_is_gone_to_a_fraction_of_a_millisecond(tmp_path: Path, ms_per_hour: float) -> None:
    """The sound of a clock that is so much off, against the true one, along the whole length, in the rendered file and in the copy."""
    true, wrong = _chirps(1.0), _chirps(1 + ms_per_hour / 3_600_000)
    path, reading = _file(tmp_path / "a.mkv", wrong, wrong)
    treatment = Treatment(sound=(Drift(ms_per_hour=ms_per_hour),))
    out = _rendered(path, reading, treatment)[:, 0]
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, treatment, QUICK), SilentReporter())
    assert made.verified, made.checks
    with av.open(str(tmp_path / "c.mp4")) as container:
        copied = np.concatenate([block.to_ndarray()[0] for block in container.decode(audio=0)])
    for wave, most in ((out, 0.05), (copied, 0.15)):
        for begin in np.arange(0, SECONDS - 0.3, 0.5):
            some = slice(int(begin * RATE), int((begin + 0.12) * RATE))
            assert abs(_lag(wave[some], true[some])) / RATE * 1000 < most, (begin, ms_per_hour)
    if abs(ms_per_hour) > 10_000:
        some = slice(int(3.5 * RATE), int(3.62 * RATE))
        assert abs(_lag(wrong[some], true[some])) > 1000, "it was off"


def _lag(one: Wave, two: Wave) -> float:
    """Samples, a hundredth of one counts."""
    fine, length = 16, 2 * max(len(one), len(two))
    spectrum = np.fft.rfft(one, length) * np.conj(np.fft.rfft(two, length))
    padded = np.zeros(fine * length // 2 + 1, complex)
    padded[: len(spectrum)] = spectrum
    lag = int(np.argmax(np.fft.irfft(padded, fine * length)))
    return (lag if lag < fine * length / 2 else lag - fine * length) / fine


def test_drift_moves_about_the_first_picture_and_goes_with_cuts(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    steps = (Drift(ms_per_hour=5000), Move(later_ms=40))
    whole = _rendered(path, reading, Treatment(sound=steps))
    part = _rendered(path, reading, Treatment(steps=(Trim(start=1, end=3),), sound=steps))
    assert np.array_equal(part, whole[RATE : 3 * RATE])
    assert not whole[: round(0.039 * RATE)].any()


def test_stretched_sound_has_the_length_that_it_should_and_gaps_stay() -> None:
    stretcher = Stretcher(1 - 0.01)
    block = av.AudioFrame.from_ndarray(np.ones((1, 4800), np.float32), format="flt", layout="mono")
    block.sample_rate = 48_000
    found = [one for begin in (Fraction(0), Fraction(1, 10), Fraction(5)) for one in stretcher.push(block, begin)]
    found += list(stretcher.finish())
    ends = [(float(begin), float(begin) + made.samples / 48_000) for made, begin in found]
    assert ends[0][0] == 0
    assert max(end for _, end in ends if end < 1) == pytest.approx(0.198, abs=1e-4)
    assert min(begin for begin, _ in ends if begin > 1) == pytest.approx(4.95, abs=1e-4)
    assert ends[-1][1] == pytest.approx(5.049, abs=1e-4)


def test_a_drift_is_offered_where_the_reading_measured_one(tmp_path: Path) -> None:
    path, reading = _file(tmp_path / "a.mkv", _noise(1), _noise(2))
    for drift, offered in ((900.0, True), (5.0, False)):
        sync = Sync(offset_ms=None, drift_ms_per_hour=drift)
        told = advise(reading.model_copy(update={"sync": sync}), findings(reading))
        assert any(one.key == "drift" for one in told) is offered
    assert path.exists()


def _surround(path: Path) -> tuple[Path, Reading]:
    """A tone of its own in each of six channels."""
    tones = np.stack([0.1 * np.sin(2 * np.pi * 200 * (n + 1) * np.arange(2 * RATE) / RATE) for n in range(6)], axis=1)
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("ffv1", rate=25)
        video.width, video.height, video.pix_fmt = 96, 64, "yuv420p"
        sound = sink.add_stream("pcm_s16le", rate=RATE, layout="5.1")
        for picture in sliding_frames(50, width=96, height=64):
            frame = av.VideoFrame(96, 64, "yuv420p")
            for number, plane in enumerate(frame.planes):
                np.frombuffer(plane, np.uint8).reshape(plane.height, -1)[:, : plane.width] = picture if number == 0 else 128
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
        block = av.AudioFrame.from_ndarray(np.round(tones * 32767).astype(np.int16).reshape(1, -1), format="s16", layout="5.1")
        block.sample_rate = RATE
        sink.mux(sound.encode(block))
        sink.mux(sound.encode(None))
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


@pytest.mark.parametrize("even", [True, False])
def test_surround_is_mixed_as_the_standard_has_it(tmp_path: Path, even: bool) -> None:
    """ITU-R BS.775-3 annex 4 table 2 (from memory): 1, 0.7071 of the centre, 0.7071 of the surround of that side, no low frequencies."""
    path, reading = _surround(tmp_path / "s.mkv")
    treatment = Treatment(sound=(Downmix(even=even),))
    target = tmp_path / "out.mkv"
    render(RenderRequest(path, target, reading, treatment), SilentReporter())
    with av.open(str(target)) as container:
        assert container.streams.audio[0].codec_context.channels == 2
        mixed = np.concatenate([block.to_ndarray().reshape(-1, 2) for block in container.decode(audio=0)]) / 32768
    scale = 1 / (1 + 2 * 0.7071) if even else 1.0
    for side, wanted in ((0, (1, 0, 0.7071, 0, 0.7071, 0)), (1, (0, 1, 0.7071, 0, 0, 0.7071))):
        spectrum = np.abs(np.fft.rfft(mixed[:RATE, side])) / (RATE / 2)
        found = [spectrum[200 * (n + 1)] / 0.1 for n in range(6)]
        assert found == pytest.approx([scale * one for one in wanted], abs=0.005)
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, treatment, QUICK), SilentReporter())
    assert made.verified, made.checks
    assert made.not_carried == []
    with av.open(str(tmp_path / "c.mp4")) as container:
        assert container.streams.audio[0].codec_context.channels == 2
    kept = make_copy(CopyRequest(path, tmp_path / "k.mp4", reading, Treatment(), QUICK), SilentReporter())
    assert kept.verified, kept.checks


def wide_range_clip(path: Path) -> tuple[Path, Reading]:
    """A 3:2 picture in PQ, 10 bits, as a camera writes it."""
    with av.open(str(path), "w") as sink:
        video = sink.add_stream("libx265", rate=25, options={"preset": "ultrafast", "crf": "12", "x265-params": "log-level=none"})
        video.width, video.height, video.pix_fmt = 324, 216, "yuv420p10le"
        BT2020_PQ.put_on(video.codec_context)
        for picture in sliding_frames(50, width=324, height=216):
            frame = av.VideoFrame(324, 216, "yuv420p10le")
            for number, plane in enumerate(frame.planes):
                view = np.frombuffer(plane, np.uint16).reshape(plane.height, -1)
                view[:, : plane.width] = picture.astype(np.uint16) * 2 + 64 if number == 0 else 512
            sink.mux(video.encode(frame))
        sink.mux(video.encode(None))
    return path, read(ReadRequest(path, complexity=False), SilentReporter())


def test_a_wide_range_camera_is_refused_as_it_is_and_offered_another_range(tmp_path: Path) -> None:
    """H.264 refuses PQ; the reading offers the step that lets it (tests/ui/test_treatment_journeys.py takes it)."""
    path, reading = wide_range_clip(tmp_path / "w.mp4")
    assert (reading.colour.transfer, reading.bit_depth) == (16, 10)
    with pytest.raises(WrongUseError, match="BT.709 in Treatment"):
        make_copy(CopyRequest(path, tmp_path / "no.mp4", reading, Treatment(), QUICK), SilentReporter())
    offered = next(one for one in advise(reading, findings(reading)) if one.key == "high range")
    assert isinstance(offered.step, HighRange)
    assert not any(recipe.codec == "h264" for recipe in usual_recipes(fields=False, transfer=16, bit_depth=10))
