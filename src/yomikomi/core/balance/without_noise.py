"""What a copy takes with the take's noise taken out before it: tried beside the recipe that a person would choose with the noise in it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from yomikomi.core.balance.curves import PlanePoint, pictures_of, plane_points
from yomikomi.core.balance.models import Estimate, TrialSet, WithoutNoise
from yomikomi.core.balance.sizing import around, half_width, student
from yomikomi.core.balance.trial import Pair
from yomikomi.core.balance.viewing import STEPS
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.sentences import findings
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.advice import advise
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Denoise

# Relative half-width of the share that no interval goes below, and what it is where one segment tells nothing of it.
_FLOOR, _OF_ONE = 0.05, 0.25
# Less saved than this is not worth the texture that goes with the noise; more may be worth a step of what is seen, which the card tells:
# judgement.
_WORTH, A_STEP_DB = 0.1, 4.0


def noise_step(reading: Reading, treatment: Treatment) -> Denoise | None:
    """What takes the noise out as strongly as the reading found it; None where it tells none worth it, or the treatment does so already."""
    if treatment.same_kind(Denoise()) is not None:
        return None
    steps = (way.step for one in advise(reading, findings(reading)) if one.key == "noise" for way in one.ways)
    return next((step for step in steps if isinstance(step, Denoise)), None)


def recipe_to_try(trials: TrialSet) -> Recipe | None:
    """The smallest that looks like the take on television, or the best there is; None where nothing was judged."""
    points = [point for curve in plane_points(trials).values() for point in curve if point.prediction.recipe.lines is None]
    reached = [point for point in points if point.fidelity >= STEPS[0].least]
    if reached:
        return min(reached, key=lambda point: point.size).prediction.recipe
    return max(points, key=lambda point: point.fidelity).prediction.recipe if points else None


def point_of(recipe: Recipe, trials: TrialSet) -> PlanePoint | None:
    """Where a recipe lies among what was tried; None where it lies outside."""
    return next((one for one in plane_points(trials).get(recipe.curve, ()) if one.pictures == pictures_of(recipe)), None)


@dataclass(frozen=True)
class Quiet:
    """Trials of a recipe on the same segments in the same order. ``noise``: that was taken out, rms in 8-bit code values; ``noisy``: the
    noise left in; ``key_distance``: most pictures from one key picture to the next in the copy."""

    noise: float
    recipe: Recipe
    quiet: Sequence[Pair]
    noisy: Sequence[Pair]
    key_distance: int

    @property
    def share(self) -> Estimate:
        """Bytes of the pictures without noise over those with it, each segment standing for what it was drawn for; nine in ten from the
        scatter of the segments' own shares."""
        weights = np.array([1 / segment.inclusion for segment, _ in self.quiet])
        less, more = (
            np.array([max(1.0, trial.bytes_with_keys(self.key_distance)) for _, trial in pairs]) for pairs in (self.quiet, self.noisy)
        )
        expected = float((weights * less).sum() / (weights * more).sum())
        if len(self.quiet) == 1:
            return around(expected, _OF_ONE)
        scatter = float(np.std(np.log(less / more), ddof=1)) / math.sqrt(len(self.quiet))
        return around(expected, min(_OF_ONE, math.hypot(_FLOOR, student(len(self.quiet) - 1) * scatter)))

    def size_bytes(self, noisy: Estimate, other: Estimate) -> Estimate:
        """Of the whole copy. ``noisy``: with the noise; ``other``: what of it is no pictures."""
        if self.quiet[0][0].role == "whole":
            return around(self.quiet[0][1].counted_bytes, _FLOOR).plus(other)
        pictures, share = noisy.less(other), self.share
        half = math.hypot(half_width(pictures), (share.high - share.low) / 2 / share.expected)
        return around(pictures.expected * share.expected, min(0.9, half)).plus(other)


def worth_telling(tried: WithoutNoise, trials: TrialSet, plane: Sequence[PlanePoint]) -> PlanePoint | None:
    """The copy without noise as a point, where it is much smaller than what keeps the noise. ``trials``: of which it is one; ``plane``: all
    that is offered, which may have been made to fit outlets, or corrected by earlier copies."""
    beside = next((one for one in plane if one.pictures == pictures_of(tried.point.recipe)), None)
    if beside is None or tried.saved < _WORTH:
        return None
    told, alone = beside.prediction, tried.point.size_bytes
    left = told.size_bytes.expected - (tried.with_noise_bytes - alone.expected)
    if left <= 0:
        return None
    viewing = told.fidelity.viewing if told.fidelity is not None else "television"
    offered = {"recipe": told.recipe, "size_bytes": around(round(left), half_width(alone)), "noise_taken_out": tried.noise}
    return PlanePoint(tried.point.prediction(trials, viewing=viewing).model_copy(update=offered))
