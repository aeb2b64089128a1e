"""The clocks of a recording: numbering frames by their time stamps, and how far picture and sound run apart."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

# How quickly the expected moment follows the stamps: slow against jitter, quick against a clock that is off by 100 ppm.
_FOLLOW = 0.05
# A stamp this many periods ahead of the expected moment is a jump of the clock, not a gap.
_JUMP_PERIODS = 3000


class FrameNumberer:
    """Gives frames of a device their numbers on a constant rate, from stamps that jitter.

    A frame that lies nearer to the next place counts for it, so that what was lost stays a gap; one that comes in the place of
    the frame before it (a stamp repeated) is told apart with None.

    Parameters
    ----------
    rate : nominal, frames a second.
    """

    def __init__(self, rate: Fraction) -> None:
        self.rate = rate
        self._period_us = float(1_000_000 / rate)
        self._expected: float | None = None
        self._number = -1
        self.jumps = 0

    def number(self, stamp_us: int) -> int | None:
        if self._expected is None:
            self._expected, self._number = stamp_us + self._period_us, 0
            return 0
        off = stamp_us - self._expected
        steps = round(off / self._period_us)
        if abs(steps) > _JUMP_PERIODS:  # the clock was set anew: go on from here
            self.jumps += 1
            steps, off = 0, 0.0
            self._expected = float(stamp_us)
        if steps < 0:
            return None
        self._number += 1 + steps
        self._expected += (1 + steps) * self._period_us + _FOLLOW * (off - steps * self._period_us)
        return self._number


@dataclass(frozen=True)
class Drift:
    """``ms_per_hour``: how much the sound runs ahead of the picture (negative: behind), with its standard error."""

    ms_per_hour: float
    error: float

    @property
    def sure(self) -> bool:
        """It differs from none by more than three times its error, and by more than a frame in two hours."""
        return abs(self.ms_per_hour) > max(3 * self.error, 15.0)


class DriftWatch:
    """Compares where the sound is, by counted samples, with when it came, by the clock of the pictures.

    One observation a second is kept; the slope is a line of least squares.
    """

    def __init__(self, sound_rate: int) -> None:
        self.sound_rate = sound_rate
        self._seen: deque[tuple[float, float]] = deque(maxlen=10_000)
        self._first: tuple[int, int] | None = None
        self._drift: Drift | None = None

    def heard(self, start: int, stamp_us: int | None) -> None:
        if stamp_us is None:
            return
        if self._first is None:
            self._first = (start, stamp_us)
        elapsed = (stamp_us - self._first[1]) / 1e6
        if self._seen and elapsed - self._seen[-1][0] < 1.0:
            return
        ahead_ms = ((start - self._first[0]) / self.sound_rate - elapsed) * 1000
        self._seen.append((elapsed, ahead_ms))
        self._drift = self._fit() if len(self._seen) >= 10 else None

    def drift(self) -> Drift | None:
        """None until ten seconds were seen."""
        return self._drift

    def _fit(self) -> Drift:
        slope, error = line_through(*np.array(self._seen).T)
        return Drift(slope * 3600, error * 3600)


def line_through(t: NDArray[np.float64], values: NDArray[np.float64]) -> tuple[float, float]:
    """Slope of the line of least squares and its standard error; at least three points."""
    t = t - t.mean()
    spread = float(np.sum(t * t))
    slope = float(np.sum(t * values) / spread)
    rest = values - values.mean() - slope * t
    return slope, float(np.sqrt(np.sum(rest * rest) / (len(t) - 2) / spread))
