"""Which parts of a take the trials look at.

Units of two seconds, of short takes of one. The hardest and the easiest are always tried and stand for themselves; the others are drawn
systematically in time order with probability proportional to their complexity, which measured best (docs/science.md).
Of those drawn, a few are tried with every recipe; the rest, if asked for, with the two recipes at the ends of each codec's curve: how
the bytes of a take are spread over it lies between theirs for all others, so they can find it out for them (two-phase sampling).
Source of the sampling theory: Cochran, Sampling Techniques, chapters 6, 9A and 12 (from memory).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from yomikomi.core.reading.models import Complexity

# Half seconds of a unit; of a take of less than a minute, where longer ones would be too few to draw from.
_UNIT_CELLS, _SHORT_UNIT_CELLS = 4, 2
_SHORT_CELLS = 120
# Half seconds that are encoded around a segment and not counted.
_AROUND_CELLS = 2
USUAL_SEGMENTS = 4
# Where next to nothing moves the small encode says little: so much of the mean is added to every unit (docs/science.md).
_FLOOR = 0.5


@dataclass(frozen=True)
class Segment:
    """A stretch of source frames that is tried.

    Parameters
    ----------
    first, frames : in source frames.
    complexity : bytes of the small encode in it, key pictures left out, and half of the mean.
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

    def drawn_more(self, share: float) -> Segment:
        """The same where so many times as many are tried."""
        return replace(self, inclusion=min(1.0, self.inclusion * share))


@dataclass(frozen=True)
class Plan:
    """What is tried.

    Parameters
    ----------
    segments : with every recipe.
    more : with two recipes of each codec, in an order of which every beginning lies evenly; their ``inclusion`` is that of being drawn at
        all.
    others : complexity of each unit that the drawn ones stand for.
    drawn : how many were drawn in all.
    whole : the whole take is one segment.
    """

    segments: tuple[Segment, ...]
    others: tuple[int, ...]
    drawn: int
    whole: bool
    more: tuple[Segment, ...] = ()

    @property
    def certain_complexity(self) -> int:
        """Of the segments that stand for themselves."""
        return sum(segment.complexity for segment in self.segments if segment.certain)

    def placed(self, place: Callable[[int], int]) -> Plan:
        """The same of a take of which parts were left out before it was planned; ``place``: of a frame that is left, its number in the
        take."""

        def moved(one: Segment) -> Segment:
            first = place(one.first)
            return replace(one, first=first, frames=place(one.first + one.frames - 1) + 1 - first)

        segments, more = (tuple(moved(one) for one in some) for some in (self.segments, self.more))
        return replace(self, segments=segments, more=more)


def plan_segments(
    complexity: Complexity, *, frames: int, count: int = USUAL_SEGMENTS, more: int = 0, anchored: float = 0.0, seed: int = 1
) -> Plan:
    """Choose ``count`` segments (at least 3) of a take of ``frames`` source frames, and ``more`` for two recipes of each codec.

    ``anchored``: for which part of all recipes that is, 0…1. A take that costs no more to try whole, run-up and run-out counted, is.
    """
    cells = _UNIT_CELLS if len(complexity.cell_bytes) >= _SHORT_CELLS else _SHORT_UNIT_CELLS
    per_unit = cells * complexity.frames_per_cell
    sums, whole = _units(complexity.between_bytes, cells), _units(complexity.cell_bytes, cells)
    # A short last unit is joined to the one before, so that all have a fair length.
    if len(sums) > 1 and frames - (len(sums) - 1) * per_unit < per_unit // 2:
        for some in (sums, whole):
            last = some.pop()
            some[-1] += last
    cost = (count + anchored * more) * (cells + _AROUND_CELLS) / cells
    if len(sums) <= max(3, count, int(cost)):
        return Plan((Segment(0, frames, sum(sums), True, 1.0, "whole"),), (), 0, True)
    mean = sum(sums) / len(sums)
    sums = [size + round(_FLOOR * mean) + 1 for size in sums]
    order = np.argsort(whole)
    certain = {int(order[-1]): "hardest", int(order[0]): "easiest"}
    rest = [index for index in range(len(sums)) if index not in certain]
    full = count - len(certain)
    drawn, probability = _draw([sums[i] for i in rest], min(len(rest), full + more), seed)
    kept = _every(drawn, full)
    share = len(kept) / len(drawn)
    spare = _evenly([place for place in drawn if place not in kept])
    middle = float(np.median([sums[i] for i in rest]))
    typical = min(kept, key=lambda place: abs(sums[rest[place]] - middle))

    def segment(index: int, inclusion: float, role: str = "") -> Segment:
        first = index * per_unit
        length = frames - first if index == len(sums) - 1 else per_unit
        return Segment(first, length, sums[index], index in certain, inclusion, role)

    tried = [segment(index, 1.0, role) for index, role in certain.items()]
    tried += [segment(rest[place], probability[place] * share, "typical" if place == typical else "") for place in kept]
    return Plan(
        tuple(sorted(tried, key=lambda s: s.first)), tuple(sums[i] for i in rest), len(drawn), False,
        more=tuple(segment(rest[place], probability[place]) for place in spare),
    )  # fmt: skip


def _evenly(places: list[int]) -> list[int]:
    """In an order of which every beginning lies evenly through all (van der Corput's, base 2)."""

    def reversed_bits(number: int) -> float:
        return sum((number >> bit & 1) / 2 ** (bit + 1) for bit in range(number.bit_length()))

    return [places[number] for number in sorted(range(len(places)), key=reversed_bits)]


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
