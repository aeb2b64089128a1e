"""How far the collection has come: hours and bytes, by month and by tag, what waits for whom, and when it will be done."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta

import numpy as np
from sqlalchemy import text

from yomikomi.core.ledger.spine import Spine
from yomikomi.core.ledger.store import Room

# Weeks that the forecast goes by, and the least with any work in them for one.
_WEEKS, _LEAST_BUSY = 16, 4
_DRAWS = 2000
# Between these parts of the drawn ends lie nine of ten true ones: a little more than the draws themselves say (on simulated years).
_HELD = (3.5, 50.0, 96.5)
# Beyond so many weeks nothing is forecast: the pace will not stay what it was.
_FARTHEST = 520
# Of a carrier whose length is not known: as long as the others, or an hour.
_HOUR_S = 3600.0

_TAKES = """
SELECT t.carrier_id, substr(t.started_at, 1, 10), coalesce(t.seconds, 0), coalesce(t.size_bytes, 0), t.state, c.details,
       json_extract(t.details, '$.operator'),
       (SELECT min(substr(k.ended_at, 1, 10)) FROM copies k WHERE k.take_id = t.id AND k.state = 'verified'),
       (SELECT sum(json_extract(k.result, '$.size_bytes')) FROM copies k WHERE k.take_id = t.id AND k.state IN ('verified', 'kept')),
       (SELECT count(*) FROM copies k WHERE k.take_id = t.id AND k.state IN ('verified', 'kept'))
FROM takes t JOIN carriers c ON c.id = t.carrier_id
WHERE t.id IN (SELECT max(id) FROM takes WHERE state NOT IN ('lost', 'recording') GROUP BY carrier_id)
"""


@dataclass(frozen=True)
class Worked:
    """The newest take of one carrier. ``verified``: the day of its first verified copy; ``out_bytes``: of its copies."""

    carrier: int
    captured: str
    seconds: float
    bytes: int
    released: bool
    tags: tuple[str, ...]
    operator: str
    verified: str | None
    out_bytes: int
    copies: int


@dataclass
class Sums:
    """Seconds of footage that came so far, and bytes: of takes, of copies, and of takes that were released."""

    carriers: int = 0
    captured: float = 0.0
    copied: float = 0.0
    verified: float = 0.0
    released: float = 0.0
    in_bytes: int = 0
    out_bytes: int = 0
    saved_bytes: int = 0

    def add(self, one: Worked) -> None:
        self.carriers += 1
        self.captured += one.seconds
        self.copied += one.seconds if one.copies else 0.0
        self.verified += one.seconds if one.verified is not None else 0.0
        self.released += one.seconds if one.released else 0.0
        self.in_bytes += one.bytes
        self.out_bytes += one.out_bytes
        self.saved_bytes += one.bytes if one.released else 0


@dataclass(frozen=True)
class End:
    """When the last carrier will be verified: the date in the middle, and those between which nine of ten lie."""

    expected: date
    earliest: date
    latest: date


@dataclass(frozen=True)
class Progress:
    """``left``: seconds that are not verified yet, of those carriers whose length is known or guessed; ``waits``: carriers by what comes
    next, for a person or for the machine; ``end`` None: too little was done yet, or it is done."""

    whole: Sums
    months: dict[str, Sums] = field(default_factory=dict)
    tags: dict[str, Sums] = field(default_factory=dict)
    operators: dict[str, Sums] = field(default_factory=dict)
    left: float = 0.0
    waits: dict[str, int] = field(default_factory=dict)
    end: End | None = None


class ProgressRoom(Room):
    def worked(self) -> list[Worked]:
        with self._store.session() as session:
            return [
                Worked(
                    row[0], row[1], float(row[2]), int(row[3]), row[4] == "released", _tags(row[5]), str(row[6] or ""), row[7],
                    int(row[8] or 0), int(row[9]),
                )
                for row in session.execute(text(_TAKES))
            ]  # fmt: skip


def progress_of(worked: Sequence[Worked], spines: Sequence[Spine], *, today: date | None = None) -> Progress:
    """``spines``: all carriers, those without a take too."""
    day = today or datetime.now(UTC).date()
    whole, months, tags, operators = Sums(), dict[str, Sums](), dict[str, Sums](), dict[str, Sums]()
    for one in worked:
        whole.add(one)
        months.setdefault(one.captured[:7], Sums()).add(one)
        operators.setdefault(one.operator, Sums()).add(one)
        for tag in one.tags:
            tags.setdefault(tag, Sums()).add(one)
    left = _left(worked, spines)
    done = [(date.fromisoformat(one.verified), one.seconds) for one in worked if one.verified is not None]
    return Progress(
        whole, dict(sorted(months.items())), dict(sorted(tags.items())), dict(sorted(operators.items())), left, _waits(spines),
        forecast_end(done, left, today=day) if left > 0 else None,
    )  # fmt: skip


def forecast_end(done: Sequence[tuple[date, float]], left: float, *, today: date) -> End | None:
    """Weeks of the past are drawn, with what was finished in them, until nothing is left.

    Parameters
    ----------
    done : day and seconds of footage of each carrier when it was first verified. ``left``: seconds.

    None where fewer than four of the last sixteen weeks had any work, or the end is too far off. The week that is not over counts for the
    days it had. Source: the bootstrap (Efron 1979; from memory); how often its intervals hold is tested on simulated years of work.
    """
    weeks = np.zeros(_WEEKS)
    for day, seconds in done:
        ago = (today - day).days // 7
        if 0 <= ago < _WEEKS:
            weeks[ago] += seconds
    begun = [(today - day).days // 7 for day, _ in done if day <= today]
    length = min(_WEEKS, max(begun, default=-1) + 1)  # before the first one nobody worked here
    past = weeks[:length]
    if np.count_nonzero(past) < _LEAST_BUSY or past.mean() <= 0:
        return None
    if left / past.mean() > _FARTHEST:
        return None
    drawn = np.random.default_rng(length)
    # The pace itself is known from these weeks alone: a second draw stands for that.
    taken = drawn.integers(0, length, size=(_DRAWS, length))
    horizon = int(min(_FARTHEST, max(8, 4 * left / past.mean()))) + 1
    paces = past[taken]
    picks = drawn.integers(0, length, size=(_DRAWS, horizon))
    totals = np.cumsum(np.take_along_axis(paces, picks, axis=1), axis=1)
    reached = np.where(totals[:, -1] >= left, np.argmax(totals >= left, axis=1) + 1, horizon)
    early, middle, late = (timedelta(weeks=float(one)) for one in np.percentile(reached, _HELD))
    return End(today + middle, today + max(timedelta(), early - timedelta(weeks=1)), today + late)


def _left(worked: Sequence[Worked], spines: Sequence[Spine]) -> float:
    ended = {one.carrier for one in worked if one.verified is not None}
    lengths = {one.carrier: one.seconds for one in worked}
    known = [one.seconds for one in worked if one.seconds] + [one.nominal_seconds for one in spines if one.nominal_seconds]
    usual = float(np.median(known)) if known else _HOUR_S
    open_ = [one for one in spines if one.id not in ended and not one.unfit]
    return sum(lengths.get(one.id) or one.nominal_seconds or usual for one in open_)


# What comes next at each station, and who does it.
_NEXT = {
    "shelf": "a player or a file, from you", "path": "a path, from you", "capture": "the capture, by you",
    "reading": "the reading, by the machine", "treatment": "a treatment, from you", "balance": "a choice of copies, from you",
    "run": "the run, by the machine",
}  # fmt: skip


def _waits(spines: Sequence[Spine]) -> dict[str, int]:
    unfit = "a conservator: not to be played"
    unfit = "a conservator: not to be played"
    counts = Counter(unfit if one.unfit and one.take is None else _NEXT.get(one.next_station, "") for one in spines)
    return {words: count for words, count in counts.most_common() if words}


def _tags(details: str | None) -> tuple[str, ...]:
    try:
        found = json.loads(details or "{}").get("tags") or ()
    except (ValueError, AttributeError):
        return ()
    return tuple(str(one) for one in found) if isinstance(found, list) else ()
