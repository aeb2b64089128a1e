"""Hitting a size or an average rate: what the encoder is told, and told again where the first try came out beside it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.plan import EncoderPlan, plan_for
from yomikomi.core.recipes.rates import SIZE_AIM, AverageRate, TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.video.units import size_text

# What lies over a target size, or more than this under it, is encoded again.
_LEAST = 0.98
# An average rate is no limit: so far off on either side, as a part.
_AVERAGE_OFF = 0.015
# After so many encodes the nearest that is not over the size is taken; where every one was over, smaller ones are tried up to the second.
_ENOUGH_TRIES, _MOST_TRIES = 4, 8
# Under this no picture is worth looking at, whatever its size (judgement); a target that leaves less is refused.
_LEAST_KBPS = 20
# How bytes of AV1 follow its quality value: by so much, as a part, a step, where nothing is known yet (measured, docs/science.md).
_AV1_STEP = 0.055


@dataclass(frozen=True)
class _Try:
    """``told``: quality, or kb/s."""

    told: float
    picture_bytes: int
    file_bytes: int


class Aim:
    """What is told to the encoder of one copy.

    Parameters
    ----------
    other_bytes : of the file besides its pictures: sound and container, as far as they are known beforehand.
    quality : of codecs whose size is hit by their constant quality, where to begin.
    """

    def __init__(self, recipe: Recipe, treated: PictureFormat, *, seconds: float, other_bytes: int, quality: float | None = None) -> None:
        self._recipe, self._treated, self._seconds = recipe, treated, max(seconds, 0.04)
        rate = recipe.rate
        self._searched = quality if isinstance(rate, TargetSize) and not recipe.row.two_passes else None
        self._kbps: float | None = None
        self._known: list[_Try] = []
        self._last = False
        if isinstance(rate, TargetSize):
            left = (SIZE_AIM * rate.size_bytes - other_bytes) * 8 / self._seconds / 1000
            if left < _LEAST_KBPS:
                raise WrongUseError(
                    f"{size_text(rate.size_bytes)} cannot hold {self._seconds:.0f} s: sound and container take {size_text(other_bytes)}.",
                    remedy="Ask for a larger size, a lower sound rate, or cut the take.",
                )
            self._kbps = left
        elif isinstance(rate, AverageRate):
            self._kbps = float(rate.kbps)

    @property
    def tries(self) -> int:
        """Encodes made so far."""
        return len(self._known)

    @property
    def plan(self) -> EncoderPlan:
        kbps = max(_LEAST_KBPS, round(self._kbps)) if self._kbps is not None else None
        return plan_for(self._recipe, self._treated, kbps=kbps, quality=self._searched)

    def hit(self, *, picture_bytes: int, file_bytes: int) -> bool:
        """Whether what was made is what is kept; else the next try is told otherwise. Rates that nothing is aimed at always are."""
        rate = self._recipe.rate
        self._known.append(_Try(self._told, picture_bytes, file_bytes))
        if isinstance(rate, TargetSize):
            return self._size_hit(rate.size_bytes)
        if isinstance(rate, AverageRate) and rate.passes == 2 and self._recipe.row.two_passes and self.tries < _ENOUGH_TRIES:
            wanted = rate.kbps * 125 * self._seconds
            if abs(picture_bytes / wanted - 1) > _AVERAGE_OFF:
                self._correct(wanted)
                return False
        return True

    def _size_hit(self, size: int) -> bool:
        last = self._known[-1]
        if self._last or _LEAST * size <= last.file_bytes <= size:
            return True
        over = [one for one in self._known if one.file_bytes > size]
        under = [one for one in self._known if one.file_bytes <= size]
        if not under or not over:
            # Under the size by more, the more often it was exceeded.
            self._correct(last.picture_bytes + (1 - (1 - SIZE_AIM) * max(1, len(over))) * size - last.file_bytes)
            return self.tries >= _MOST_TRIES
        above, below = min(over, key=lambda one: one.file_bytes), max(under, key=lambda one: one.file_bytes)
        enough = _ENOUGH_TRIES if self._searched is None else _MOST_TRIES - 1
        if self.tries < enough and self._between(above, below, SIZE_AIM * size):
            return False
        return self._settle(below)

    @property
    def _told(self) -> float:
        """Quality, or kb/s."""
        return self._searched if self._searched is not None else float(round(self._kbps or 0))

    def _between(self, above: _Try, below: _Try, wanted: float) -> bool:
        """Tell the next try what lies between the nearest that was over and the nearest that was under, where a straight line in the
        logarithm meets the size; False where nothing lies between."""
        grain = 0.25 if self._searched is not None else 1.0
        high, low = math.log(above.file_bytes), math.log(below.file_bytes)
        met = below.told + (above.told - below.told) * (math.log(wanted) - low) / max(1e-9, high - low)
        one, two = sorted((above.told, below.told))
        found = min(two - grain, max(one + grain, round(met / grain) * grain))
        if not one < found < two:
            return False
        self._tell(found)
        return True

    def _tell(self, value: float) -> None:
        """The next try; quality, or kb/s."""
        if self._searched is not None:
            self._searched = value
        else:
            self._kbps = value

    def _settle(self, on: _Try) -> bool:
        """Keep one that was made: it is there if it is the last, else it is made once more."""
        self._last = True
        if on is self._known[-1]:
            return True
        self._tell(on.told)
        return False

    def _correct(self, wanted: float) -> None:
        """Tell the next try what should give so many bytes of pictures."""
        last = self._known[-1]
        if self._searched is not None:
            found = _clamped(self._next_quality(math.log(max(1.0, wanted))), self._recipe.row.highest_quality_number)
            if found == last.told:  # nearer than a quarter: the next one on the right side
                found = _clamped(found + (0.25 if wanted < last.picture_bytes else -0.25), self._recipe.row.highest_quality_number)
            self._searched = found
        elif self._kbps is not None:
            self._kbps *= wanted / max(1, last.picture_bytes)

    def _next_quality(self, wanted: float) -> float:
        last = self._known[-1]
        here = math.log(max(1, last.picture_bytes))
        others = [(one.told, math.log(max(1, one.picture_bytes))) for one in self._known[:-1] if one.told != last.told]
        slope = -_AV1_STEP
        if others:
            at, log = min(others, key=lambda one: abs(one[1] - wanted))
            slope = min(-0.01, (here - log) / (last.told - at))
        return last.told + (wanted - here) / slope


def _clamped(quality: float, highest: int) -> float:
    """To quarters, which is as fine as the encoder takes it."""
    return float(Fraction(round(4 * min(float(highest), max(1.0, quality))), 4))
