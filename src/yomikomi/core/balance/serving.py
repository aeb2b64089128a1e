"""The plane as outlets see it: recipes made to fit, codecs that nothing there plays, the most bytes, and pictures that are too large."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from yomikomi.core.balance.besides import other_estimate
from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.models import Estimate, Prediction
from yomikomi.core.outlets.adapting import adapted, codecs_for, fitting_treatment, limit_of, shape_fits, shape_violations
from yomikomi.core.outlets.conforming import Violation
from yomikomi.core.outlets.fitting import Together, fits, together
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.codecs import TRIED, Effort
from yomikomi.core.recipes.plan import most_kbps, pixel_format_of
from yomikomi.core.recipes.rates import CappedQuality
from yomikomi.core.recipes.recipe import KEY_SECONDS, Recipe, usual_recipes
from yomikomi.core.recipes.shaping import treated_for
from yomikomi.core.recipes.sound import MUSIC_KBPS, SPEECH_KBPS, USUAL_KBPS
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.sounding import channels_after
from yomikomi.core.treatment.timing import length_of

Plane = Mapping[str, Sequence[PlanePoint]]


@dataclass(frozen=True)
class Served:
    """What outlets leave of a plane.

    Parameters
    ----------
    plane : recipes that fit, by codec. ``outside``: codecs that do not, each with what stands in the way.
    limit_bytes : the most of a whole copy, None: any. ``outlet``: all that were chosen, in one; None: none was, or they have nothing in
        common.
    together : of the outlets; None where none was chosen.
    """

    plane: dict[str, list[PlanePoint]] = field(default_factory=dict)
    outside: dict[str, tuple[Violation, ...]] = field(default_factory=dict)
    limit_bytes: float | None = None
    outlet: Outlet | None = None
    together: Together | None = None


def common_of(outlets: Sequence[Outlet]) -> Outlet | None:
    """What all of several take; None where there are none, and where they have nothing in common."""
    return together(outlets).outlet if outlets else None


@dataclass(frozen=True)
class Footage:
    """What is copied: the reading and the treatment of a take."""

    reading: Reading
    treatment: Treatment

    @cached_property
    def seconds(self) -> float:
        """Length of a copy."""
        return length_of(self.reading, self.treatment)

    @property
    def channels(self) -> tuple[int, ...]:
        """Of the sound streams of a copy, before a recipe mixes them."""
        taken = [sound for sound in self.reading.sound if self.treatment.takes_sound(sound.index)]
        own = [channels_after(self.treatment, sound.index, sound.channels) for sound in taken]
        return (*own, *(one.channels for one in self.treatment.joined))

    @property
    def sound_kbps(self) -> int:
        """What sound is given where nobody said: less where all of it is speech, more where one holds music."""
        holds = {sound.holds for sound in self.reading.sound if self.treatment.takes_sound(sound.index)}
        holds |= {None for _ in self.treatment.joined}
        if "music" in holds:
            return MUSIC_KBPS
        return SPEECH_KBPS if holds == {"speech"} else USUAL_KBPS

    def curve_of(self, recipe: Recipe) -> str:
        """The curve that a recipe's copies of this lie on: more lines than there are make no other pictures."""
        smaller = treated_for(recipe, self.treatment, source_format(self.reading)) != self.treatment
        return recipe.curve if smaller else recipe.model_copy(update={"lines": None}).curve

    def made_with(self, recipe: Recipe) -> PictureFormat:
        """The pictures that a recipe's encoder gets."""
        treatment = treated_for(recipe, self.treatment, source_format(self.reading))
        return chain_for(self.reading, treatment, pixel_format=pixel_format_of(recipe, self.reading)).format

    def recipes(self, effort: Effort, outlet: Outlet | None) -> tuple[Recipe, ...]:
        """Those tried at an effort: of all codecs of the plane, or of those that an outlet plays."""
        colour = _outcome(self.treatment, self.reading).colour
        codecs = codecs_for(outlet) if outlet is not None else list(TRIED.values())
        found = usual_recipes(
            fields=self.treatment.leaves_fields, effort=effort, transfer=colour.transfer, bit_depth=self.reading.bit_depth, codecs=codecs,
            lines=_outcome(self.treatment, self.reading).geometry.height,
        )  # fmt: skip
        apart = min(KEY_SECONDS, outlet.key_seconds or KEY_SECONDS) if outlet is not None else KEY_SECONDS
        return tuple(one.model_copy(update={"key_seconds": apart}) if one.row.highest_quality_number else one for one in found)

    def other_bytes(self, recipe: Recipe) -> Estimate:
        """Of sound and container."""
        return other_estimate(self.reading, self.treatment, recipe)

    def fitting(self, recipe: Recipe, outlet: Outlet) -> tuple[Recipe, tuple[Violation, ...]]:
        """A recipe made to fit as far as that goes, and what of it then does not."""
        made = adapted(recipe, outlet, channels=self.channels)
        return made, tuple(fits(made, self.made_with(made), outlet, channels=self.channels))

    def reshaped(self, outlet: Outlet) -> Treatment | None:
        """The treatment with as little more as makes pictures fit; None where they fit, or nothing helps."""
        if shape_fits(_outcome(self.treatment, self.reading), outlet):
            return None
        return fitting_treatment(self.treatment, source_format(self.reading), outlet)

    def shape_violations(self, outlet: Outlet) -> list[Violation]:
        """What of the pictures' size, rate and scan an outlet does not take with any codec."""
        return shape_violations(_outcome(self.treatment, self.reading), outlet)

    def added_by(self, other: Treatment) -> list[str]:
        """In words, what another treatment does that this one does not."""
        formats = other.formats(source_format(self.reading))
        return [step.words(given) for step, given in zip(other.steps, formats, strict=False) if step not in self.treatment.steps]


def _outcome(treatment: Treatment, reading: Reading) -> PictureFormat:
    return treatment.formats(source_format(reading))[-1]


def serve(plane: Plane, footage: Footage, outlets: Sequence[Outlet], *, container: str, sound: str) -> Served:
    """``container``, ``sound``: what a person prefers, where outlets leave the choice."""
    common = together(outlets) if outlets else None
    outlet = common.outlet if common is not None else None
    if common is not None and outlet is None:
        return Served(together=common)
    left: dict[str, list[PlanePoint]] = {}
    outside: dict[str, tuple[Violation, ...]] = {}
    for codec, curve in plane.items():
        tried = curve[0].prediction.recipe
        fitted = _in(tried, container, sound, footage.sound_kbps)
        if outlet is not None:
            fitted, wrong = footage.fitting(fitted, outlet)
            if wrong:
                outside[codec] = wrong
                continue
        # All of a curve share their sound and container.
        was, now = footage.other_bytes(tried), footage.other_bytes(fitted)
        points = [carried_over(point, fitted, was=was, now=now) for point in curve]
        needed = [_needed_kbps(point, now, footage.seconds) for point in points]
        most = _most_kbps(points[0], outlet) if outlet is not None else math.inf
        kept = [point for point, kbps in zip(points, needed, strict=True) if kbps <= most]
        if kept:
            left[codec] = kept
        else:
            outside[codec] = (Violation(limit="peak", allowed=f"{most:.0f} kb/s", found=f"{min(needed):.0f} kb/s"),)
    limit = _limit(footage, outlet, left) if outlet is not None else None
    return Served(left, outside, limit, outlet, common)


def _needed_kbps(point: PlanePoint, other: Estimate, seconds: float) -> float:
    """What the pictures of a point take: in the hardest second that was tried, or on average where a cap or a level holds the encoder back
    (what is held back on the whole take looks worse than was tried; the hardest part alone may). ``other``: bytes of sound, container."""
    told = point.prediction
    average = (told.size_bytes.expected - other.expected) / 125 / max(0.04, seconds)
    if most_kbps(told.recipe) is not None or told.worst is None:
        return average
    return max(average, told.worst.kbps)


def _most_kbps(point: PlanePoint, outlet: Outlet) -> float:
    """What an outlet, or the encoder for its sake, allows in a second."""
    held = most_kbps(point.prediction.recipe)
    known = [one for one in (held, outlet.peak_kbps) if one is not None]
    return float(min(known)) if known else math.inf


def _in(recipe: Recipe, container: str, sound: str, kbps: int) -> Recipe:
    if container not in recipe.row.containers:
        return recipe
    return recipe.model_copy(update={"container": container, "sound_codec": sound, "sound_kbps": kbps})


def carried_over(point: PlanePoint, fitted: Recipe, *, was: Estimate, now: Estimate) -> PlanePoint:
    """A point with all that was fitted but its quality. ``was``, ``now``: bytes of its sound and container before and then."""
    told, rate = point.prediction, point.prediction.recipe.rate
    if isinstance(fitted.rate, CappedQuality):
        rate = fitted.rate.model_copy(update={"quality": told.recipe.quality})
    size = told.size_bytes if was == now else told.size_bytes.less(was).plus(now)
    size = size.plus(_keys(told, fitted.key_seconds))
    return PlanePoint(told.model_copy(update={"recipe": fitted.model_copy(update={"rate": rate}), "size_bytes": size}))


def _keys(told: Prediction, key_seconds: float) -> Estimate:
    """Bytes that other distances of key pictures cost, fewer where they are longer: a cut makes some of them in any case, so half of it is
    unsure."""
    length, excess, was = told.length_seconds, told.key_excess, told.recipe.key_seconds
    if not length or excess is None or key_seconds == was:
        return Estimate(expected=0.0, low=0.0, high=0.0)
    more = max(1.0, length / key_seconds) - max(1.0, length / was)
    cost = more * excess
    return Estimate(expected=cost, low=cost - abs(cost) / 2, high=cost + abs(cost) / 2)


def _limit(footage: Footage, outlet: Outlet, plane: Plane) -> float | None:
    some = next((curve[0].prediction.recipe for curve in plane.values() if curve), None)
    other = footage.other_bytes(some).expected if some is not None else 0
    return limit_of(outlet, seconds=footage.seconds, other_bytes=other)
