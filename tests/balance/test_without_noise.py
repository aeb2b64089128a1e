"""The take's noise taken out, as something to consider: measured, only where it saves something, and never mistaken for another copy."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

import pytest

from tests.balance.test_curves_and_choices import tried_point, tried_set
from tests.making import noisy, programme_frames, write_clip
from yomikomi.core.balance.models import Estimate, TrialSet, WithoutNoise
from yomikomi.core.balance.offer import Offer, Wanted
from yomikomi.core.balance.segments import Segment
from yomikomi.core.balance.serving import Footage
from yomikomi.core.balance.trial import Trial
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.balance.viewing import STEPS
from yomikomi.core.balance.without_noise import Quiet, noise_step
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Denoise
from yomikomi.core.work import SilentReporter

LEVELS = tuple(recipe_for("h264", level, speed="superfast") for level in (20, 26))


@dataclass(frozen=True)
class Tape:
    path: Path
    reading: Reading

    @property
    def offer(self) -> Offer:
        return Offer(Wanted(), Footage(self.reading, Treatment()), read=True)


@pytest.fixture(scope="module")
def tape(tmp_path_factory: pytest.TempPathFactory) -> Tape:
    """Two seconds with noise as of a much played cassette."""
    path = tmp_path_factory.mktemp("noisy") / "tape.mkv"
    write_clip(path, noisy(programme_frames(50, width=320, height=240, seed=3), 5.0), rate=25, codec="ffv1")
    return Tape(path, read(ReadRequest(path), SilentReporter()))


@pytest.fixture(scope="module")
def trials(tape: Tape) -> TrialSet:
    step = noise_step(tape.reading, Treatment())
    return run_trials(TrialRequest(tape.path, tape.reading, Treatment(), LEVELS, segments=3, noise=step), SilentReporter())


def test_what_it_would_come_to_is_what_the_copy_comes_to(tape: Tape, trials: TrialSet, tmp_path: Path) -> None:
    step, told = noise_step(tape.reading, Treatment()), trials.without_noise
    assert step is not None
    assert told is not None
    assert told.noise == step.noise
    made = make_copy(
        CopyRequest(tape.path, tmp_path / "c.mp4", tape.reading, Treatment().having(step), told.point.recipe), SilentReporter()
    )
    size = told.point.size_bytes
    assert size.low <= made.size_bytes <= size.high
    assert made.size_bytes < 0.8 * told.with_noise_bytes
    assert told.point.detail is not None
    assert told.point.detail.noise_kept is not None
    assert told.point.detail.noise_kept < 0.6, "held against the take as it is, most of whose noise is gone"


def test_it_is_offered_once_and_is_no_other_copy(tape: Tape, trials: TrialSet) -> None:
    offer = replace(tape.offer, trials=trials)
    (card,) = [one for one in offer.choices if one.key == "without noise"]
    beside = next(one for curve in offer.served.plane.values() for one in curve if one.prediction.recipe == card.point.prediction.recipe)
    assert beside.makes != card.point.makes
    assert offer.same(card.point) is card.point
    assert offer.same(beside) is beside, "the same recipe with the noise in it is another copy"
    assert card.point in offer.beside
    assert offer.quieter is not None
    assert offer.quieter.having(Denoise(noise=1)).steps != offer.quieter.steps
    assert replace(offer, wanted=Wanted(limit_bytes=card.point.size / 2)).choices == [], "larger than allowed"
    done = replace(offer, footage=Footage(tape.reading, offer.quieter))
    assert done.quieter is None
    assert all(one.key != "without noise" for one in done.choices), "it is taken out already"


@pytest.mark.parametrize(
    ("saved", "decibels", "offered"), [(0.4, 47.0, True), (0.05, 47.0, False), (0.4, STEPS[1].least - 1, False), (-0.2, 47.0, False)]
)
def test_only_what_saves_enough_and_looks_as_it_has_to(tape: Tape, saved: float, decibels: float, offered: bool) -> None:
    points = [tried_point("h264", level, 4e6 * 0.8 ** (level - 20), 48 - 0.9 * (level - 20)) for level in (20, 24)]
    quiet = tried_point("h264", 24, points[1].size_bytes.expected * (1 - saved), decibels)
    told = WithoutNoise(noise=5.0, with_noise_bytes=points[1].size_bytes.expected, point=quiet)
    offer = replace(tape.offer, trials=tried_set(points).model_copy(update={"without_noise": told}))
    assert any(one.key == "without noise" for one in offer.choices) is offered


def test_a_take_without_noise_is_asked_nothing(tmp_path: Path) -> None:
    clip = write_clip(tmp_path / "clean.mkv", programme_frames(30, width=192, height=144), rate=25)
    assert noise_step(read(ReadRequest(clip), SilentReporter()), Treatment()) is None


def test_segments_stand_for_what_they_were_drawn_for() -> None:
    def pair(first: int, inclusion: float, size: float) -> tuple[Segment, Trial]:
        trial = Trial(size, 50, 0.01, ssim=0.9, mse=1.0)
        return Segment(first, 50, 1, inclusion == 1.0, inclusion, "typical"), trial

    noise = [pair(0, 1.0, 9000), pair(50, 0.1, 1000), pair(100, 0.5, 4000)]
    less = [pair(0, 1.0, 9000), pair(50, 0.1, 500), pair(100, 0.5, 2000)]
    share = Quiet(3.0, LEVELS[0], less, noise, 125).share
    assert share.expected == pytest.approx((9000 + 5000 + 4000) / (9000 + 10_000 + 8000))
    assert share.low < share.expected < share.high
    same = Quiet(3.0, LEVELS[0], noise, noise, 125)
    assert same.share.expected == 1.0
    size = same.size_bytes(Estimate(expected=1e6, low=9e5, high=1.1e6), Estimate(expected=1e5, low=1e5, high=1e5))
    assert size.expected == pytest.approx(1e6)
    assert size.high - size.low >= 2e5, "no surer than the noisy one's own size"
