"""How the run stands: what is being made, what waits, when each of it will be done, and what came out."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

import numpy as np

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.run.night import Night, Span, mended, night_of
from yomikomi.core.run.rules import RunRules

# Of the time that encoding takes, what proving takes on top (a decode: measured 7 to 15 %, docs/science.md).
_PROOF = 0.15
# Progress below this says little of what is left.
_LITTLE = 0.05


@dataclass(frozen=True, eq=False)
class Outlook:
    """``live``: in the order in which they come; ``ended``: the newest first; both are the same objects as long as nothing about them
    changed. ``bars``: of live copies that may come by themselves. ``factor``: what predictions of time are multiplied with, by what
    tonight's copies took."""

    live: tuple[RunRow, ...]
    ended: tuple[RunRow, ...]
    by_copy: Mapping[int, RunRow]
    bars: Night
    factor: float = 1.0

    @property
    def now(self) -> datetime:
        return self.bars.now

    @property
    def running(self) -> tuple[RunRow, ...]:
        return tuple(row for row in self.live if row.state == "running")

    @property
    def failed(self) -> tuple[RunRow, ...]:
        return tuple(row for row in self.ended if row.state in {"failed", "doubtful"})


class RunList:
    """The run's rows, kept between two looks: what did not change is not put in order, nor counted, again."""

    def __init__(self, rows: Iterable[RunRow] = ()) -> None:
        self.by_copy: dict[int, RunRow] = {}
        self._live: tuple[RunRow, ...] = ()
        self._ended: tuple[RunRow, ...] = ()
        self._factor = 1.0
        self._first: tuple[int, ...] = ()
        # Of all copies, each at its place: seconds as predicted.
        self._places: dict[int, int] = {}
        self._lengths = np.empty((0, 3))
        self._spans = np.empty((0, 3))
        self._free: tuple[int, ...] = ()
        self.put(rows)

    def put(self, rows: Iterable[RunRow]) -> None:
        """Rows that are new or changed."""
        fresh = {row.copy: row for row in rows}
        if not fresh:
            return
        before = [self.by_copy.get(copy) for copy in fresh]
        self.by_copy = {**self.by_copy, **fresh}
        for copy in fresh:
            self._places.setdefault(copy, len(self._places))
        if len(self._places) > len(self._lengths):
            self._lengths = np.concatenate([self._lengths, np.empty((max(64, 2 * len(self._places)), 3))])
        for copy, row in fresh.items():
            self._lengths[self._places[copy]] = _length(row)
        if any(not row.live for row in fresh.values()) or any(row is not None and not row.live for row in before):
            self._ended = tuple(sorted(
                (row for row in self.by_copy.values() if not row.live), key=lambda row: (row.ended_at or "", row.copy), reverse=True
            ))  # fmt: skip
            self._factor = mended((row.seconds.expected, row.took) for row in self._ended if row.seconds is not None and row.took)
        self._order(self._first)

    def look(self, progress: Mapping[int, CopyProgress], *, rules: RunRules, slots: int, now: datetime) -> Outlook:
        """``progress``: of copies that have a process; ``now``: with a time zone."""
        first = tuple(sorted(copy for copy in progress if copy in self.by_copy and self.by_copy[copy].live))
        if first != self._first:
            self._order(first)
        spans, running = self._spans, 0
        if first:
            spans = spans.copy()
            running = sum(copy in progress for copy in self._free[: len(first)])
            for place, copy in enumerate(self._free[:running]):
                spans[place] = _columns(_left(self.by_copy[copy], progress[copy], self._factor))
        bars = night_of(self._free, spans, running=running, lanes=max(slots, running), now=now, hours=rules.hours)
        return Outlook(self._live, self._ended, self.by_copy, bars, self._factor)

    def _order(self, first: tuple[int, ...]) -> None:
        """What has a process first, then by rank; what a person holds has no bar."""
        self._first = first
        live = sorted((row for row in self.by_copy.values() if row.live), key=lambda row: (row.rank, row.copy))
        self._live = (*(row for row in live if row.copy in first), *(row for row in live if row.copy not in first)) if first else (*live,)
        free = [row for row in self._live if not row.held]
        self._free = tuple(row.copy for row in free)
        self._spans = self._lengths[np.fromiter((self._places[copy] for copy in self._free), np.int64, len(self._free))] * self._factor


def _length(row: RunRow) -> tuple[float, float, float]:
    """Seconds to make and prove a copy that has no process, as predicted."""
    return _columns(row.seconds.times(_PROOF if row.step == "verify" else 1 + _PROOF) if row.seconds is not None else None)


def _columns(span: Span | None) -> tuple[float, float, float]:
    return (span.low, span.expected, span.high) if span is not None else (math.nan, math.nan, math.nan)


def _left(row: RunRow, progress: CopyProgress, factor: float) -> Span | None:
    """Seconds until a copy that has a process is made and proven."""
    whole = row.seconds.times(factor) if row.seconds is not None else None
    if progress.step == "verifying":
        return Span(progress.seconds_left, progress.seconds_left, progress.seconds_left * 1.3)
    if progress.part < _LITTLE or not progress.seconds_left:
        return whole.times(1 - progress.part + _PROOF) if whole is not None else None
    # What it came to so far against what was predicted: the further it is, the more it says.
    own = Span(progress.seconds_left * 0.8, progress.seconds_left, progress.seconds_left * 1.3)
    if whole is None:
        return own.times(1 + _PROOF)
    part = progress.part
    told = whole.times(1 - part)
    pairs = ((own.low, told.low), (own.expected, told.expected), (own.high, told.high))
    low, expected, high = (part * one + (1 - part) * other for one, other in pairs)
    return Span(low, expected, high).times(1 + _PROOF)


def total_bytes(rows: Sequence[RunRow]) -> tuple[int, float]:
    """Bytes made, and what was predicted for those of them that were predicted as a part of what they came to (1: exactly)."""
    made = [row for row in rows if row.size]
    told = [(row.size, row.sizes.expected) for row in made if row.sizes is not None and row.size]
    ratio = sum(size for size, _ in told) / sum(one for _, one in told) if told else 1.0
    return sum(row.size or 0 for row in made), ratio
