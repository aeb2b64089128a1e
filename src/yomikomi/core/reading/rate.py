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
    """``nominal`` is exact; ``gaps`` counts places where frames are missing, ``missing`` how many. ``gap_places``: frame before
    each gap and how many are missing there; ``jitter_ms``: standard deviation about a constant rate; ``off_places``: frames out
    of their place."""

    nominal: Fraction
    constant: bool
    gaps: int
    missing: int
    told_by: str
    gap_places: tuple[tuple[int, int], ...] = ()
    jitter_ms: float = 0.0
    off_places: tuple[int, ...] = ()


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
    forward = steps[steps > 0]
    if not len(forward):
        return RateVerdict(declared or Fraction(25), False, 0, 0, "header")
    # How many frames each step stands for; an odd one out moves neither the number of a frame nor the slope much.
    jumps = np.round(steps / float(np.median(forward))).astype(np.int64)
    numbers = np.concatenate([[0], np.cumsum(jumps)])
    nominal, told_by = _nominal(known, numbers, forward, time_base, declared)
    wide = np.flatnonzero(jumps > 1)
    period = float(1 / (nominal * time_base))
    off = known - known[0] - numbers * period
    off = off - np.median(off)
    constant = not len(wide) and _in_place(known, period)
    outside = np.flatnonzero(np.abs(off) > _TOLERANCE * period + 1.5) if not constant else np.zeros(0, np.int64)
    return RateVerdict(
        nominal, constant, len(wide), int((jumps[wide] - 1).sum()), told_by,
        gap_places=tuple((int(at), int(jumps[at] - 1)) for at in wide), jitter_ms=float(np.std(off) * time_base * 1000),
        off_places=tuple(int(at) for at in outside),
    )  # fmt: skip


def _nominal(
    known: NDArray[np.int64], numbers: NDArray[np.int64], forward: NDArray[np.int64], time_base: Fraction, declared: Fraction | None
) -> tuple[Fraction, str]:
    step = int(forward.min())
    if time_base < Fraction(1, 5000) and not np.any(forward % step):
        exact = 1 / (step * time_base)  # a fine clock whose steps are all multiples of one: the rate is exact
        return nearest_known_rate(exact, tolerance=2e-5) or exact, "time stamps"
    period, doubt = _slope(known, numbers)
    measured = 1 / (Fraction(period) * time_base)
    if declared and abs(float(measured / declared) - 1) <= max(2 * doubt, 2e-5):
        return nearest_known_rate(declared, tolerance=1e-4) or declared, "time stamps and header"
    found = nearest_known_rate(measured, tolerance=max(1.5 * doubt, 2e-4))
    return (found, "time stamps") if found else (measured.limit_denominator(1001), "time stamps")


def _slope(known: NDArray[np.int64], numbers: NDArray[np.int64]) -> tuple[float, float]:
    """Ticks a frame by least squares, and the relative doubt about it (two standard errors).

    Rounded stamps (Matroska keeps whole milliseconds) and jitter average out; the doubt cannot fall below half a tick at
    either end of the whole.
    """
    x, y = numbers - numbers.mean(), known - known.mean()
    spread = float((x * x).sum())
    if spread == 0:
        return float(np.median(np.diff(known))), 1.0
    period = float((x * y).sum()) / spread
    error = float(np.sqrt(((y - period * x) ** 2).sum() / max(1, len(known) - 2) / spread))
    return period, 2 * error / period + 0.5 / abs(float(known[-1] - known[0]) or 1.0)


def _in_place(known: NDArray[np.int64], period: float) -> bool:
    """Whether every frame stands in its place, within a tolerance, at this period."""
    if np.any(np.diff(known) <= 0):
        return False
    off = (known - known[0]) / period - np.arange(len(known))
    return bool(np.all(np.abs(off - np.median(off)) <= _TOLERANCE + 1.5 / period))
