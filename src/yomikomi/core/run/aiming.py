"""Hitting a size or an average rate: what the encoder is told, and told again where the first try came out beside it."""

from __future__ import annotations

import math
from fractions import Fraction

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.plan import EncoderPlan, plan_for
from yomikomi.core.recipes.rates import AverageRate, TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.video.units import size_text

# A size is a promise ("it fits"): the aim lies a little under it, and what lies over it, or more than this under it, is encoded again.
_AIM, _LEAST = 0.99, 0.98
# An average rate is no limit: so far off on either side, as a part.
_AVERAGE_OFF = 0.015
# Encodes at most, the first one counted.
_MOST_TRIES = 4
# Under this no picture is worth looking at, whatever its size (judgement); a target that leaves less is refused.
_LEAST_KBPS = 20
# How bytes of AV1 follow its quality value: by so much, as a part, a step, where nothing is known yet (measured, docs/science.md).
_AV1_STEP = 0.055


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
        self.tries = 0
        self._known: list[tuple[float, float]] = []  # what was told and the picture bytes that it gave
        if isinstance(rate, TargetSize):
            left = (_AIM * rate.size_bytes - other_bytes) * 8 / self._seconds / 1000
            if left < _LEAST_KBPS:
                raise WrongUseError(
                    f"{size_text(rate.size_bytes)} cannot hold {self._seconds:.0f} s: sound and container take {size_text(other_bytes)}.",
                    remedy="Ask for a larger size, a lower sound rate, or cut the take.",
                )
            self._kbps = left
        elif isinstance(rate, AverageRate):
            self._kbps = float(rate.kbps)

    @property
    def plan(self) -> EncoderPlan:
        kbps = max(_LEAST_KBPS, round(self._kbps)) if self._kbps is not None else None
        return plan_for(self._recipe, self._treated, kbps=kbps, quality=self._searched)

    @property
    def again_possible(self) -> bool:
        return self.tries < _MOST_TRIES

    def hit(self, *, picture_bytes: int, file_bytes: int) -> bool:
        """Whether what was made is what was meant; else the next try is told otherwise. Rates that nothing is aimed at always are."""
        self.tries += 1
        rate = self._recipe.rate
        if isinstance(rate, TargetSize):
            if _LEAST * rate.size_bytes <= file_bytes <= rate.size_bytes:
                return True
            wanted = picture_bytes + _AIM * rate.size_bytes - file_bytes
        elif isinstance(rate, AverageRate) and rate.passes == 2 and self._recipe.row.two_passes:
            wanted = rate.kbps * 125 * self._seconds
            if abs(picture_bytes / wanted - 1) <= _AVERAGE_OFF:
                return True
        else:
            return True
        self._correct(picture_bytes, wanted)
        return False

    def _correct(self, picture_bytes: int, wanted: float) -> None:
        if self._searched is not None:
            self._known.append((self._searched, math.log(max(1, picture_bytes))))
            self._searched = _clamped(self._next_quality(math.log(wanted)), self._recipe.row.highest_quality_number)
        elif self._kbps is not None:
            self._kbps *= wanted / max(1, picture_bytes)

    def _next_quality(self, wanted: float) -> float:
        last, bytes_log = self._known[-1]
        others = [(at, log) for at, log in self._known[:-1] if at != last]
        slope = -_AV1_STEP
        if others:
            at, log = min(others, key=lambda one: abs(one[1] - wanted))
            slope = min(-0.01, (bytes_log - log) / (last - at))
        return last + (wanted - bytes_log) / slope


def _clamped(quality: float, highest: int) -> float:
    """To quarters, which is as fine as the encoder takes it."""
    return float(Fraction(round(4 * min(float(highest), max(1.0, quality))), 4))
