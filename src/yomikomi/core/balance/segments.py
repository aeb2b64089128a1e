"""Which parts of a take the trials look at.

Units of one second. The hardest and the easiest are always tried and stand for themselves; the others are drawn
systematically in time order with probability proportional to their complexity, which measured best (docs/science.md).
Of those drawn, a few are tried with every recipe; the rest, if asked for, with one recipe of each codec: how the bytes
of a take are spread over it is much the same for all recipes of a codec, so one can find it out for the others (two-phase
sampling).
Source of the sampling theory: Cochran, Sampling Techniques, chapters 6, 9A and 12 (from memory).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from yomikomi.core.reading.models import Complexity

_UNIT_CELLS = 2
USUAL_SEGMENTS = 6


@dataclass(frozen=True)
class Segment:
    """A stretch of source frames that is tried.

    Parameters
    ----------
    first, frames : in source frames.
    complexity : bytes of the small encode in it.
    certain : tried for itself; otherwise it stands for others too.
    inclusion : probability with which it came to be tried as it is, 0…1.
    role : hardest, easiest, typical or plain, for people.
    """

    first: int
    frames: int
    complexity: int
    certain: bool
    inclusion: float
    role: str = ""


@dataclass(frozen=True)
class Plan:
    """What is tried.

    Parameters
    ----------
    segments : with every recipe.
    more : with one recipe of each codec; their ``inclusion`` is that of being drawn at all.
    kept : the share of all drawn that is tried with every recipe, 0…1.
    drawn_from : complexity of all units that the drawn ones stand for.
    whole : the whole take is one segment.
    """

    segments: tuple[Segment, ...]
    drawn_from: int
    units: int
    whole: bool
    more: tuple[Segment, ...] = ()
    kept: float = 1.0

    def placed(self, place: Callable[[int], int]) -> Plan:
        """The same of a take of which parts were left out before it was planned; ``place``: of a frame that is left, its number in the
        take."""

        def moved(one: Segment) -> Segment:
            first = place(one.first)
            return replace(one, first=first, frames=place(one.first + one.frames - 1) + 1 - first)

        segments, more = (tuple(moved(one) for one in some) for some in (self.segments, self.more))
        return replace(self, segments=segments, more=more)


def plan_segments(complexity: Complexity, *, frames: int, count: int = USUAL_SEGMENTS, more: int = 0, seed: int = 1) -> Plan:
    """Choose ``count`` segments (at least 3) of a take of ``frames`` source frames, and ``more`` for one recipe of each codec."""
    per_unit = _UNIT_CELLS * complexity.frames_per_cell
    sums = _units(complexity.cell_bytes, _UNIT_CELLS)
    # A short last unit is joined to the one before, so that all have a fair length.
    if len(sums) > 1 and frames - (len(sums) - 1) * per_unit < per_unit // 2:
        last = sums.pop()
        sums[-1] += last
    if len(sums) <= max(3, count):
        return Plan((Segment(0, frames, sum(sums), True, 1.0, "whole"),), 0, len(sums), True)
    order = np.argsort(sums)
    certain = {int(order[-1]): "hardest", int(order[0]): "easiest"}
    rest = [index for index in range(len(sums)) if index not in certain]
    full = count - len(certain)
    drawn, probability = _draw([sums[i] for i in rest], min(len(rest), full + more), seed)
    kept = _every(drawn, full)
    share = len(kept) / len(drawn)
    middle = float(np.median([sums[i] for i in rest]))
    typical = min(kept, key=lambda place: abs(sums[rest[place]] - middle))

    def segment(index: int, inclusion: float, role: str = "") -> Segment:
        first = index * per_unit
        length = frames - first if index == len(sums) - 1 else per_unit
        return Segment(first, length, sums[index], index in certain, inclusion, role)

    tried = [segment(index, 1.0, role) for index, role in certain.items()]
    tried += [segment(rest[place], probability[place] * share, "typical" if place == typical else "") for place in kept]
    others = [segment(rest[place], probability[place]) for place in drawn if place not in kept]
    return Plan(tuple(sorted(tried, key=lambda s: s.first)), sum(sums[i] for i in rest), len(sums), False, more=tuple(others), kept=share)


def _units(cells: list[int], per_unit: int) -> list[int]:
    return [max(1, sum(cells[start : start + per_unit])) for start in range(0, len(cells), per_unit)] or [1]


def _every(drawn: list[int], count: int) -> list[int]:
    """``count`` of the drawn ones, evenly through them."""
    if count >= len(drawn):
        return drawn
    return [drawn[int((number + 0.5) * len(drawn) / count)] for number in range(count)]


def _draw(sizes: list[int], count: int, seed: int) -> tuple[list[int], list[float]]:
    """Systematic sampling with probability proportional to size, in order. Returns indices and all probabilities.

    Units so large that they would be drawn more than once are taken for certain.
    """
    share = np.asarray(sizes, float)
    probability = np.minimum(1.0, count * share / share.sum())
    for _ in range(4):  # what the certain ones leave over goes to the others
        free = probability < 1
        left = count - int((~free).sum())
        if left <= 0 or not free.any():
            break
        probability[free] = np.minimum(1.0, left * share[free] / share[free].sum())
    start = float(np.random.default_rng([seed, len(sizes)]).uniform())
    ends = np.cumsum(probability)
    picks = np.searchsorted(ends, start + np.arange(int(np.ceil(ends[-1] - start - 1e-9))), side="right")
    return sorted({int(min(p, len(sizes) - 1)) for p in picks}), [float(p) for p in probability]
