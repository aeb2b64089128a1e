"""The simulated camera or console: right size and rate, whole pictures or fields, the same every time; and how it is recorded."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from itertools import islice
from pathlib import Path

import numpy as np
import pytest

from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.video.media import probe
from yomikomi.core.video.source import SourceEnded
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter
from yomikomi.sim.feed import FeedSpec


def _spec(*, interlaced: bool, seconds: float | None = None) -> FeedSpec:
    return FeedSpec(320, 180, Fraction(30000, 1001), interlaced, seed=4, mixture="lively", seconds=seconds, real_time=False)


def test_fields_are_of_two_moments_and_whole_pictures_of_one() -> None:
    """The fields of a frame are the lines of two pictures of a feed of twice the rate."""
    fields, whole = _spec(interlaced=True).open(), replace(_spec(interlaced=False), rate=Fraction(60000, 1001)).open()
    frames = [fields.read()[0] for _ in range(4)]
    assert [one.number for one in frames] == [0, 1, 2, 3]
    assert frames[0].y.shape == (180, 320)
    assert (fields.format.field_order, whole.format.field_order) == (FieldOrder.TFF, None)
    for frame in frames:
        first, second = (whole.picture(2 * frame.number + step).y.astype(float) for step in (0, 1))
        assert np.abs(frame.y[0::2] - first[0::2]).mean() < 0.5
        assert np.abs(frame.y[1::2] - second[1::2]).mean() < 0.5
        assert np.abs(frame.y[1::2] - first[1::2]).mean() > 2 * np.abs(frame.y[1::2] - second[1::2]).mean()
    again = _spec(interlaced=True).open()
    assert all(np.array_equal(again.read()[0].y, one.y) for one in frames)


def test_sound_runs_on_without_gaps_and_the_feed_ends() -> None:
    feed = _spec(interlaced=False, seconds=0.5).open()
    at = 0
    frames = 0
    with pytest.raises(SourceEnded):
        for picture, sound in islice(iter(feed.read, None), 100):
            assert sound.start == at
            at += len(sound.samples)
            frames = picture.number + 1
    assert frames == 15
    assert at == int(48_000 * 15 * Fraction(1001, 30000))


@pytest.mark.parametrize(("interlaced", "flagged"), [(False, "progressive"), (True, "tff")])
def test_a_recording_says_how_its_pictures_are_made(tmp_path: Path, interlaced: bool, flagged: str) -> None:
    path = tmp_path / "feed.mkv"
    result = capture(CaptureRequest(_spec(interlaced=interlaced, seconds=0.5), path), SilentReporter())
    info = probe(path)
    assert (result.frames, info.geometry.width, info.geometry.height) == (15, 320, 180)
    assert info.flagged_field_order == (flagged if interlaced else info.flagged_field_order)
    assert interlaced or info.flagged_field_order not in {"tff", "bff"}
