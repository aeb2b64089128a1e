"""Reading and writing the record. Every method is a short transaction; views that leave are frozen."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import select

from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.ledger.base import now_text
from yomikomi.core.ledger.captures import CaptureRecord
from yomikomi.core.ledger.schema import Carrier, Copy, Event, Overruling, ReadingRow, Take, TreatmentRow, TrialRow
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import changes_the_picture
from yomikomi.core.run.copying import CopyResult
from yomikomi.core.treatment.chain import Treatment
from yomikomi.core.video.timecode import clock


class Record(CaptureRecord):
    """All that the stations ask of the workspace."""

    def end_cut_off_copies(self) -> None:
        """Copies that were being made when the program ended did not get done."""
        with self._session() as session:
            for copy in session.scalars(select(Copy).where(Copy.state == "running")):
                copy.state, copy.trouble, copy.ended_at = "failed", "the program ended while it was made", now_text()

    def save_reading(self, take_id: int, reading: Reading) -> None:
        with self._session() as session:
            take = session.get_one(Take, take_id)
            row = ReadingRow(take_id=take_id, made_at=now_text(), document=reading.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self.maker.readings[row.id] = reading
            take.seconds, take.frames = reading.duration_seconds, reading.frames
            self._note(session, take.carrier_id, f"read: {reading.scan.kind}, {reading.rate.nominal}")

    def readings_of(self, carrier_id: int) -> list[tuple[int, str, Reading]]:
        """Id, file name and newest reading of each take of a carrier that was read, oldest first."""
        with self._session() as session:
            carrier = self._row(session, carrier_id)
            return [
                (take.id, self.workspace.path(take.path).name, Reading.model_validate(take.readings[-1].document))
                for take in carrier.takes
                if take.readings and take.state != "lost"
            ]

    def overrule(self, take_id: int, *, topic: str, was: str, now: str, reason: str) -> None:
        """Record a person's word against a verdict. What was chosen or tried on the old verdict no longer counts."""
        with self._session() as session:
            take = session.get_one(Take, take_id)
            session.add(Overruling(take_id=take_id, topic=topic, was=was, now=now, reason=reason, made_at=now_text()))
            for row in [*take.treatments, *take.trials] if changes_the_picture(topic) else []:
                session.delete(row)
            self._note(session, take.carrier_id, f"{topic} overruled: {was} → {now}" + (f" ({reason})" if reason else ""))

    def choose_treatment(self, take_id: int, treatment: Treatment) -> None:
        with self._session() as session:
            take = session.get_one(Take, take_id)
            order = treatment.field_order.value if treatment.field_order else None
            newest = take.treatments[-1] if take.treatments else None
            if newest is not None and (newest.deinterlace, newest.field_order) == (treatment.deinterlace.value, order):
                return
            session.add(TreatmentRow(take_id=take_id, deinterlace=treatment.deinterlace.value, field_order=order, chosen_at=now_text()))
            for row in take.trials:
                session.delete(row)
            self._note(session, take.carrier_id, f"treatment chosen: {treatment.deinterlace.value}")

    def save_trials(self, take_id: int, trials: TrialSet, folder: Path) -> None:
        with self._session() as session:
            row = TrialRow(take_id=take_id, made_at=now_text(), folder=self.workspace.keep(folder), document=trials.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self.maker.trials[row.id] = trials
            carrier = session.get_one(Take, take_id).carrier_id
            self._note(session, carrier, f"{len(trials.points)} recipes tried in {clock(trials.trial_seconds)}")

    def ask_copy(self, take_id: int, recipe: Recipe, treatment: Treatment, predicted: Prediction | None, target: Path) -> int:
        with self._session() as session:
            order = treatment.field_order.value if treatment.field_order else None
            row = Copy(
                take_id=take_id, path=self.workspace.keep(target), state="waiting", recipe=recipe.model_dump(mode="json"),
                deinterlace=treatment.deinterlace.value, field_order=order,
                predicted=predicted.model_dump(mode="json") if predicted else None, result=None, asked_at=now_text(), ended_at=None,
            )  # fmt: skip
            session.add(row)
            session.flush()
            return row.id

    def planned_names(self) -> set[str]:
        """Names that waiting copies will take."""
        with self._session() as session:
            return {Path(p).name for p in session.scalars(select(Copy.path).where(Copy.state.in_(("waiting", "running"))))}

    def start_copy(self, copy_id: int) -> None:
        with self._session() as session:
            session.get_one(Copy, copy_id).state = "running"

    def end_copy(self, copy_id: int, *, result: CopyResult | None, state: str = "", trouble: str = "") -> None:
        """``state`` follows from the result unless it is given (failed, cancelled)."""
        with self._session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state = state or ("verified" if result and result.verified else "doubtful")
            copy.result = result.model_dump(mode="json") if result else None
            copy.trouble, copy.ended_at = trouble, now_text()
            name = Path(copy.path).name
            self._note(session, copy.take.carrier_id, f"copy {name}: {copy.state}" + (f" ({trouble})" if trouble else ""))

    def copies(self) -> list[CopyView]:
        with self._session() as session:
            return [self.maker.copy(row) for row in session.scalars(select(Copy).order_by(Copy.id))]

    def events(self, carrier_id: int | None = None, limit: int = 200) -> list[tuple[str, str, str]]:
        """History, newest first: time, carrier's label, words."""
        with self._session() as session:
            query = select(Event, Carrier.label).join(Carrier, Event.carrier_id == Carrier.id, isouter=True)
            if carrier_id is not None:
                query = query.where(Event.carrier_id == carrier_id)
            rows = session.execute(query.order_by(Event.id.desc()).limit(limit)).all()
            return [(event.at, label or "", event.words) for event, label in rows]
