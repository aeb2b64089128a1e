"""The true frame rate, from time stamps, and whether it is constant."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.rates import nearest_known_rate

# A frame may stand this part of a period beside its place in a constant rate (jittered stamps of capture boxes).
_TOLERANCE = 0.3


@dataclass(frozen=True)
class RateVerdict:
    """``nominal`` is exact; ``gaps`` counts places where frames are missing, ``missing`` how many."""

    nominal: Fraction
    constant: bool
    gaps: int
    missing: int
    told_by: str


def judge_rate(stamps: list[int | None], *, time_base: Fraction, declared: Fraction | None) -> RateVerdict:
    """Find the rate of a list of time stamps in showing order.

    Parameters
    ----------
    stamps : ticks of ``time_base``, None where a frame carries none.
    declared : what the container says, used when stamps are missing or too few to tell 29.97 from 30.
    """
    known = np.array([stamp for stamp in stamps if stamp is not None], np.int64)
    if len(known) < 3 or len(known) < len(stamps) // 2:
        return RateVerdict(declared or Fraction(25), True, 0, 0, "header")
    steps = np.diff(known)
    steps = steps[steps > 0]
    if not len(steps):
        return RateVerdict(declared or Fraction(25), False, 0, 0, "header")
    nominal, told_by = _nominal(known, steps, time_base, declared)
    period = float(1 / (nominal * time_base))
    gaps = [round(step / period) - 1 for step in steps if step > 1.5 * period + 1 and _whole(step / period)]
    constant = _constant(known, period)
    return RateVerdict(nominal, constant, len(gaps) if not constant else 0, sum(gaps) if not constant else 0, told_by)


def _nominal(known: NDArray[np.int64], steps: NDArray[np.int64], time_base: Fraction, declared: Fraction | None) -> tuple[Fraction, str]:
    typical = float(np.median(steps))
    usual = steps[np.abs(steps - typical) <= max(1.0, 0.25 * typical)]
    ticks, count = Fraction(int(usual.sum())), len(usual)
    measured = 1 / (ticks / count * time_base)
    if len(set(usual.tolist())) == 1 and time_base < Fraction(1, 5000):
        exact = 1 / (int(usual[0]) * time_base)  # a fine clock with one step: the rate is exact
        return nearest_known_rate(exact, tolerance=2e-5) or exact, "time stamps"
    # Rounded stamps (Matroska keeps whole milliseconds): the mean step is known to a tick over the whole length.
    doubt = float(1 / ticks)
    if declared and abs(float(measured / declared) - 1) <= max(2 * doubt, 2e-5):
        return nearest_known_rate(declared, tolerance=1e-4) or declared, "time stamps and header"
    found = nearest_known_rate(measured, tolerance=max(1.5 * doubt, 2e-4))
    return (found, "time stamps") if found else (measured.limit_denominator(1001), "time stamps")


def _constant(known: NDArray[np.int64], period: float) -> bool:
    """Whether every frame stands in its place, within a tolerance, at this period."""
    if np.any(np.diff(known) <= 0):
        return False
    places = (known - known[0]) / period
    ideal = np.arange(len(known))
    return bool(np.all(np.abs(places - ideal - np.median(places - ideal)) <= _TOLERANCE + 1.5 / period))


def _whole(value: float) -> bool:
    return abs(value - round(value)) < 0.2
