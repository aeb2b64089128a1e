"""Pictures repeated at a regular distance: a conversion of the rate, not losses.

Twenty-four pictures a second in twenty-five frames repeat one in twenty-five; pictures lost by a recorder come at no such distance.
The patterns of a few frames are found frame by frame (``patterns.py``); here longer periods are looked for over the whole take, and
short ones whose repeats compression has made so unlike that no single one can be told.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.scan.evidence import Evidence, Values
from yomikomi.core.reading.scan.likelihood import neighbours_in_shot, noise_top

# Periods looked for, frames; how many of its repeats must be seen, and what part of them must stand out.
_SHORTEST, _LONGEST = 3, 51
_FEWEST, _LEAST_SHARE = 4, 0.9
# A repeat changes by less than the first part of what is usual around it, the middle one by less than the second; of all other frames
# no more than the third part may, or changes are too uneven to be told by. For exact repeats, and for those that compression blurred.
_LIMITS = ((0.1, 0.06, 0.06), (0.6, 0.4, 0.08))
_AROUND = 6


@dataclass(frozen=True)
class Regular:
    """Of every ``period`` frames, the one at ``phase`` repeats the one before; ``repeats`` of them were seen."""

    period: int
    phase: int
    repeats: int

    @property
    def pictures(self) -> Fraction:
        """Different pictures a frame."""
        return Fraction(self.period - 1, self.period)

    @property
    def words(self) -> str:
        return f"{self.period - 1} pictures in {self.period} frames, one repeated"


def regular_repeats(evidence: Evidence, cut: NDArray[np.bool_]) -> Regular | None:
    """The shortest period that the repeats keep; None where there is none, or too little of it was seen.

    Parameters
    ----------
    cut : ndarray [shape=(frames,), bool], first frames of shots
    """
    part = _part_of_usual(evidence, cut)
    for limits in _LIMITS:
        found = _period(part, *limits)
        if found is not None:
            return found
    return None


def _period(part: Values, less: float, middle: float, most_others: float) -> Regular | None:
    known = np.isfinite(part)
    low = known & (part < less)
    if np.count_nonzero(low) < _FEWEST:
        return None
    at = np.arange(len(part))
    for period in range(_SHORTEST, min(_LONGEST, len(part) // _FEWEST) + 1):
        seen = np.bincount(at[known] % period, minlength=period)
        hits = np.bincount(at[low] % period, minlength=period)
        phase = int(np.argmax(hits / np.maximum(seen, 1) * (seen >= _FEWEST)))
        if hits[phase] < _FEWEST or hits[phase] < _LEAST_SHARE * seen[phase]:
            continue
        here = at % period == phase
        others = float(np.mean(low[known & ~here])) if np.any(known & ~here) else 1.0
        if np.median(part[known & here]) < middle and others < most_others:
            return Regular(period, phase, int(hits[phase]))
    return None


def _part_of_usual(evidence: Evidence, cut: NDArray[np.bool_]) -> Values:
    """The change of each frame as a part of the median of its neighbours in its shot, shape (frames,); not a number where too little
    moves to say so."""
    floor = noise_top(evidence)
    change = np.maximum(evidence.liveliest - floor, 0)
    usual = np.sort(neighbours_in_shot(change, cut, _AROUND), axis=0)[_AROUND]
    enough = (usual > 1.5 * floor + 3) & ~cut
    enough[:1] = False
    return np.where(enough, change / np.maximum(usual, 1e-6), np.nan)
