"""A trial of a part, held against the same part within an encode of the whole."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from tests.conftest import Shared
from tests.making import programme_frames, write_clip
from yomikomi.core.balance.picture_sizes import PictureSizes, picture_sizes
from yomikomi.core.balance.segments import Segment
from yomikomi.core.balance.spans import TreatedSpan
from yomikomi.core.balance.trial import encode_span, judge_for, run_trial
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter

RUN_UP = 15  # pictures, three fifths of a second
RECIPES = [
    recipe_for(codec, level, speed=speed).model_copy(update={"key_seconds": 2.0})
    for codec, level, speed in (("h264", 22, "faster"), ("hevc", 24, "veryfast"), ("hevc", 24, "superfast"), ("av1", 32, "9"))
]


@pytest.fixture(scope="module")
def noisy(shared: Shared) -> Path:
    """Eight seconds of a lively programme with the noise of a camera: the first of an encode is far from a key picture within it."""

    def made(part: Path) -> None:
        rng = np.random.default_rng(1)
        drawn = programme_frames(200, width=320, height=240)
        write_clip(part, [np.clip(one + rng.normal(0, 3, one.shape), 0, 255).astype(np.uint8) for one in drawn], codec="ffv1")

    return shared.file("noisy-eight-seconds.mkv", made)


def _span(take: Path, reading: Reading, first: int, frames: int) -> TreatedSpan:
    segment = Segment(first, frames, 1000, certain=True, inclusion=1.0, role="hardest")
    return TreatedSpan(take, reading, Treatment(), segment, "yuv420p", SilentReporter())


@pytest.mark.parametrize("recipe", RECIPES, ids=lambda recipe: f"{recipe.codec}-{recipe.speed}")
def test_a_trial_takes_what_its_part_takes_within_the_copy(recipe: Recipe, noisy: Path, shared: Shared) -> None:
    """Its key picture and the pictures behind it, where the copy has a key picture too."""
    reading = shared.reading(noisy)
    packets, *_ = encode_span(_span(noisy, reading, 0, 200), recipe, SilentReporter())
    whole = picture_sizes(packets, codec=recipe.codec)
    step = recipe.row.key_step(recipe.speed)
    keys, fresh, between, real = [], [], [], []
    for place in (50, 100):
        assert whole.keys[place] > 0
        span = _span(noisy, reading, place + RUN_UP - RUN_UP // step * step, 30)
        trial = run_trial(span, recipe, judge_for(span), SilentReporter())
        assert len(trial.key_sizes) == 1
        keys.append(trial.key_sizes[0])
        fresh.append(trial.fresh_key)
        inside = slice(span.segment.first, span.segment.first + span.segment.frames)
        between.append(trial.counted_bytes)
        real.append((whole.between + whole.keys)[inside].sum())
    if not recipe.row.settles:
        assert np.array(keys) == pytest.approx(whole.keys[[50, 100]], rel=0.06)
        assert np.mean(fresh) != pytest.approx(np.mean(keys), rel=0.08)  # what the trial began with is none
    assert np.array(between) == pytest.approx(np.array(real), rel=0.06)
    for seconds in (5.0, 10.0):  # the further apart key pictures are, the longer encoders wait for the next
        usual = recipe.model_copy(update={"key_seconds": seconds})
        span = _span(noisy, reading, 60, 30)
        assert run_trial(span, usual, judge_for(span), SilentReporter()).key_sizes[0] > 0.5 * np.mean(keys)


def test_a_cut_right_behind_the_beginning_keeps_its_key_picture(noisy: Path, shared: Shared) -> None:
    """An encoder makes none so soon after another, so none is asked for."""
    recipe, reading = RECIPES[0].model_copy(update={"key_seconds": 4.0}), shared.reading(noisy)
    packets, *_ = encode_span(_span(noisy, reading, 0, 200), recipe, SilentReporter())
    whole = picture_sizes(packets, codec="h264")
    cut = next(place for place in np.flatnonzero(whole.keys).tolist() if place % 100)
    span = _span(noisy, reading, cut - 4, 40)
    assert span.cuts
    trial = run_trial(span, recipe, judge_for(span), SilentReporter())
    assert trial.key_sizes == pytest.approx([whole.keys[cut]], rel=0.06)


def test_pictures_that_better_a_key_picture_are_counted_with_it() -> None:
    """Nothing is lost by it, and what is left between is as it goes on."""
    between, keys = np.full(60, 10.0), np.zeros(60)
    keys[12], between[12], between[13:29] = 500.0, 0.0, 25.0
    settled = PictureSizes(between, keys, np.zeros(60)).settled(range(12, 60), pictures=16)
    assert settled.keys[12] == 500 + 16 * 15
    assert set(settled.between[13:]) == {10.0}
    assert (settled.between + settled.keys).sum() == (between + keys).sum()
    short = PictureSizes(between, keys, np.zeros(60))
    assert short.settled(range(12, 40), pictures=16) is short
    assert short.settled(range(20, 60), pictures=16) is short
