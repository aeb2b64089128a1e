"""Where one person stops seeing a difference: blind comparisons, chosen so that each tells as much as it can, and what they come to.

In a round two loops are shown, one of them the treated take, and a third that is one of the two; the person says which. Whoever sees
nothing is right half of the time. How often a person is right falls with the detail a copy keeps, along a normal curve from always to half;
the place and the breadth of that fall are found by Bayes' rule on a grid, and the next copy is the one whose answer leaves least in doubt.
(Watson and Pelli, QUEST, 1983; Kontsevich and Tyler, 1999; both from memory. Prior and lapses are judgement.)
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.special import bdtrc, ndtr  # scipy.stats takes a second to load

# Thresholds looked at, dB of detail kept; where most people are expected, and how surely.
_PLACES = np.arange(26.0, 60.01, 0.25)
_EXPECTED, _SPREAD = 41.0, 7.0
# Breadths of the fall, dB; answers that are wrong by accident.
_BREADTHS = np.array([1.0, 2.0, 3.5])
_LAPSES = 0.03
# What is believed before the first answer of each threshold and breadth, shape=(places, breadths), sums to 1.
_PRIOR = np.repeat(np.exp(-(((_PLACES - _EXPECTED) / _SPREAD) ** 2) / 2)[:, None], len(_BREADTHS), axis=1)
_PRIOR /= _PRIOR.sum()
# Rounds: not before, not after; and how sure is sure enough, dB to either side.
FEWEST_ROUNDS, MOST_ROUNDS = 16, 48
_SURE_DB = 1.5
# A person who is right less often than this by guessing was not guessing.
_LEVEL = 0.05


@dataclass(frozen=True)
class Round:
    """``detail_db``: of the copy that was shown; ``right``: whether the answer was."""

    detail_db: float
    right: bool


@dataclass(frozen=True)
class Threshold:
    """What rounds come to.

    Parameters
    ----------
    detail_db : where three of four answers are right: halfway between seeing and guessing. ``low``, ``high``: 90 % interval.
    rounds, right : how many there were of copies that keep less than that, and how many answers were right.
    chance : of so many right ones by guessing, 0…1.
    """

    detail_db: float
    low: float
    high: float
    rounds: int
    right: int
    chance: float

    @property
    def seen(self) -> bool:
        """That a difference was seen at all is surer than 95 of 100."""
        return self.chance < _LEVEL


class BlindTest:
    """``levels``: detail kept of the copies that can be shown, dB, any order; at least two."""

    def __init__(self, levels: Sequence[float]) -> None:
        if len(levels) < 2:
            raise ValueError("a threshold lies between copies")
        self.levels = tuple(levels)
        self.rounds: tuple[Round, ...] = ()
        self._belief = _PRIOR

    def after(self, answer: Round) -> BlindTest:
        test = BlindTest(self.levels)
        test.rounds = (*self.rounds, answer)
        right = _right(answer.detail_db)
        belief = self._belief * (right if answer.right else 1 - right)
        test._belief = belief / belief.sum()
        return test

    @property
    def over(self) -> bool:
        if len(self.rounds) < FEWEST_ROUNDS:
            return False
        found = self.threshold
        return len(self.rounds) >= MOST_ROUNDS or found.high - found.low <= 2 * _SURE_DB

    def next_level(self) -> int:
        """Which of the levels to show: that whose answer leaves least in doubt."""
        belief = self._belief

        def doubt(level: float) -> float:
            right = _right(level)
            chance = float((belief * right).sum())
            return sum(share * _entropy(belief * part / share) for share, part in ((chance, right), (1 - chance, 1 - right)))

        return int(np.argmin([doubt(level) for level in self.levels]))

    @cached_property
    def threshold(self) -> Threshold:
        places = self._belief.sum(axis=1)
        sums = np.cumsum(places)
        low, middle, high = (float(np.interp(part, sums, _PLACES)) for part in (0.05, 0.5, 0.95))
        below = [one.right for one in self.rounds if one.detail_db < middle]
        chance = float(bdtrc(sum(below) - 1, len(below), 0.5)) if below else 1.0
        return Threshold(middle, low, high, len(below), sum(below), chance)


@lru_cache(maxsize=64)
def _right(level: float) -> NDArray[np.float64]:
    """How often a person of each threshold and breadth is right, shape=(places, breadths), 0…1."""
    seen = ndtr((_PLACES[:, None] - level) / _BREADTHS[None, :])
    return np.asarray(_LAPSES / 2 + (1 - _LAPSES) * (0.5 + 0.5 * seen))


def _entropy(belief: NDArray[np.float64]) -> float:
    known = belief[belief > 1e-12]
    return float(-(known * np.log(known)).sum())
