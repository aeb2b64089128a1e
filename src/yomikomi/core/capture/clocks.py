"""The clocks of a recording: numbering frames by their time stamps, and how far picture and sound run apart."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

# In periods. What a stamp may be late before it is asked whether a frame is missing; so many frames are looked at then.
_SUSPICIOUS, _LOOK_AHEAD = 0.6, 12
# Where fewer can be looked at, at the end.
_CERTAIN = 0.95
# What the earliest moment moves by a frame: follows a device whose clock is up to 1000 ppm slow (crystals keep to 100; common practice,
# no source).
_LEAK = 0.001
# Earlier than expected by more than this the clock was set back; by less than that twice in a row, it was expected too late.
_SET_BACK, _EARLY = 1.5, 0.3


class FrameNumberer:
    """Gives frames of a device their numbers on a constant rate, from stamps that jitter. No frame is ever without a number.

    A stamp tells when a frame was handed on, never before it was there: it is late by what was in the way, up to nearly a period. So
    the *earliest* moments keep the rate, and a frame is missing only where every stamp from there on is late by a period: some frames
    are held back until that shows, and let go as soon as one is not late. Stamps may leap (a clock that is set): where the moments of
    arrival did not leap with them, nothing is missing.

    Parameters
    ----------
    rate : nominal, frames a second.

    ``jumps`` counts how often the clock was set; ``waiting`` how many frames are held.
    """

    def __init__(self, rate: Fraction) -> None:
        self.rate = rate
        self._period = float(1_000_000 / rate)
        self._next = 0  # the number that comes if nothing is missing
        self._earliest: float | None = None  # when frame ``_next`` could be stamped at the soonest
        self._held: list[float] = []  # stamps that are late, in order
        self._early: float | None = None
        self._steady = 0
        self._lead: float | None = None  # of stamps before arrivals, the most there was
        self._arrived: int | None = None
        self.jumps = 0

    @property
    def waiting(self) -> int:
        return len(self._held)

    def push(self, stamp_us: int, arrived_us: int | None = None) -> list[int]:
        """A frame with its stamp and its arrival (microseconds, on any two clocks). Returns the numbers that are decided by it, those of
        frames held before first; the others follow."""
        if self._earliest is None:
            self._earliest = float(stamp_us)
        leapt = self._leaps(stamp_us, arrived_us)
        decided: list[int] = []
        if leapt is not None:
            decided = self.flush()
            self.jumps += 1
            self._next += leapt
            self._earliest = float(stamp_us)
        self._held.append(float(stamp_us))
        return decided + self._decide(final=False)

    def flush(self) -> list[int]:
        """No frame comes any more (or none that goes with these): what is held is decided now."""
        return self._decide(final=True)

    def _leaps(self, stamp_us: int, arrived_us: int | None) -> int | None:
        """None, or how many frames are missing where the clock of the stamps was set."""
        assert self._earliest is not None
        before, self._arrived = self._arrived, arrived_us
        off = (stamp_us - self._earliest) / self._period - len(self._held)
        leap = off < -_SET_BACK
        if arrived_us is not None:
            lead = float(stamp_us - arrived_us)
            if self._lead is not None and lead > self._lead + _SET_BACK * self._period:
                leap = True
            self._lead = lead if leap or self._lead is None else max(self._lead, lead)
        if not leap:
            return None
        if before is None or arrived_us is None:
            return 0
        gap = round((arrived_us - before) / self._period)
        return gap - 1 if gap > 2 else 0  # arrivals jitter too

    def _decide(self, *, final: bool) -> list[int]:
        decided = []
        while self._held:
            late = [self._lateness(stamp, place) for place, stamp in enumerate(self._held)]
            least = min(late)
            full = len(self._held) >= _LOOK_AHEAD
            if least >= _SUSPICIOUS and not full and not final:
                break
            if least >= (_SUSPICIOUS if full else _CERTAIN):
                missing = int(least + 1 - (_SUSPICIOUS if full else _CERTAIN))
                assert self._earliest is not None
                self._next += missing
                self._earliest += missing * self._period
                self._steady = _LOOK_AHEAD
                late = [one - missing for one in late]
            decided.append(self._take(late[0]))
        return decided

    def _lateness(self, stamp: float, place: int) -> float:
        assert self._earliest is not None
        return (stamp - self._earliest) / self._period - place

    def _take(self, late: float) -> int:
        """Number the frame held longest, and follow the clock."""
        assert self._earliest is not None
        self._held.pop(0)
        # A gap may be set some frames before its place, where they were late too: those look early then, and move nothing.
        self._steady -= 1
        if self._steady >= 0 and late < 0:
            self._early = None
        elif late < -_EARLY:  # one such stamp may be a slip
            if self._early is not None:
                self._earliest += max(late, self._early) * self._period
                self._early = None
            else:
                self._early = late
        else:
            self._early = None
            self._earliest += min(late, _LEAK) * self._period
        self._earliest += self._period
        self._next += 1
        return self._next - 1


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
    """Slope of the line of least squares and its standard error; at least three points. ``t``, ``values``: shape=(points,), in the same
    unit as the result asks for."""
    t = t - t.mean()
    spread = float(np.sum(t * t))
    slope = float(np.sum(t * values) / spread)
    rest = values - values.mean() - slope * t
    return slope, float(np.sqrt(np.sum(rest * rest) / (len(t) - 2) / spread))
