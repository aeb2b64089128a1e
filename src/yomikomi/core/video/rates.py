"""Exact frame rates and the arithmetic of data rates. Rates are fractions, never floats."""

from __future__ import annotations

from fractions import Fraction
from typing import Literal

# Frame rates in use: SMPTE ST 170/274/296 rates, film, ITU-R BT.470 and their doubles.
KNOWN_RATES = tuple(
    Fraction(n, d)
    for n, d in (
        (24000, 1001), (24, 1), (25, 1), (30000, 1001), (30, 1), (48, 1), (50, 1), (60000, 1001), (60, 1),
        (100, 1), (120000, 1001), (120, 1), (240000, 1001), (240, 1), (12, 1), (15, 1), (15000, 1001),
    )
)  # fmt: skip


def nearest_known_rate(rate: Fraction, *, tolerance: float) -> Fraction | None:
    """The known rate closest to ``rate``, or None if none lies within the relative ``tolerance``."""
    best = min(KNOWN_RATES, key=lambda known: abs(known / rate - 1))
    return best if abs(float(best / rate) - 1) <= tolerance else None


def rate_family(rate: Fraction) -> Literal["24", "25", "30", ""]:
    """Rates between which pictures go over by whole steps: 23.976 and 24 · 25, 50 and 100 · 29.97, 30, 59.94, 60, 119.88 and 120
    pictures a second; empty for others. From one family to another they judder (common practice, no source)."""
    whole = round(rate)
    return "24" if whole in {24, 48} else "25" if whole in {25, 50, 100} else "30" if whole in {30, 60, 120} else ""


def rate_text(rate: Fraction) -> str:
    """A rate as people write it: 29.97, 25, 23.976."""
    value = float(rate)
    if rate.denominator == 1:
        return str(rate.numerator)
    text = f"{value:.3f}"
    return text[:-1] if text.endswith("0") else ("23.976" if text == "23.976" else f"{value:.2f}")


def fraction_text(rate: Fraction) -> str:
    """A rate as an exact fraction, ``30000/1001``; whole rates keep the denominator: ``25/1``."""
    return f"{rate.numerator}/{rate.denominator}"


def bytes_for(*, bits_per_second: Fraction, seconds: Fraction) -> int:
    """Bytes that a stream of a given rate fills in a given time, rounded up."""
    return -(-int(bits_per_second * seconds * 1) // 8)


def bits_per_second(*, size_bytes: int, seconds: Fraction) -> Fraction:
    """Mean rate of a file, in bits per second."""
    if seconds <= 0:
        raise ValueError("seconds must be positive")
    return Fraction(size_bytes * 8) / seconds


def seconds_that_fit(*, free_bytes: int, bits_per_second: float) -> float:
    """How long a drive lasts at a rate; infinite while nothing is written."""
    return free_bytes * 8 / bits_per_second if bits_per_second > 0 else float("inf")
