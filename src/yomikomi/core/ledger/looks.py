"""The room of the record for what people saw when they looked at copies beside their takes."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from sqlalchemy import select

from yomikomi.core.balance.models import TrialSet
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.schema import Copy, LookRow, TrialRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.looking.placing import joints, place_in_copy
from yomikomi.core.looking.spots import Risks, Spot, choose_spots
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock

VERDICTS = ("good", "poor", "wrong")
_LONGEST_NOTE = 2000
_MOST_LOSSES = 20


@dataclass(frozen=True)
class Look:
    id: int
    seconds: float
    why: str
    verdict: str
    who: str
    note: str
    at: str


class LookRoom(Room):
    def spots(self, copy_id: int, count: int) -> list[Spot]:
        """Where to look, the same ones each time it is asked. Raises WrongUseError where it is no copy that was made."""
        with self._store.session() as session:
            copy = session.get(Copy, copy_id)
            view = self._store.maker.copy(copy) if copy is not None else None
            if copy is None or view is None or view.result is None:
                raise WrongUseError("That copy was not made.", remedy="Choose one that is.")
            reading = self._store.maker.judged(copy.take)
            query = select(TrialRow).where(TrialRow.take_id == copy.take_id, TrialRow.digest == copy.digest).order_by(TrialRow.id.desc())
            row = session.scalar(query.limit(1))
            trials = self._store.maker.document(f"trials {row.id}", lambda: TrialSet.model_validate(row.document)) if row else None
            seconds = view.result.duration_seconds
        lost = [place for at in _losses(reading) if (place := place_in_copy(view.treatment, at)) is not None]
        risks = Risks(hard=_hard(trials), losses=lost, joints=joints(view.treatment))
        return choose_spots(seconds, risks, count, seed=copy_id)

    def add(self, copy_id: int, spot: Spot, verdict: str, *, who: str, note: str = "") -> None:
        """Raises WrongUseError for a verdict that is none of :data:`VERDICTS`."""
        if verdict not in VERDICTS:
            raise WrongUseError(f"The verdict {verdict!r} is not known.", remedy=f"Use one of: {', '.join(VERDICTS)}.")
        self._store.workspace.check_writable()
        with self._store.session() as session:
            copy = session.get_one(Copy, copy_id)
            session.add(LookRow(
                copy_id=copy_id, seconds=spot.seconds, why=spot.why, verdict=verdict, who=who, note=note[:_LONGEST_NOTE], at=now_text()
            ))  # fmt: skip
            words = f"looked at {copy.path.rsplit('/', 1)[-1]}, {clock(spot.seconds)} ({spot.why}): {verdict}"
            self._store.note(session, copy.take.carrier_id, words)

    def of(self, copy_id: int) -> list[Look]:
        """In the order in which they were looked at."""
        with self._store.session() as session:
            rows = session.scalars(select(LookRow).where(LookRow.copy_id == copy_id).order_by(LookRow.id))
            return [Look(row.id, row.seconds, row.why, row.verdict, row.who, row.note, row.at) for row in rows]


def _hard(trials: TrialSet | None) -> list[float]:
    """Seconds in the copy of the parts that cost most, the hardest first."""
    if trials is None:
        return []
    rate = Fraction(trials.rate)
    order = sorted(trials.segments, key=lambda one: {"hardest": 0, "whole": 1}.get(one.role, 2))
    return [float((one.first_frame + one.frames // 2) / rate) for one in order]


def _losses(reading: Reading | None) -> list[float]:
    """Seconds in the take where it lost or repeated frames."""
    if reading is None or reading.losses is None:
        return []
    rate = Fraction(reading.rate.nominal)
    places = [*reading.losses.repeated[:_MOST_LOSSES], *(first for first, _ in reading.losses.frozen[:_MOST_LOSSES])]
    return [float(one / rate) for one in places]
