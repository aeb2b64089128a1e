"""Marked length and running time of tapes and discs.

Common practice, no source: the minutes on the shell hold at the standard speed; the slow speeds run two and three times as
long. Tapes are cut a little long: running time may exceed the marked minutes by a few per cent. A cassette marked T holds its
minutes in recorders of 525 lines, one marked E in those of 625 lines, which pull it more slowly.
"""

from __future__ import annotations

import re

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.carriers import CarrierKind
from yomikomi.core.planning.intake import Cassette
from yomikomi.core.video.units import number_text, parse_number

# How much longer than marked a tape may run (common practice, no source: 2 to 5 min an hour of spare).
LONGEST_OVER_MARKED = 1.05
# Tape speeds of VHS: 33.35 mm/s in 525 lines, 23.39 mm/s in 625 (IEC 60774-1; from memory): a T cassette runs 1.43 times as long in 625.
T_IN_625 = 33.35 / 23.39
_MARKED = re.compile(r"^\s*(?:([TE])\s*[-\N{NON-BREAKING HYPHEN} ]?\s*)?([0-9.,]+)\s*(?:min\w*)?\s*$", re.IGNORECASE)


def factor_of(kind: CarrierKind, speed: str, *, lines: str | None = None, cassette: Cassette = "") -> float:
    """Running time over marked time at a speed, in recorders of ``lines`` (``525i``, ``625i``; None: as marked) for a cassette that
    is marked T or E. Raises WrongUseError for a speed the kind does not have."""
    speeds = kind.speeds_625 if lines == "625i" and kind.speeds_625 else kind.speeds
    for words, factor in speeds:
        if words.lower() == speed.strip().lower():
            return factor * _pulled(lines, cassette)
    known = ", ".join(words for words, _ in kind.speeds) or "no speeds"
    raise WrongUseError(f"{kind.words} has no speed {speed!r}.", remedy=f"It has: {known}.")


def _pulled(lines: str | None, cassette: Cassette) -> float:
    return {("625i", "T"): T_IN_625, ("525i", "E"): 1 / T_IN_625}.get((lines or "", cassette), 1.0)


def running_seconds(kind: CarrierKind, *, marked_minutes: float, speed: str, lines: str | None = None, cassette: Cassette = "") -> float:
    """Nominal running time in seconds of a carrier with ``marked_minutes`` on it, recorded at ``speed``."""
    return 60.0 * marked_minutes * factor_of(kind, speed, lines=lines, cassette=cassette)


def marked_minutes_for(kind: CarrierKind, *, seconds: float, speed: str, lines: str | None = None, cassette: Cassette = "") -> float:
    """The marked minutes that hold ``seconds`` at ``speed``."""
    return seconds / 60.0 / factor_of(kind, speed, lines=lines, cassette=cassette)


def parse_marked(words: str) -> tuple[float, Cassette] | None:
    """``120``, ``120 min``, ``T-120``, ``E180`` to minutes and the cassette's letter; None for what is none of these."""
    found = _MARKED.match(words[:40])
    value = parse_number(found[2]) if found else None
    if found is None or value is None or not 0 < value <= 6000:
        return None
    letter = (found[1] or "").upper()
    return float(value), "T" if letter == "T" else "E" if letter == "E" else ""


def marked_text(minutes: float, cassette: Cassette = "") -> str:
    """As it stands on the shell: ``120``, ``T-120``."""
    return f"{cassette}-{number_text(minutes)}" if cassette else number_text(minutes)
