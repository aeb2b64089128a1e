"""Marked length and running time of tapes and discs.

Common practice, no source: the minutes on the shell hold at the standard speed; the slow speeds run two and three times as
long. Tapes are cut a little long: running time may exceed the marked minutes by a few per cent.
"""

from __future__ import annotations

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.carriers import CarrierKind

# How much longer than marked a tape may run (common practice, no source: 2 to 5 min an hour of spare).
LONGEST_OVER_MARKED = 1.05


def factor_of(kind: CarrierKind, speed: str) -> float:
    """Running time over marked time. Raises WrongUseError for a speed the kind does not have."""
    for words, factor in kind.speeds:
        if words.lower() == speed.strip().lower():
            return factor
    known = ", ".join(words for words, _ in kind.speeds) or "no speeds"
    raise WrongUseError(f"{kind.words} has no speed {speed!r}.", remedy=f"It has: {known}.")


def running_seconds(kind: CarrierKind, *, marked_minutes: float, speed: str) -> float:
    """Nominal running time in seconds of a carrier with ``marked_minutes`` on it, recorded at ``speed``."""
    return 60.0 * marked_minutes * factor_of(kind, speed)


def marked_minutes_for(kind: CarrierKind, *, seconds: float, speed: str) -> float:
    """The marked minutes that hold ``seconds`` at ``speed``."""
    return seconds / 60.0 / factor_of(kind, speed)
