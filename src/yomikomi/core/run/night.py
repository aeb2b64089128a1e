"""The night on a clock: when each copy begins and ends, with an interval, by lanes; it mends itself by what was made so far.

Thousands of copies are looked at once a second, so that they are kept as columns; a :class:`Bar` is made of those that are asked for.
"""

from __future__ import annotations

import heapq
import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.run.hours import Hours

# How much is believed that copies take what was predicted, as much as so many copies that did.
_BELIEVED = 1.0
# A copy of which nothing is known is drawn as if it took so long, and may take this many times as long.
_UNKNOWN_S, _UNKNOWN_SPREAD = 600.0, 3.0
_UNKNOWN = (_UNKNOWN_S / _UNKNOWN_SPREAD, _UNKNOWN_S, _UNKNOWN_S * _UNKNOWN_SPREAD)
_DAY_S = 86_400.0

# A column, shape (copies,): seconds after the moment of the look, on the clock on the wall.
Seconds = NDArray[np.float64]


@dataclass(frozen=True)
class Span:
    """Seconds that something takes, with the interval of nine in ten."""

    low: float
    expected: float
    high: float

    def times(self, factor: float) -> Span:
        return Span(self.low * factor, self.expected * factor, self.high * factor)


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


@dataclass(frozen=True, eq=False)
class Night(Mapping[int, Bar]):
    """Bars by copy, in the order in which they come.

    Parameters
    ----------
    now : with a time zone; what the columns count from.
    copies : their numbers, each once.
    lane, begin, end, earliest, latest, known : columns, one value a copy.
    """

    now: datetime
    copies: tuple[int, ...]
    lane: NDArray[np.int64]
    begin: Seconds
    end: Seconds
    earliest: Seconds
    latest: Seconds
    known: NDArray[np.bool_]
    places: Mapping[int, int]

    def __getitem__(self, copy: int) -> Bar:
        place = self.places[copy]
        begin, end, earliest, latest = (
            self.now + timedelta(seconds=float(column[place])) for column in (self.begin, self.end, self.earliest, self.latest)
        )
        return Bar(copy, int(self.lane[place]), begin, end, earliest, latest, bool(self.known[place]))

    def __iter__(self) -> Iterator[int]:
        return iter(self.copies)

    def __len__(self) -> int:
        return len(self.copies)

    @property
    def last(self) -> Bar | None:
        """The one that ends last."""
        return self[self.copies[int(np.argmax(self.end))]] if self.copies else None

    @property
    def unknown(self) -> int:
        """How many were not predicted."""
        return len(self.copies) - int(np.count_nonzero(self.known))


def mended(made: Iterable[tuple[float, float]]) -> float:
    """What predictions of time are to be multiplied with. ``made``: predicted and actual seconds of this run's copies."""
    logs = [math.log(actual / told) for told, actual in made if told > 0 and actual > 0]
    return math.exp(sum(logs) / (len(logs) + _BELIEVED))


def night_of(
    copies: Sequence[int], spans: NDArray[np.float64], *, running: int, lanes: int, now: datetime, hours: Hours | None = None
) -> Night:
    """Copies one after another, in whichever lane is free first. Ends are late by the sum of all before them, and as unsure as those are
    together (independent of each other).

    Parameters
    ----------
    copies : in the order in which they come; the first ``running`` of them have a worker each already.
    spans : ndarray [shape=(copies, 3), float64]: seconds from now, low, expected, high; NaN where nobody knows.
    lanes : workers, at least 1.
    """
    known = np.logical_not(np.isnan(spans).any(axis=1))
    low, expected, high = np.where(known[:, None], spans, _UNKNOWN).T
    lane, begin = _taken(expected.tolist(), running, max(1, lanes, running))
    early, late = np.square(expected - low), np.square(high - expected)
    for one in np.unique(lane):
        of_lane = lane == one
        early[of_lane], late[of_lane] = np.cumsum(early[of_lane]), np.cumsum(late[of_lane])
    end = begin + expected
    clock = _WorkClock(now, hours)
    begins = clock.begins(begin)
    ends, earliest, latest = (np.maximum(begins, clock.ends(one)) for one in (end, end - np.sqrt(early), end + np.sqrt(late)))
    return Night(
        now, tuple(copies), lane, begins, ends, earliest, latest, known, {copy: place for place, copy in enumerate(copies)}
    )  # fmt: skip


def _taken(lengths: Sequence[float], running: int, lanes: int) -> tuple[NDArray[np.int64], Seconds]:
    """Lane and begin of each, in seconds of work; shape (copies,) both."""
    if lanes == 1 and lengths:
        return np.zeros(len(lengths), np.int64), np.concatenate([[0.0], np.cumsum(lengths[:-1])])
    free = [(length, lane) for lane, length in enumerate(lengths[:running])] + [(0.0, lane) for lane in range(running, lanes)]
    heapq.heapify(free)
    lane_of, begin_of = list(range(running)), [0.0] * running
    for length in lengths[running:]:
        begin, lane = free[0]
        heapq.heapreplace(free, (begin + length, lane))
        lane_of.append(lane)
        begin_of.append(begin)
    return np.array(lane_of, np.int64), np.array(begin_of, np.float64)


class _WorkClock:
    """Seconds of work, which goes on within the hours alone, to seconds on the wall."""

    def __init__(self, now: datetime, hours: Hours | None) -> None:
        self._always = hours is None
        if hours is None:
            return
        change = hours.next_change(now)
        open_now = hours.open_at(now)
        # Until they close if they are open; when they open next; how long they are open a day.
        self._first = (change - now).total_seconds() if open_now else 0.0
        opens = hours.next_change(change) if open_now else change
        self._opens = (opens - now).total_seconds()
        self._a_day = (hours.next_change(opens) - opens).total_seconds()

    def begins(self, work: Seconds) -> Seconds:
        """What would begin as they close begins as they open next; shape (copies,)."""
        if self._always:
            return work
        rest = work - self._first
        return np.where(rest < 0, work, self._later(rest, np.floor(rest / self._a_day)))

    def ends(self, work: Seconds) -> Seconds:
        """What is done as they close is done by then; shape (copies,)."""
        if self._always:
            return work
        rest = work - self._first
        return np.where(rest <= 0, work, self._later(rest, np.ceil(rest / self._a_day) - 1))

    def _later(self, rest: Seconds, day: Seconds) -> Seconds:
        """Shape (copies,)."""
        return self._opens + day * _DAY_S + rest - day * self._a_day
