"""What copies that were made teach the next predictions: how far sizes and times lie off as a rule, and whether intervals hold.

Predictions are compared with what came out as ratios of actual to predicted, in logarithms. A codec's own habit is the mean of its copies,
drawn towards none (no correction) as long as few copies speak; that of a codec on one kind of carrier is drawn towards the codec's in the
same way; time besides by machine. (Empirical Bayes with set variances: Gelman et al., Bayesian Data Analysis, chapter 5; from memory. The
variances are judgement, from the errors that bench/prediction.py found.)

Widths of intervals follow how often they held: the ninth of ten errors, each over its own half-width, drawn towards 1.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

import numpy as np

from yomikomi.core.balance.models import Estimate, Learned, Prediction

# Spread of single copies about their habit, and of habits about none, both as logarithms: of sizes, of times.
_SIZE_WITHIN, _SIZE_HABIT = 0.06, 0.04
_TIME_WITHIN, _TIME_HABIT = 0.25, 0.35
# A copy that lies further off than so many of its spreads speaks of an accident (another program, a damaged take), and counts as that far.
_MOST_SPREADS = 3.0
# Intervals are as wide as they were until about so many copies speak against it; never less or more than so many times.
_WIDTH_WEIGHT, _LEAST_WIDTH, _MOST_WIDTH = 20.0, 0.6, 2.0
_HELD = 0.9


@dataclass(frozen=True)
class Outcome:
    """One copy that was made as it was predicted.

    Parameters
    ----------
    material : kind of the carrier. ``machine``: where it was made; empty: nobody wrote it down.
    size, seconds : as trials predicted them, before anything that was learned; ``actual_`` what came out, NaN for a time that says nothing.
    """

    codec: str
    material: str
    machine: str
    size: Estimate
    actual_size: float
    seconds: Estimate
    actual_seconds: float


@dataclass(frozen=True)
class Lesson:
    """What is put on predictions of trials, and how many copies of the codec speak."""

    learned: Learned = field(default_factory=Learned)
    copies: int = 0


@dataclass(frozen=True)
class Account:
    """How predictions of one group (a codec, a kind of carrier, a machine) did: copies, mean errors in per cent of the predicted, and of
    how many the interval held; ``next``: what is put on the next ones of a codec, whatever the carrier."""

    group: str
    copies: int
    size_error: float
    size_held: int
    seconds_error: float
    seconds_held: int
    next: Lesson = field(default_factory=Lesson)


def lesson(outcomes: Sequence[Outcome], *, codec: str, material: str, machine: str) -> Lesson:
    """What copies so far say of the next of a codec, on a kind of carrier, on a machine."""
    same = [one for one in outcomes if one.codec == codec]
    if not same:
        return Lesson()
    here = [one.material == material for one in same]
    size = _habit([_log(one.actual_size, one.size) for one in same], here, within=_SIZE_WITHIN, habit=_SIZE_HABIT)
    timed = [one for one in same if one.machine == machine and not math.isnan(one.actual_seconds)]
    there = [one.material == material for one in timed]
    time = _habit([_log(one.actual_seconds, one.seconds) for one in timed], there, within=_TIME_WITHIN, habit=_TIME_HABIT)
    learned = Learned(
        size=math.exp(size), seconds=math.exp(time),
        size_width=_width([_over(one.actual_size, one.size, math.exp(size)) for one in same]),
        seconds_width=_width([_over(one.actual_seconds, one.seconds, math.exp(time)) for one in timed]),
    )  # fmt: skip
    return Lesson(learned, len(same))


def accounts(predictions: Iterable[tuple[str, Prediction, float, float]]) -> list[Account]:
    """How predictions did as they were told, by group. ``predictions``: group, what was told, actual bytes and seconds."""
    groups: dict[str, list[tuple[Prediction, float, float]]] = {}
    for group, told, size, seconds in predictions:
        groups.setdefault(group, []).append((told, size, seconds))
    return [
        Account(
            group, len(rows),
            _mean([100 * abs(size / told.size_bytes.expected - 1) for told, size, _ in rows]),
            sum(told.size_bytes.low <= size <= told.size_bytes.high for told, size, _ in rows),
            _mean([100 * abs(seconds / told.encode_seconds.expected - 1) for told, _, seconds in rows]),
            sum(told.encode_seconds.low <= seconds <= told.encode_seconds.high for told, _, seconds in rows),
        )
        for group, rows in sorted(groups.items())
    ]  # fmt: skip


def _habit(ratios: list[float], here: list[bool], *, within: float, habit: float) -> float:
    """Of a codec on one kind of material, drawn towards the codec's, which is drawn towards none."""
    kept = [max(-_MOST_SPREADS * (within + habit), min(_MOST_SPREADS * (within + habit), one)) for one in ratios]
    codec = _drawn(kept, towards=0.0, within=within, habit=habit)
    return _drawn([one for one, near in zip(kept, here, strict=True) if near], towards=codec, within=within, habit=habit / 2)


def _drawn(ratios: list[float], *, towards: float, within: float, habit: float) -> float:
    own = len(ratios) / within**2
    return (own * _mean(ratios) + towards / habit**2) / (own + 1 / habit**2) if ratios else towards


def _width(errors: list[float]) -> float:
    """From errors over half-widths: by how much intervals should have been wider or narrower for nine of ten to hold."""
    if not errors:
        return 1.0
    # As if so many copies had just fitted besides: their errors lie evenly so that nine of ten are within 1.
    count = len(errors)
    wanted = float(np.quantile(errors, min(1.0, _HELD * (count + 1) / count)))
    return max(_LEAST_WIDTH, min(_MOST_WIDTH, (count * wanted + _WIDTH_WEIGHT) / (count + _WIDTH_WEIGHT)))


def _over(actual: float, told: Estimate, factor: float) -> float:
    """An error over the half-width on its side, both as logarithms, once the habit is taken out."""
    off = math.log(max(actual, 1e-9) / max(told.expected * factor, 1e-9))
    side = told.high if off > 0 else told.low
    return abs(off) / max(1e-3, abs(math.log(max(side, 1e-9) / max(told.expected, 1e-9))))


def _log(actual: float, told: Estimate) -> float:
    return math.log(max(actual, 1e-9) / max(told.expected, 1e-9))


def _mean(values: list[float]) -> float:
    return sum(values) / len(values)
