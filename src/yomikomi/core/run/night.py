"""The night on a clock: when each copy begins and ends, with an interval, by lanes; it mends itself by what was made so far."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from yomikomi.core.run.hours import Hours

# How much is believed that copies take what was predicted, as much as so many copies that did.
_BELIEVED = 1.0
# A copy of which nothing is known is drawn as if it took so long, and may take this many times as long.
_UNKNOWN_S, _UNKNOWN_SPREAD = 600.0, 3.0


@dataclass(frozen=True)
class Span:
    """Seconds that something takes, with the interval of nine in ten."""

    low: float
    expected: float
    high: float

    def times(self, factor: float) -> Span:
        return Span(self.low * factor, self.expected * factor, self.high * factor)


@dataclass(frozen=True)
class Piece:
    """A copy that is still to be made. ``span``: from now; None: nobody knows. ``lane``: of the worker that makes it; None: it waits."""

    copy: int
    span: Span | None
    lane: int | None = None


@dataclass(frozen=True)
class Bar:
    """``known``: its length was predicted. ``earliest``, ``latest``: of its end, the interval of nine in ten."""

    copy: int
    lane: int
    begin: datetime
    end: datetime
    earliest: datetime
    latest: datetime
    known: bool = True


def mended(made: Iterable[tuple[float, float]]) -> float:
    """What predictions of time are to be multiplied with. ``made``: predicted and actual seconds of this run's copies."""
    logs = [math.log(actual / told) for told, actual in made if told > 0 and actual > 0]
    return math.exp(sum(logs) / (len(logs) + _BELIEVED))


def bars(pieces: Sequence[Piece], *, lanes: int, now: datetime, hours: Hours | None = None) -> list[Bar]:
    """In the order in which they come: what runs in its lane, the rest one after another in whichever lane is free first. Ends are late by
    the sum of all before them, and as unsure as those are together (independent of each other)."""
    free = dict.fromkeys(range(max(1, lanes)), (now, 0.0, 0.0))  # when it is, and squares of how much earlier and later that may be
    found = []
    for piece in sorted(pieces, key=lambda piece: piece.lane is None):
        lane = piece.lane if piece.lane is not None else min(free, key=lambda lane: (free[lane][0], lane))
        begin, early, late = free.get(lane, (now, 0.0, 0.0))
        span = piece.span or Span(_UNKNOWN_S / _UNKNOWN_SPREAD, _UNKNOWN_S, _UNKNOWN_S * _UNKNOWN_SPREAD)
        early, late = early + (span.expected - span.low) ** 2, late + (span.high - span.expected) ** 2
        begin = _opened(begin, hours)
        end = after(begin, span.expected, hours)
        free[lane] = end, early, late
        found.append(
            Bar(
                piece.copy, lane, begin, end, max(begin, end - timedelta(seconds=math.sqrt(early))),
                after(end, math.sqrt(late), hours), piece.span is not None,
            )
        )  # fmt: skip
    return found


def after(begin: datetime, seconds: float, hours: Hours | None) -> datetime:
    """When so many seconds of work are done that begins at ``begin``, within the hours alone."""
    at = _opened(begin, hours)
    left = timedelta(seconds=seconds)
    while hours is not None and left > timedelta():
        closes = hours.next_change(at)
        if at + left <= closes:
            break
        left -= closes - at
        at = hours.next_change(closes)
    return at + left


def _opened(at: datetime, hours: Hours | None) -> datetime:
    return at if hours is None or hours.open_at(at) else hours.next_change(at)
