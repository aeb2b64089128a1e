"""Takes stored as plain samples: decoded pictures lie where the packet lies, and no encoder may end the process over it."""

from __future__ import annotations

from pathlib import Path

import av
import numpy as np
import pytest

from tests.capture.making import captured
from tests.conftest import PLAIN
from yomikomi.core.capture.weighing import WeighRequest, weigh
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import ConstantQuality, Lossless
from yomikomi.core.recipes.recipe import recipe_with
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.packets import frames_of
from yomikomi.core.work import Job, SilentReporter
from yomikomi.sim.player import TapePlayerSpec


@pytest.fixture(scope="module")
def take(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """As large as a tape's pictures: with these VC-3's encoder ended the process."""
    path = tmp_path_factory.mktemp("plain") / "take.mkv"
    captured(TapePlayerSpec(standard="525i", seed=31, mixture="lively", seconds=0.7, real_time=False), path, record_as=PLAIN)
    return path


def test_pictures_are_the_same_and_lie_where_they_should(take: Path) -> None:
    with av.open(str(take)) as one, av.open(str(take)) as two:
        plain = list(one.decode(video=0))
        given = list(frames_of(two, two.streams.video[0], take))
    assert any(plane.buffer_ptr % 16 or plane.line_size % 16 for frame in plain for plane in frame.planes), "else nothing is tried here"
    assert not any(plane.buffer_ptr % 16 or plane.line_size % 16 for frame in given for plane in frame.planes)
    for before, after in zip(plain, given, strict=True):
        assert np.array_equal(before.to_ndarray(), after.to_ndarray())
        for mark in ("pts", "time_base", "interlaced_frame", "colorspace", "color_range", "key_frame", "is_corrupt"):
            assert getattr(before, mark) == getattr(after, mark), mark


@pytest.mark.parametrize("codec", [key for key, row in CODECS.items() if not row.highest_quality_number and key != "source"])
def test_every_codec_without_levels_copies_it(take: Path, tmp_path: Path, codec: str) -> None:
    """In a process of its own."""
    reading = read(ReadRequest(take), SilentReporter())
    container = "mkv" if codec == "ffv1" else "mov"
    recipe = recipe_with(CODECS[codec], Lossless() if codec == "ffv1" else ConstantQuality(quality=0), container=container, sound="pcm")
    job = Job(make_copy, CopyRequest(take, tmp_path / f"c.{container}", reading, Treatment(), recipe), name="copy").start().wait(120)
    assert job.answer().verified, job.answer().checks


def test_every_capture_codec_is_weighed_by_it(take: Path) -> None:
    job = Job(weigh, WeighRequest(take, 0.7), name="weighing").start().wait(120)
    assert set(job.answer()) == set(CAPTURE_CODECS)
