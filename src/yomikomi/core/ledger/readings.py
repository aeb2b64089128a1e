"""The readings' room of the record: what was measured of takes, what people said instead, and the treatment that follows."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select

from yomikomi.core.ledger.schema import Carrier, Overruling, ReadingRow, Take, TreatmentRow
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import changes_the_picture
from yomikomi.core.treatment.model import Treatment

# So many takes are offered to be followed.
_OFFERED = 12


@dataclass(frozen=True)
class Treated:
    """The treatment that was chosen last for a carrier."""

    carrier_id: int
    label: str
    treatment: Treatment


class ReadingRoom(Room):
    def treated_last(self) -> list[Treated]:
        """Carriers by when a treatment was chosen for them, the newest first; each once, those on the shelf only."""
        newest = select(func.max(TreatmentRow.id)).join(Take).where(Take.state != "lost").group_by(Take.carrier_id)
        query = select(TreatmentRow).where(TreatmentRow.id.in_(newest)).order_by(TreatmentRow.id.desc()).limit(_OFFERED)
        with self._store.session() as session:
            rows = [(row, session.get_one(Carrier, session.get_one(Take, row.take_id).carrier_id)) for row in session.scalars(query)]
            return [Treated(carrier.id, carrier.label, Treatment.model_validate(row.treatment)) for row, carrier in rows]

    def save(self, take_id: int, reading: Reading) -> None:
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            row = ReadingRow(take_id=take_id, made_at=now_text(), document=reading.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self._store.maker.readings[row.id] = reading
            take.seconds, take.frames = reading.duration_seconds, reading.frames
            self._store.note(session, take.carrier_id, f"read: {reading.scan.kind}, {reading.rate.nominal}")

    def of(self, carrier_id: int) -> list[tuple[int, str, Reading]]:
        """Id, file name and newest reading of each take of a carrier that was read, oldest first."""
        with self._store.session() as session:
            carrier = self._store.row(session, carrier_id)
            return [
                (take.id, self._store.workspace.path(take.path).name, reading)
                for take in carrier.takes
                if take.state != "lost" and (reading := self._store.maker.newest_reading(take)) is not None
            ]

    def overrule(self, take_id: int, *, topic: str, was: str, now: str, reason: str) -> None:
        """Record a person's word against a verdict. What was chosen or tried on the old verdict no longer counts."""
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            session.add(Overruling(take_id=take_id, topic=topic, was=was, now=now, reason=reason, made_at=now_text()))
            for row in [*take.treatments, *take.trials] if changes_the_picture(topic) else []:
                session.delete(row)
            self._store.note(session, take.carrier_id, f"{topic} overruled: {was} → {now}" + (f" ({reason})" if reason else ""))

    def choose_treatment(self, take_id: int, treatment: Treatment) -> None:
        """Trials of another treatment stay on record, for whoever goes back to it."""
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            newest = take.treatments[-1] if take.treatments else None
            document = treatment.model_dump(mode="json")
            if newest is not None and newest.treatment == document:
                return
            session.add(TreatmentRow(take_id=take_id, treatment=document, digest=treatment.digest, chosen_at=now_text()))
            self._store.note(session, take.carrier_id, f"treatment chosen: {', '.join(one.step for one in treatment.steps) or 'none'}")
