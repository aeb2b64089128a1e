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

from yomikomi.core.balance.models import Estimate, Fidelity, Learned, Prediction
from yomikomi.core.balance.viewing import step_of

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
class Actual:
    """What came out of a copy: bytes, seconds with nobody else at work, and fidelity as it was measured in it (None: it was not)."""

    size: float
    seconds: float
    fidelity: Fidelity | None = None


@dataclass(frozen=True)
class Account:
    """How predictions of one group (a codec, a kind of carrier, a machine) did.

    Parameters
    ----------
    size_error, seconds_error : mean errors in per cent of the predicted. ``_held``: of how many copies the interval held.
    compared : copies of which fidelity was predicted and measured. ``detail_error``: the mean error of these, decibels; NaN where there is
        none. ``steps_held``: of how many the difference is seen as was predicted, or less.
    next : what is put on the next predictions of a codec, whatever the carrier.
    """

    group: str
    copies: int
    size_error: float
    size_held: int
    seconds_error: float
    seconds_held: int
    compared: int = 0
    detail_error: float = math.nan
    steps_held: int = 0
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


def accounts(predictions: Iterable[tuple[str, Prediction, Actual]]) -> list[Account]:
    """How predictions did as they were told, by group."""
    groups: dict[str, list[tuple[Prediction, Actual]]] = {}
    for group, told, actual in predictions:
        groups.setdefault(group, []).append((told, actual))
    return [_account(group, rows) for group, rows in sorted(groups.items())]


def _account(group: str, rows: Sequence[tuple[Prediction, Actual]]) -> Account:
    sizes = [(told.size_bytes, actual.size) for told, actual in rows]
    times = [(told.encode_seconds, actual.seconds) for told, actual in rows]
    seen = [(told.fidelity, actual.fidelity) for told, actual in rows if told.fidelity is not None and actual.fidelity is not None]
    return Account(
        group, len(rows), _per_cent(sizes), _held(sizes), _per_cent(times), _held(times),
        compared=len(seen),
        detail_error=_mean([abs(actual.value - told.value) for told, actual in seen]) if seen else math.nan,
        steps_held=sum(step_of(actual.value).least >= step_of(told.value).least for told, actual in seen),
    )  # fmt: skip


def _per_cent(pairs: Sequence[tuple[Estimate, float]]) -> float:
    return _mean([100 * abs(actual / told.expected - 1) for told, actual in pairs])


def _held(pairs: Sequence[tuple[Estimate, float]]) -> int:
    return sum(told.low <= actual <= told.high for told, actual in pairs)


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
