"""From trials of some segments to the bytes of all pictures.

Key pictures are counted apart: on still material they hold half of the bytes and few of the places, so that a sample without them, or
with one too many, would be far off. The rest is sampled, and raised by a ratio estimate with inverse-probability weights. Of a codec's
recipes the two at the ends, its anchors, are tried on more segments; the others lie between them, segment by segment, by how their
bytes go with those of both on the segments that all were tried on: on mixed material no recipe follows another alone (docs/science.md).
Intervals are from the scatter, nine in ten.

Source: Särndal, Swensson, Wretman, Model Assisted Survey Sampling, sections 5.6, 6.4 and 9.8 (from memory); the figures are measured
(docs/science.md).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.balance.models import Estimate
from yomikomi.core.balance.picture_sizes import soonest_key
from yomikomi.core.balance.segments import Plan
from yomikomi.core.balance.trial import Pair, Trial

# Relative half-width that no interval goes below for takes tried whole.
_FLOOR_WHOLE = 0.03
# Exponent with which a recipe's bytes follow the anchor's: its bounds, and how far 1 is believed before anything is seen, as a sum of
# squares in the logarithm.
_BOUNDS, _PRIOR = (0.5, 1.6), 0.15
# Logarithms of a recipe's bytes stray so far from the anchor's as a rule, believed as much as so many segments.
_BESIDE, _BESIDE_WEIGHT = 0.11, 4
# A cut without a key picture costs this part of one before anything is seen, believed as much as so many cuts.
_CUT_SHARE, _CUT_PRIOR = 0.5, 2.0
# Scatter of the first guesses, while segments are still coming in.
_FIRST_GUESS, _WIDEST, _NARROWEST_EARLY = 0.6, 0.6, 0.15
_MOST_SCATTER = 0.5
# Where no trial could make a key picture as it is within a copy, it is taken for so many times the first of a trial (x265: 1.0 to 1.25).
_WITHIN = 1.1
# Logarithms of the bytes of two recipes that are no further apart than this are the same.
_SAME = 0.02


@dataclass(frozen=True)
class Starts:
    """Where an encoder begins anew in the whole copy: ``keys`` key pictures, and ``cuts`` that get none."""

    keys: int
    cuts: int = 0

    @classmethod
    def of(cls, cuts: Sequence[int], *, frames: int, distance: int, cut_keys: bool) -> Starts:
        """``cuts``: first frames of new shots, numbered in the copy; ``distance``: most frames from key to key; ``cut_keys``: a cut brings
        one, unless the last was less than a tenth of the distance before."""
        inside = sorted({cut for cut in cuts if 0 < cut < frames})
        if not cut_keys:
            return cls(-(-frames // distance), len(inside))
        keys, last = 1, 0
        for place in (*inside, frames):
            keys += max(0, (place - last - 1) // distance)
            last += max(0, (place - last - 1) // distance) * distance
            if place < frames and place - last >= soonest_key(distance):
                keys, last = keys + 1, place
        return cls(keys)


@dataclass(frozen=True)
class Anchor:
    """A recipe that was tried on more segments, or what lies between two: its trials on the planned segments, and on the others so far."""

    pairs: Sequence[Pair]
    more: Sequence[Pair] = ()

    @classmethod
    def between(cls, pairs: Sequence[Pair], ends: Sequence[Anchor]) -> Anchor:
        """What a recipe with ``pairs`` on the planned segments is sized by: between the two ``ends`` where its bytes lie between theirs; or
        the only one."""
        first, last = ends[0], ends[-1]
        if first is last:
            return first
        own, low, high = (math.log(max(1.0, sum(trial.between_bytes for _, trial in some))) for some in (pairs, first.pairs, last.pairs))
        place = min(1.0, max(0.0, (own - low) / (high - low))) if abs(high - low) > _SAME else 0.0
        return cls(_mixed(first.pairs, last.pairs, place), _mixed(first.more, last.more, place))

    def everywhere(self, plan: Plan) -> list[Pair]:
        """All its trials, each segment with the probability of being tried at all."""
        planned = sum(1 for segment, _ in self.pairs if not segment.certain)
        share = (planned + len(self.more)) / max(1, planned)
        return [(s if s.certain else s.drawn_more(share), t) for s, t in self.pairs] + [
            (s.drawn_more((planned + len(self.more)) / plan.drawn), t) for s, t in self.more
        ]


def picture_bytes(pairs: Sequence[Pair], plan: Plan, starts: Starts, *, floor: float, anchor: Anchor | None = None) -> Estimate:
    """Bytes of the pictures of the whole take. ``anchor``: of the recipe's codec, itself where the recipe is that; ``floor``: half-width
    that the interval does not go below where the take was tried in parts, as a part."""
    if plan.whole:
        return around(float(sum(trial.counted_bytes for _, trial in pairs)), _FLOOR_WHOLE)
    key, key_half = _key_size(pairs, anchor, plan)
    share, share_half = _cut_share(pairs if anchor is None else anchor.everywhere(plan))
    times = (starts.keys - 1 + _fresh(pairs) if starts.keys else 0) + starts.cuts * share
    begun, begun_half = key * times, math.hypot(key_half * times, key * starts.cuts * share_half)
    between, between_half = _between(pairs, plan, anchor)
    expected = between + begun
    half = math.hypot(between_half, begun_half) / max(1.0, expected)
    return around(expected, min(_WIDEST, math.hypot(half, floor)))


def _mixed(low: Sequence[Pair], high: Sequence[Pair], place: float) -> list[Pair]:
    """Trials between those of two recipes on the same segments, ``place`` (0…1) of the way; bytes go by their logarithms. What one of them
    was not tried on yet is left out."""
    by_first = {segment.first: trial for segment, trial in high}
    return [(s, _mix(trial, by_first[s.first], place)) for s, trial in low if s.first in by_first]


def _mix(low: Trial, high: Trial, place: float) -> Trial:
    def way(one: float, other: float) -> float:
        return max(1.0, one) ** (1 - place) * max(1.0, other) ** place

    near = low if place < 0.5 else high
    return replace(
        near, between_bytes=way(low.between_bytes, high.between_bytes),
        key_sizes=tuple(way(*two) for two in zip(low.key_sizes, high.key_sizes, strict=False)) or near.key_sizes,
        cut_excess=tuple((1 - place) * one + place * other for one, other in zip(low.cut_excess, high.cut_excess, strict=False)),
    )  # fmt: skip


def around(expected: float, half: float) -> Estimate:
    return Estimate(expected=expected, low=expected * (1 - half), high=expected * (1 + half))


def half_width(estimate: Estimate) -> float:
    """Of the interval, as a part."""
    return (estimate.high - estimate.low) / 2 / max(1.0, estimate.expected)


def _between(pairs: Sequence[Pair], plan: Plan, anchor: Anchor | None) -> tuple[float, float]:
    """Bytes of all pictures that begin nothing, and the half-width of their interval."""
    certain = sum(trial.between_bytes for segment, trial in pairs if segment.certain)
    if anchor is None:
        anchor = Anchor(pairs)
    sampled = [(s, t) for s, t in anchor.everywhere(plan) if not s.certain]
    if len(pairs) < len(plan.segments) or len(sampled) < 2:
        return _early(pairs, plan)
    sized, scatter = np.array([max(1.0, t.between_bytes) for _, t in sampled]), 0.0
    if anchor.pairs[0][1] is not pairs[0][1]:
        sized, scatter = _by_anchor(pairs, anchor, sized)
    base, inclusion = np.array([float(s.complexity) for s, _ in sampled]), np.array([s.inclusion for s, _ in sampled])
    ratio, half = _ratio(base, sized, inclusion)
    rest = ratio * sum(plan.others)
    return certain + rest, rest * math.hypot(half, scatter)


def _by_anchor(pairs: Sequence[Pair], anchor: Anchor, sized: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """Bytes of a recipe on segments where the anchor has ``sized``, by how the two go together where both were tried; and the half-width
    of that, as a part."""
    both = {segment.first: trial for segment, trial in anchor.pairs}
    own = np.array([max(1.0, t.between_bytes) for s, t in pairs if s.first in both])
    its = np.array([max(1.0, both[s.first].between_bytes) for s, _ in pairs if s.first in both])
    power = _power(its, own)
    rest = np.log(own) - power * np.log(its)
    # Half by the totals, which the large ones rule, and half by the mean of the logarithms, which the many rule.
    factor = 0.5 * own.sum() / (its**power).sum() + 0.5 * math.exp(float(rest.mean()))
    spread = math.sqrt((_BESIDE_WEIGHT * _BESIDE**2 + float(rest.var() * len(own))) / (_BESIDE_WEIGHT + max(0, len(own) - 2)))
    scatter = spread / math.sqrt(len(own)) * student(_BESIDE_WEIGHT + len(own) - 2)
    return factor * np.maximum(sized, 1.0) ** power, min(_MOST_SCATTER, scatter)


def _early(pairs: Sequence[Pair], plan: Plan) -> tuple[float, float]:
    """A first guess, while segments are coming in."""
    ratios = [trial.between_bytes / segment.complexity for segment, trial in pairs]
    expected = (sum(plan.others) + plan.certain_complexity) * float(np.mean(ratios))
    if len(pairs) == 1:
        return expected, _FIRST_GUESS * expected
    spread = float(np.std(ratios)) / max(1e-9, float(np.mean(ratios)))
    return expected, expected * min(_WIDEST, max(_NARROWEST_EARLY, 2 * spread))


def _key_size(pairs: Sequence[Pair], anchor: Anchor | None, plan: Plan) -> tuple[float, float]:
    """Mean bytes of a key picture, and the half-width. Where the anchor saw more of them, by the ratio to it."""
    mean, half = _mean_key(pairs)
    if anchor is None or not anchor.more:
        return mean, half
    everywhere, everywhere_half = _mean_key(anchor.everywhere(plan))
    planned, _ = _mean_key(anchor.pairs)
    return mean * everywhere / max(1.0, planned), mean * everywhere_half / max(1.0, everywhere)


def _fresh(pairs: Sequence[Pair]) -> float:
    """The first key picture of an encode, as so many times one within it."""
    both = [(trial.fresh_key, trial.key_sizes[0]) for _, trial in pairs if trial.fresh_key and trial.key_sizes]
    return sum(fresh for fresh, _ in both) / sum(key for _, key in both) if both else 1 / _WITHIN


def keys_within(trials: Sequence[Trial]) -> list[float]:
    """Bytes of key pictures as they are within a copy, as far as trials tell."""
    seen = [size for trial in trials for size in trial.key_sizes]
    return seen or [_WITHIN * trial.fresh_key for trial in trials if trial.fresh_key]


def _mean_key(pairs: Sequence[Pair]) -> tuple[float, float]:
    sizes = np.array(keys_within([trial for _, trial in pairs]), float)
    if not len(sizes):
        return 0.0, 0.0
    mean = float(sizes.mean())
    return mean, float(sizes.std(ddof=1)) / math.sqrt(len(sizes)) * student(len(sizes) - 1) if len(sizes) > 1 else mean / 2


def _cut_share(pairs: Sequence[Pair]) -> tuple[float, float]:
    """What a cut without a key picture costs, as a part of one, and the half-width."""
    key, _ = _mean_key(pairs)
    shares = [excess / key for _, trial in pairs for excess in trial.cut_excess] if key else []
    mean = (_CUT_PRIOR * _CUT_SHARE + sum(shares)) / (_CUT_PRIOR + len(shares))
    return max(0.0, mean), _CUT_SHARE / math.sqrt(_CUT_PRIOR + len(shares))


def _power(x: NDArray[np.float64], y: NDArray[np.float64]) -> float:
    """The exponent of y over x, drawn towards 1; both shape=(segments,), above 0."""
    log_x, log_y = np.log(x), np.log(y)
    across = log_x - log_x.mean()
    fitted = (float((across * (log_y - log_y.mean())).sum()) + _PRIOR) / (float((across**2).sum()) + _PRIOR)
    return min(_BOUNDS[1], max(_BOUNDS[0], fitted))


def _ratio(x: NDArray[np.float64], y: NDArray[np.float64], inclusion: NDArray[np.float64]) -> tuple[float, float]:
    """y for one of x by Hájek's ratio, and the half-width of its nine-in-ten interval as a part; all shape=(segments,), at least two."""
    weights = 1 / inclusion
    ratio = float((weights * y).sum() / max(1e-9, (weights * x).sum()))
    residual = weights * (y - ratio * x)
    n = len(y)
    # Units drawn for certain have no sampling error.
    variance = n / (n - 1) * float(((1 - inclusion) * residual**2).sum())
    return ratio, student(n - 1) * math.sqrt(variance) / max(1.0, float((weights * y).sum()))


def student(freedom: int) -> float:
    """Half-width of nine in ten in standard errors."""
    from scipy.special import stdtrit  # takes a fifth of a second to load

    return float(stdtrit(max(1, freedom), 0.95))

