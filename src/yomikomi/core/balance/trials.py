"""The trials of a take: every recipe on every segment, estimates firming up as they come in."""

from __future__ import annotations

import math
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

from yomikomi.core.balance import estimate
from yomikomi.core.balance.besides import other_estimate, sound_estimate
from yomikomi.core.balance.judging import DetailJudge
from yomikomi.core.balance.kept import kept_complexity
from yomikomi.core.balance.models import Estimate, HardestPart, TrialPoint, TrialSet, TriedSegment, WithoutNoise
from yomikomi.core.balance.segments import USUAL_SEGMENTS, Segment, plan_segments
from yomikomi.core.balance.sizing import Anchor, Starts, half_width, keys_within, picture_bytes
from yomikomi.core.balance.spans import TreatedSpan, cuts_of
from yomikomi.core.balance.trial import Pair, Trial, busiest_place, judge_for, run_trial, save_crop
from yomikomi.core.balance.without_noise import Quiet, point_of, recipe_to_try
from yomikomi.core.reading.current import check_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.plan import check_depth, pixel_format_of
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.shaping import treated_for
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Denoise
from yomikomi.core.treatment.timing import Timing, length_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.priority import tame_encoders

# Of a take of less than a minute fewer segments are tried with every recipe, with wider intervals: trying it takes long enough against
# copying it.
_SHORT_S, _SHORT_SEGMENTS = 60.0, 3
# Segments tried with the recipes at both ends of each codec at most, besides those tried with all, for takes of less than so many seconds:
# only they make a size surer, and the longer a take, the less they cost against copying it (docs/science.md).
_SIZING = ((_SHORT_S, 8), (150.0, 12), (1200.0, 20), (math.inf, 28))
# Fewer, once an interval is as narrow as this on at least so many: few segments that happen to agree promise too much.
_NARROW, _FEWEST_MORE = 0.03, 8
WITHOUT_NOISE_CROP = "without noise.png"


@dataclass(frozen=True)
class TrialRequest:
    """``segments`` are tried with every recipe, ``more`` with the two at the ends of each codec, which size the take for the others;
    ``folder`` receives pictures of the hardest moment, None makes none. ``noise``: what would take the noise out, tried beside the recipe
    that looks best for its size; None: not tried."""

    path: Path
    reading: Reading
    treatment: Treatment
    recipes: tuple[Recipe, ...]
    segments: int = USUAL_SEGMENTS
    more: int = 0
    folder: Path | None = None
    noise: Denoise | None = None


def segments_for(seconds: float) -> tuple[int, int]:
    """How many segments of a take of this length are tried with every recipe, and how many more, at most, with two of each codec."""
    return _SHORT_SEGMENTS if seconds < _SHORT_S else USUAL_SEGMENTS, next(more for below, more in _SIZING if seconds < below)


@dataclass(frozen=True)
class TrialProgress:
    """``so_far``: the newest estimates, the same until there are newer ones; ``told``: how often there were newer ones. (Only the newest
    word of a job is sure to arrive, so each carries them.)"""

    part: float
    seconds_left: float
    doing: str
    so_far: TrialSet | None
    told: int = 0


class _Bench:
    def __init__(self, request: TrialRequest, reporter: Reporter) -> None:
        self.request, self.reporter = request, reporter
        self.reading = request.reading
        self.timing = Timing.of(self.reading, request.treatment)
        self._seconds = length_of(self.reading, request.treatment)  # of the copy
        self.complexity, place, frames = kept_complexity(self.reading, self.timing)
        anchors = _anchors(request.recipes)
        both = list(dict.fromkeys(recipe for ends in anchors.values() for recipe in ends))
        self.plan = plan_segments(
            self.complexity, frames=frames, count=request.segments, more=request.more, anchored=len(both) / len(request.recipes)
        ).placed(place)  # fmt: skip
        self.found: dict[Recipe, list[tuple[Segment, Trial]]] = {recipe: [] for recipe in request.recipes}
        self.treat_times: list[float] = []
        self.quiet: Quiet | None = None
        self.quiet_times: list[float] = []
        self.crops: dict[Recipe, str] = {}
        self.started = time.monotonic()
        self.anchors = anchors if self.plan.more else {}
        self.sizing: dict[Recipe, list[tuple[Segment, Trial]]] = {recipe: [] for recipe in both} if self.plan.more else {}
        self.steps = len(self.plan.segments) * len(request.recipes) + len(self.plan.more) * len(self.sizing)
        self.done, self.told = 0, 0
        self.so_far: TrialSet | None = None
        self.rate = request.treatment.output_rate(Fraction(self.reading.rate.nominal))
        self.frames = self.timing.frames
        self.cuts = [self.timing.outputs(cut, cut + 1).start for cut in cuts_of(self.reading)]

    def run(self) -> TrialSet:
        # Hardest, easiest and typical first: the picture of the trade-off stands after three segments.
        order = {"hardest": 0, "whole": 0, "easiest": 1, "typical": 2}
        planned = sorted(self.plan.segments, key=lambda s: order.get(s.role, 3))
        for number, segment in enumerate(planned):
            self._try_segment(segment, first=number == 0)
        if self.request.noise is not None:
            self._without_noise(self.request.noise, [segment for segment in planned if segment.role])
        for number, segment in enumerate(self.plan.more if self.anchors else (), 1):
            self._size_segment(segment, number)
            if number % 4 == 0:
                self._say("")
        return self.summary(complete=True)

    def _try_segment(self, segment: Segment, *, first: bool) -> None:
        """``first``: nobody should wait for all recipes before anything is seen; each is told as it comes, the middle one of each codec
        before the others."""
        spans = _Spans(self.request, segment, self.reporter)
        shown = segment.role in {"hardest", "whole"} and self.request.folder is not None
        for recipe in _middle_first(self.request.recipes) if first else self.request.recipes:
            span, whole, judge = spans.of(recipe)
            name = f"{recipe.file_words}.png"
            folder = self.request.folder
            if shown and folder is not None and not self.crops:
                self._save_source(whole, folder / "source.png")
            self._say(f"{recipe.words} on the {segment.role or 'next'} part")
            trial = run_trial(span, recipe, judge, self.reporter, crop_to=folder / name if shown and folder else None, whole=whole)
            if shown:
                self.crops[recipe] = name
            self.found[recipe].append((segment, trial))
            self.treat_times.append(span.treat_seconds_per_frame)
            self.done += 1
            if first:
                self._say("")
        if not first:
            self._say("")

    def _without_noise(self, step: Denoise, segments: Sequence[Segment]) -> None:
        """The recipe that a person would choose, with the noise taken out; with it too, where it lies between those that were tried."""
        recipe = recipe_to_try(self.summary(complete=False))
        if recipe is None:
            return
        without, known = self.request.treatment.having(step), dict(self.found.get(recipe, ()))
        quiet: list[Pair] = []
        noisy: list[Pair] = []
        for segment in segments:
            self._say(f"{recipe.words} without noise on the {segment.role} part")
            _, whole, judge = _Spans(self.request, segment, self.reporter).of(recipe)
            span = replace(whole, treatment=without)
            shown = self.crops and segment.role in {"hardest", "whole"}
            crop_to = self.request.folder / WITHOUT_NOISE_CROP if shown and self.request.folder is not None else None
            quiet.append((segment, run_trial(span, recipe, judge, self.reporter, crop_to=crop_to, whole=whole)))
            noisy.append((segment, known.get(segment) or run_trial(whole, recipe, judge, self.reporter)))
            self.quiet_times.append(span.treat_seconds_per_frame)
        self.quiet = Quiet(step.noise, recipe, quiet, noisy, recipe.key_distance(self.rate))

    def _size_segment(self, segment: Segment, number: int) -> None:
        spans = _Spans(self.request, segment, self.reporter)
        for recipe, pairs in self.sizing.items():
            if self._is_narrow(recipe):
                self.done += 1
                continue
            self._say(f"{recipe.words} on {number} of {len(self.plan.more)} more parts, to size the take")
            span, whole, judge = spans.of(recipe)
            pairs.append((segment, run_trial(span, recipe, judge, self.reporter, whole=whole)))
            self.done += 1

    def _is_narrow(self, recipe: Recipe) -> bool:
        """Whether more segments would not make the size of a codec's recipes any surer than trials can tell it."""
        sampled = half_width(self._picture_bytes(recipe)) ** 2 - recipe.row.size_floor**2
        return len(self.sizing[recipe]) >= _FEWEST_MORE and sampled <= _NARROW**2

    def _save_source(self, span: TreatedSpan, path: Path) -> None:
        middle = (span.counted.start + span.counted.stop) // 2
        for number, frame in enumerate(span.frames()):
            if number == middle:
                save_crop(frame, path, place=busiest_place(frame))

    def _say(self, doing: str) -> None:
        spent = time.monotonic() - self.started
        part = self.done / self.steps
        left = spent * (1 - part) / part if part else 0.0
        # Estimates come when every recipe that is told has seen the same parts.
        if not doing and self.done:
            self.so_far, self.told = self.summary(complete=self.done == self.steps), self.told + 1
        self.reporter.report(TrialProgress(part, left, doing, self.so_far, self.told))

    def summary(self, *, complete: bool) -> TrialSet:
        treatment, recipes = self.request.treatment, self.request.recipes
        found = TrialSet(
            deinterlace=treatment.deinterlace.value,
            field_order=treatment.field_order.value if treatment.field_order else None,
            treatment=treatment,
            rate=f"{self.rate.numerator}/{self.rate.denominator}",
            frames=self.frames,
            duration_seconds=self._seconds,
            sound_bytes=round(sound_estimate(self.reading, treatment, recipes[0]).expected),
            segments=[TriedSegment(first_frame=s.first, frames=s.frames, role=s.role) for s in self.plan.segments],
            sized_on=len(self.plan.segments) + min((len(pairs) for pairs in self.sizing.values()), default=0),
            whole=self.plan.whole,
            points=[self._point(recipe) for recipe in recipes if self.found[recipe]],
            source_crop="source.png" if self.crops else None,
            trial_seconds=round(time.monotonic() - self.started, 2),
            complete=complete,
            disturbed=self._disturbed(),
        )
        return found.model_copy(update={"without_noise": self._quiet_of(found)}) if self.quiet is not None else found

    def _quiet_of(self, found: TrialSet) -> WithoutNoise | None:
        """``found``: all the others."""
        quiet = self.quiet
        if quiet is None or (noisy := point_of(quiet.recipe, found)) is None:
            return None
        size = quiet.size_bytes(noisy.prediction.size_bytes, other_estimate(self.reading, self.request.treatment, quiet.recipe))
        point = self._told(quiet.recipe, quiet.quiet, size, self.quiet_times, crop=WITHOUT_NOISE_CROP if self.crops else None)
        return WithoutNoise(noise=quiet.noise, with_noise_bytes=noisy.size, point=point)

    def _disturbed(self) -> float:
        parts = [trial.quiet_part for pairs in (*self.found.values(), *self.sizing.values()) for _, trial in pairs]
        return round(1 - sum(parts) / len(parts), 3) if parts else 0.0

    def _point(self, recipe: Recipe) -> TrialPoint:
        pairs = self.found[recipe]
        anchor = self._anchor_of(recipe)
        size = self._picture_bytes(recipe).plus(other_estimate(self.reading, self.request.treatment, recipe))
        return self._told(recipe, pairs, size, self.treat_times, anchor=anchor, crop=self.crops.get(recipe))

    def _told(
        self, recipe: Recipe, pairs: Sequence[Pair], size: Estimate, treat_times: Sequence[float], *, crop: str | None,
        anchor: Anchor | None = None,
    ) -> TrialPoint:  # fmt: skip
        ssim, psnr = estimate.sample_fidelity(pairs, self.plan, anchor)
        return TrialPoint(
            recipe=recipe,
            size_bytes=_whole(size),
            ssim_db=round(ssim, 3),
            psnr_db=round(psnr, 3),
            detail=estimate.detail(pairs, self.plan, anchor),
            encode_seconds=estimate.encode_seconds(
                pairs, frames=self.frames, treat_seconds_per_frame=sum(treat_times) / len(treat_times)
            ),
            tried_frames=sum(trial.counted_frames for _, trial in pairs),
            crop=crop,
            hardest=self._hardest(pairs),
            key_excess=_key_excess([trial for _, trial in pairs]),
        )

    def _hardest(self, pairs: Sequence[Pair]) -> HardestPart | None:
        found = next((pair for pair in pairs if pair[0].role in {"hardest", "whole"}), None)
        if found is None:
            return None
        segment, trial = found
        middle = (segment.first + segment.frames / 2) / float(self.reading.rate.by_stamps)
        return HardestPart(
            at_seconds=round(middle, 2), kbps=round(trial.worst_kbps, 1), detail=estimate.detail([found], self.plan)
        )

    def _picture_bytes(self, recipe: Recipe) -> Estimate:
        row = recipe.row
        starts = Starts.of(self.cuts, frames=self.frames, distance=recipe.key_distance(self.rate), cut_keys=row.cut_keys)
        return picture_bytes(self.found[recipe], self.plan, starts, floor=row.size_floor, anchor=self._anchor_of(recipe))

    def _anchor_of(self, recipe: Recipe) -> Anchor | None:
        """What sizes a recipe: itself, or what lies between the anchors of its codec, once they were tried on all planned segments."""
        ends = self.anchors.get(recipe.codec, ())
        if not ends or any(len(self.found[one]) < len(self.plan.segments) for one in (recipe, *ends)):
            return None
        if recipe in ends:
            return Anchor(self.found[recipe], self.sizing[recipe])
        return Anchor.between(self.found[recipe], [Anchor(self.found[one], self.sizing[one]) for one in ends])


class _Spans:
    """The treated frames of a segment, for one recipe after another; those of the last are kept."""

    def __init__(self, request: TrialRequest, segment: Segment, reporter: Reporter) -> None:
        self._request, self._segment, self._reporter = request, segment, reporter
        self._whole: TreatedSpan | None = None
        self._sized: TreatedSpan | None = None
        self._judge: DetailJudge | None = None

    def of(self, recipe: Recipe) -> tuple[TreatedSpan, TreatedSpan, DetailJudge]:
        """What its encoder gets, what its copy is held against (the same, unless the recipe asks for smaller pictures), and the judge."""
        request, kind = self._request, pixel_format_of(recipe, self._request.reading)
        if self._whole is None or self._judge is None or self._whole.pixel_format != kind:
            self._whole = TreatedSpan(request.path, request.reading, request.treatment, self._segment, kind, self._reporter)
            self._sized, self._judge = None, judge_for(self._whole)
        treatment = treated_for(recipe, request.treatment, source_format(request.reading))
        if self._sized is None or self._sized.treatment != treatment:
            self._sized = self._whole if treatment == request.treatment else replace(self._whole, treatment=treatment)
        return self._sized, self._whole, self._judge


def _whole(size: Estimate) -> Estimate:
    """In whole bytes."""
    return Estimate(expected=round(size.expected), low=round(size.low), high=round(size.high))


def _key_excess(trials: Sequence[Trial]) -> float | None:
    """What a key picture takes more than others do; None where none was seen."""
    keys = keys_within(trials)
    frames = sum(trial.counted_frames for trial in trials)
    if not keys or not frames:
        return None
    return round(max(0.0, sum(keys) / len(keys) - sum(trial.between_bytes for trial in trials) / frames), 1)


def _middle_first(recipes: tuple[Recipe, ...]) -> list[Recipe]:
    middle = [known[len(known) // 2] for known in _by_codec(recipes).values()]
    return middle + [recipe for recipe in recipes if recipe not in middle]


def _anchors(recipes: tuple[Recipe, ...]) -> dict[str, tuple[Recipe, ...]]:
    """For each codec the recipes at the ends of its curve, which size the take for the others: two, or the only one."""
    return {codec: tuple(dict.fromkeys((known[0], known[-1]))) for codec, known in _by_codec(recipes).items()}


def _by_codec(recipes: tuple[Recipe, ...]) -> dict[str, list[Recipe]]:
    """By quality; of those at full size where there are any."""
    by_codec: dict[str, list[Recipe]] = {}
    for recipe in sorted(recipes, key=lambda recipe: (recipe.curve != recipe.codec, recipe.curve, recipe.quality or 0)):
        known = by_codec.setdefault(recipe.codec, [])
        if not known or recipe.curve == known[0].curve:
            known.append(recipe)
    return by_codec


def run_trials(request: TrialRequest, reporter: Reporter) -> TrialSet:
    """Try all recipes on all segments.

    Raises CancelledError when stopped, WrongUseError for an impossible recipe, UnfinishedError where the take is not the one that was
    read, UnreadableError where none of its frames can be decoded.
    """
    reading = request.reading
    made = request.treatment.formats(source_format(reading))[-1]
    for recipe in request.recipes:
        recipe.check()
        check_depth(recipe, transfer=made.colour.transfer, bit_depth=reading.bit_depth)
    check_current(request.path, reading, reporter.check)
    tame_encoders()
    return _Bench(request, reporter).run()
