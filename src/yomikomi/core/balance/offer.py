"""What Balance offers of a take: what outlets leave of the plane, what stands out of it, and how all of it is said."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from yomikomi.core.balance import sentences
from yomikomi.core.balance.by_hand import told_by_hand
from yomikomi.core.balance.choice import Choice, choices, smallest_possible
from yomikomi.core.balance.curves import PlanePoint, bytes_against, plane_points, smaller_below
from yomikomi.core.balance.learning import Lesson
from yomikomi.core.balance.leaving import WATCHED, cut_exactly
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.serving import Footage, Served, common_of, serve
from yomikomi.core.balance.viewing import STEPS, FidelityStep, Viewing
from yomikomi.core.balance.without_noise import A_STEP_DB, worth_telling
from yomikomi.core.outlets.adapting import codecs_for
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.sound import SoundKey
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Denoise


@dataclass(frozen=True)
class Wanted:
    """What a person asks of a copy. ``limit_bytes``: as typed; ``fidelity``: None: no wish. ``container`` and ``sound``: where
    outlets leave the choice."""

    outlets: Sequence[Outlet] = ()
    limit_bytes: float | None = None
    fidelity: FidelityStep | None = STEPS[0]
    viewing: Viewing = "television"
    container: str = "mp4"
    sound: SoundKey = "aac"


@dataclass(frozen=True)
class Offer:
    """Parameters
    ----------
    footage : None where the take is not read, or its treatment not chosen.
    trials : the newest, None where there are none. ``lessons``: of earlier copies, by codec.
    own : the take's own streams as a copy, None where they are none for this.
    take_bytes : size of the take's file.
    by_hand : settings that a person made, with what they come to. ``last_recipe``: of the last copy that was put into the run.
    """

    wanted: Wanted
    footage: Footage | None = None
    trials: TrialSet | None = None
    own: PlanePoint | None = None
    take_bytes: int | None = None
    read: bool = False
    lessons: Mapping[str, Lesson] = field(default_factory=dict)
    by_hand: PlanePoint | None = None
    last_recipe: Recipe | None = None

    @property
    def viewing(self) -> Viewing:
        return self.wanted.viewing

    @property
    def outlet(self) -> Outlet | None:
        """All chosen outlets in one; None: none was chosen, or they have nothing in common."""
        return common_of(self.wanted.outlets)

    @property
    def in_conflict(self) -> bool:
        """Outlets were chosen that have nothing in common."""
        return bool(self.wanted.outlets) and self.outlet is None

    @property
    def can_try(self) -> bool:
        """Trials can be run: of a codec that plays where it has to."""
        return self.footage is not None and not self.in_conflict and (self.outlet is None or bool(codecs_for(self.outlet)))

    @cached_property
    def raw(self) -> dict[str, list[PlanePoint]]:
        """All that was tried, with what earlier copies teach."""
        if self.trials is None or not self.trials.points:
            return {}
        found = plane_points(self.trials, self.wanted.viewing)
        return {codec: [self._taught(point) for point in curve] for codec, curve in found.items()}

    def _taught(self, point: PlanePoint) -> PlanePoint:
        lesson = self.lessons.get(point.prediction.recipe.codec)
        return PlanePoint(point.prediction.with_lessons(lesson.learned)) if lesson is not None else point

    @cached_property
    def served(self) -> Served:
        if self.footage is None:
            return Served()
        return serve(self.raw, self.footage, self.wanted.outlets, container=self.wanted.container, sound=self.wanted.sound)

    @cached_property
    def reshaped(self) -> Treatment | None:
        """The treatment that makes pictures fit which do not; None where they do, or nothing helps."""
        outlet = self.served.outlet
        return self.footage.reshaped(outlet) if self.footage is not None and outlet is not None else None

    @property
    def limit_bytes(self) -> float | None:
        """The most that a copy may take, by a person's word or by an outlet's."""
        return min((one for one in (self.wanted.limit_bytes, self.served.limit_bytes) if one is not None), default=None)

    @property
    def own_bytes(self) -> float | None:
        """Size of the take itself, of what the treatment keeps of it: what is no smaller is not worth an encode, unless an outlet does
        not take it as it is."""
        if self.footage is None or self.trials is None or not self.take_bytes or (self.wanted.outlets and self.own is None):
            return None
        return self.take_bytes * min(1.0, self.trials.duration_seconds / max(0.001, self.footage.reading.duration_seconds))

    @property
    def codec_words(self) -> str:
        """Of the take."""
        codec = self.footage.reading.codec if self.footage is not None else ""
        return WATCHED.get(codec, codec)

    @cached_property
    def last(self) -> PlanePoint | None:
        """The last copy's settings on this footage, where they suit it."""
        if self.last_recipe is None or self.trials is None:
            return None
        told, limit = told_by_hand(self, self.last_recipe), self.limit_bytes
        prediction = told.prediction
        if prediction is None or told.remarks or (limit is not None and prediction.size_bytes.high > limit):
            return None
        return PlanePoint(prediction)

    @cached_property
    def choices(self) -> list[Choice]:
        found = choices(
            self.served.plane, limit_bytes=self.limit_bytes, wanted=self.wanted.fidelity, own_bytes=self.own_bytes, as_it_is=self.own,
            codec=self.codec_words,
        )  # fmt: skip
        exact = cut_exactly(self.own, self.footage.reading, self.footage.treatment) if self.own and self.footage else None
        if exact is not None and any(one.key == "untouched" for one in found):
            found.insert(1, Choice("exact", sentences.CUT_EXACTLY, exact, sentences.WHY_CUT_EXACTLY))
        quiet = self._without_noise(found)
        if quiet is not None:
            found.append(quiet)
        if self.by_hand is not None:
            found.append(Choice("by hand", sentences.BY_HAND, self.by_hand, sentences.WHY_BY_HAND))
        if self.last is not None and all(one.point.makes != self.last.makes for one in found):
            found.append(Choice("last", sentences.AS_LAST, self.last, sentences.WHY_AS_LAST))
        return found

    def _without_noise(self, found: Sequence[Choice]) -> Choice | None:
        """Where it is smaller than all that keeps the noise, and looks a step worse at most."""
        trials = self.trials
        tried = trials.without_noise if trials is not None and self.quieter is not None else None
        if trials is None or tried is None:
            return None
        point = worth_telling(tried, trials, [point for curve in self.served.plane.values() for point in curve])
        if point is None:
            return None
        least = self.wanted.fidelity.least - A_STEP_DB if self.wanted.fidelity is not None else 0.0
        most = self.limit_bytes if self.limit_bytes is not None else math.inf
        smallest = min((one.point.size for one in found if not one.point.prediction.recipe.untouched), default=math.inf)
        if point.fidelity < least or point.size >= smallest or point.prediction.size_bytes.high > most:
            return None
        why = sentences.why_without_noise(tried.noise, tried.saved, point.prediction.recipe)
        return Choice("without noise", sentences.WITHOUT_NOISE, point, why)

    @property
    def quieter(self) -> Treatment | None:
        """The treatment with the noise taken out as well, as it was tried; None where it was not, or is taken out already."""
        tried = self.trials.without_noise if self.trials is not None else None
        if self.footage is None or tried is None:
            return None
        step = Denoise(noise=tried.noise)
        return self.footage.treatment.having(step) if self.footage.treatment.same_kind(step) is None else None

    @property
    def beside(self) -> list[PlanePoint]:
        """Settings by hand and those of last time that lie on no curve of the plane: another effort, another rate; and the one without
        noise."""
        on_it = {point.prediction.recipe for curve in self.served.plane.values() for point in curve}
        known = [one for one in (self.by_hand, self.last) if one is not None and not one.prediction.recipe.untouched]
        quiet = [one.point for one in self.choices if one.key == "without noise"]
        return [one for one in known if one.prediction.recipe not in on_it] + quiet

    @cached_property
    def curve_names(self) -> dict[str, str]:
        """Of those on the plane, with what they need at the same fidelity as the codec that plays nearly everywhere; of smaller pictures,
        with where they take less."""
        plane = self.served.plane
        names = {}
        for key, curve in plane.items():
            recipe, whole = curve[0].prediction.recipe, plane.get(curve[0].prediction.recipe.codec)
            if recipe.lines is not None and whole:
                names[key] = sentences.smaller_curve_name(recipe, smaller_below(curve, whole))
            else:
                base = plane.get("h264") if key != "h264" else None
                names[key] = sentences.curve_name(recipe, bytes_against(curve, base) if base else None)
        return names

    def same(self, picked: PlanePoint | None) -> PlanePoint | None:
        """The point of another offer in this one; None where it is not offered any more."""
        offered = [*(point for curve in self.served.plane.values() for point in curve), *(choice.point for choice in self.choices)]
        if picked is None:
            return None
        wanted = _known_by(picked)
        # What a person set by hand may differ from a point of the plane in its sound alone.
        exact = (point for point in reversed(offered) if point.makes == picked.makes)
        return next(exact, None) or next((point for point in offered if _known_by(point) == wanted), None)

    def words(self, picked: PlanePoint | None, *, running: bool) -> tuple[str, str]:
        """The sentence at the head, and its basis. ``running``: trials are."""
        served, outlet, trials = self.served, self.served.outlet, self.trials
        if self.footage is not None and self.in_conflict and served.together is not None:
            return sentences.nothing_in_common(served.together.conflicts, served.together.alone)
        if picked is not None and picked.prediction.recipe.untouched and not running:
            return sentences.untouched_headline(self.codec_words, picked.size, tried=trials is not None)
        if picked is not None and picked.of_another_treatment:
            return sentences.without_noise_headline(picked.prediction)
        if picked is not None and self.by_hand is not None and picked.prediction.recipe == self.by_hand.prediction.recipe:
            return sentences.by_hand_headline(picked.prediction, named=True)
        if self.footage is not None and outlet is not None and self.reshaped is not None:
            return sentences.pictures_do_not_fit(self.footage.shape_violations(outlet), self.footage.added_by(self.reshaped))
        if self.footage is None or trials is None:
            return sentences.before_trials(read=self.read, treated=self.footage is not None, running=running)
        if picked is not None:
            lesson = self.lessons.get(picked.prediction.recipe.codec, Lesson())
            return sentences.headline(trials, picked, running=running, taught=lesson.copies)
        if outlet is not None and not served.plane:
            return sentences.no_tried_codec_fits(outlet, served.outside, can_try=self.can_try)
        if self.own_bytes is not None and not choices(served.plane, limit_bytes=None, own_bytes=self.own_bytes):
            return sentences.none_smaller(self.own_bytes)
        return sentences.none_fits(self.limit_bytes or 0.0, smallest_possible(served.plane))


def _known_by(point: PlanePoint) -> tuple[object, ...]:
    return *point.pictures, point.prediction.noise_taken_out
