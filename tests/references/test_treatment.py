"""Film recovery beside the library's own filters, on clips that a development package ships."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from tests.making import Luma, pulled_down, write_clip
from tests.references.test_reading import _real_clips
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.planes import luma
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)


def _library(path: Path) -> list[Luma]:
    """fieldmatch and decimate as the library's manual puts them together for 2:3."""
    out: list[Luma] = []
    line: FilterLine | None = None
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            line = line or FilterLine(
                [("fieldmatch", "order=tff:combmatch=none"), ("decimate", "")], template=frame, time_base=Fraction(1, 1000), rate=VIDEO
            )
            out += [luma(made).copy() for made in line.push(frame)]
    assert line is not None
    return out + [luma(made).copy() for made in line.push(None)]


def _found(frames: list[Luma], truth: list[Luma]) -> tuple[int, int]:
    """Different pictures that came back exactly, and frames that are none of them."""
    known = {picture.tobytes(): number for number, picture in enumerate(truth)}
    numbers = [known.get(frame.tobytes()) for frame in frames]
    return len({one for one in numbers if one is not None}), numbers.count(None)


def test_film_joined_at_any_phase_comes_back_as_well_as_by_the_library(tmp_path: Path) -> None:
    """Four pieces of cyclists and of an animation, joined where the round happens to be: as many pictures to the last sample as
    fieldmatch and decimate give, but for one."""
    chance, clips = np.random.default_rng(12), _real_clips()
    frames: list[Luma] = []
    truth: list[Luma] = []
    for number in range(4):
        pictures = [picture[:272, :352] for picture in clips[("cyclists", "animation")[number % 2]][30 * number : 30 * number + 30]]
        frames += pulled_down(pictures, (2, 3), FieldOrder.TFF, phase=int(chance.integers(0, 5)))
        truth += pictures
    tops, bottoms = ({frame[parity::2].tobytes() for frame in frames} for parity in (0, 1))
    whole = sum(picture[0::2].tobytes() in tops and picture[1::2].tobytes() in bottoms for picture in truth)
    path = write_clip(tmp_path / "film.mkv", frames, rate=VIDEO, codec="rawvideo")
    reading = read(ReadRequest(path, complexity=False), SilentReporter())
    ours = _found([luma(frame).copy() for frame in TreatedFrames(path, reading, fields_treatment(reading))], truth)
    theirs = _found(_library(path), truth)
    assert ours[0] >= whole - 2  # of those that both fields are left of
    assert ours[0] >= theirs[0] - 1
    assert ours[1] <= theirs[1] + 1
