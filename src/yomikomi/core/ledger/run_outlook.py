"""How the run stands: what is being made, what waits, when each of it will be done, and what came out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.run.night import Bar, Piece, Span, bars, mended
from yomikomi.core.run.rules import RunRules

# Of the time that encoding takes, what proving takes on top (a decode: measured 7 to 15 %, docs/science.md).
_PROOF = 0.15
# Progress below this says little of what is left.
_LITTLE = 0.05


@dataclass(frozen=True)
class Outlook:
    """``live``: in the order in which they come; ``ended``: the newest first. ``bars``: of live copies that may come by themselves, by
    copy. ``factor``: what predictions of time are multiplied with, by what tonight's copies took."""

    live: tuple[RunRow, ...]
    ended: tuple[RunRow, ...]
    bars: Mapping[int, Bar] = field(default_factory=dict)
    factor: float = 1.0
    now: datetime | None = None

    @property
    def running(self) -> tuple[RunRow, ...]:
        return tuple(row for row in self.live if row.state == "running")

    @property
    def failed(self) -> tuple[RunRow, ...]:
        return tuple(row for row in self.ended if row.state in {"failed", "doubtful"})

    @property
    def last(self) -> Bar | None:
        """The one that ends last."""
        return max(self.bars.values(), key=lambda bar: bar.end, default=None)


def outlook(
    rows: Iterable[RunRow], progress: Mapping[int, CopyProgress], *, rules: RunRules, slots: int, now: datetime,
    since: str | None = None,
) -> Outlook:  # fmt: skip
    """``progress``: of copies that have a process; ``since``: ended copies from then on (ISO 8601, UTC) tell how true predictions are."""
    found = list(rows)
    live = sorted((row for row in found if row.live), key=lambda row: (row.copy not in progress, row.rank, row.copy))
    ended = sorted((row for row in found if not row.live), key=lambda row: (row.ended_at or "", row.copy), reverse=True)
    told = [
        (row.seconds.expected, row.took)
        for row in ended if row.seconds is not None and row.took and (since is None or (row.ended_at or "") >= since)
    ]  # fmt: skip
    factor = mended(told)
    pieces, lane = [], 0
    for row in live:
        if row.held:
            continue
        runs = row.copy in progress
        pieces.append(Piece(row.copy, _left(row, progress.get(row.copy), factor), lane if runs else None))
        lane += runs
    found_bars = bars(pieces, lanes=max(slots, lane), now=now, hours=rules.hours)
    return Outlook(tuple(live), tuple(ended), {bar.copy: bar for bar in found_bars}, factor, now)


def _left(row: RunRow, progress: CopyProgress | None, factor: float) -> Span | None:
    """Seconds until a copy is made and proven."""
    whole = row.seconds.times(factor) if row.seconds is not None else None
    if progress is None:
        if row.step == "verify":
            return whole.times(_PROOF) if whole is not None else None
        return whole.times(1 + _PROOF) if whole is not None else None
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
