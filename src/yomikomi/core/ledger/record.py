"""Reading and writing the record. Every method is a short transaction; views that leave are frozen."""

from __future__ import annotations

import secrets
import shutil
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.ledger.base import now_text
from yomikomi.core.ledger.captures import CaptureRecord
from yomikomi.core.ledger.schema import Carrier, Copy, Event, Overruling, ReadingRow, Take, TreatmentRow, TrialRow
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import changes_the_picture
from yomikomi.core.run.copying import CopyResult
from yomikomi.core.treatment.chain import Treatment
from yomikomi.core.video.timecode import spoken
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import rename_new

# Written beside copies that the program's end interrupted.
INTERRUPTED = "interrupted when the program ended; it is made anew"


@dataclass(frozen=True)
class Ground:
    """What figures of a take hold for: the id of its newest reading, how often it was overruled, and its treatment."""

    reading: int | None
    overrulings: int
    deinterlace: str | None
    field_order: str | None


@dataclass(frozen=True)
class CopyWork:
    """What a copy is made of."""

    carrier: str
    path: Path
    target: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe


class Record(CaptureRecord):
    """All that the stations ask of the workspace."""

    def requeue_cut_off_copies(self) -> int:
        """Copies that were being made when the program ended wait again. Returns how many there are that the end interrupted."""
        if self.workspace.read_only:
            return 0
        with self._session() as session:
            for copy in session.scalars(select(Copy).where(Copy.state == "running")):
                copy.state, copy.trouble = "waiting", INTERRUPTED
            session.flush()
            query = select(Copy.id).where(Copy.state == "waiting", Copy.trouble == INTERRUPTED)
            return len(session.scalars(query).all())

    def requeue_copy(self, copy_id: int) -> None:
        """The program ends while a copy is made: it waits for the next start."""
        with self._session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state, copy.trouble = "waiting", INTERRUPTED

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
                (take.id, self.workspace.path(take.path).name, reading)
                for take in carrier.takes
                if take.state != "lost" and (reading := self.maker.newest_reading(take)) is not None
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

    def save_trials(self, take_id: int, trials: TrialSet, folder: Path, *, ground: Ground | None = None) -> bool:
        """``ground``: the treatment and the reading that the trials were made on. False, and nothing kept, where the take has another
        by now: they would be taken for figures of that one."""
        with self._session() as session:
            if ground is not None and ground != self._ground(session, take_id):
                return False
            row = TrialRow(take_id=take_id, made_at=now_text(), folder=self.workspace.keep(folder), document=trials.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self.maker.trials[row.id] = trials
            carrier = session.get_one(Take, take_id).carrier_id
            self._note(session, carrier, f"{len(trials.points)} recipes tried in {spoken(trials.trial_seconds)}")
            return True

    def new_trials_folder(self, take_id: int) -> Path:
        """A folder of their own for the pictures of a set of trials; those of earlier sets of the take go. Raises WorkspaceError, and
        what :func:`drive_error` makes of an OSError."""
        self.workspace.check_writable()
        beside = self.workspace.folder / "trials"
        with self._session() as session:
            kept = {Path(folder).name for folder in session.scalars(select(TrialRow.folder).where(TrialRow.take_id == take_id))}
        for old in beside.glob(f"take-{take_id}-*"):
            if old.name not in kept and not old.is_symlink():
                shutil.rmtree(old, ignore_errors=True)
        folder = beside / f"take-{take_id}-{secrets.token_hex(4)}"
        try:
            folder.mkdir()
        except OSError as error:
            raise drive_error(error, folder) from error
        return folder

    def ground(self, take_id: int) -> Ground:
        """What trials and copies of a take would be made on now."""
        with self._session() as session:
            return self._ground(session, take_id)

    @staticmethod
    def _ground(session: Session, take_id: int) -> Ground:
        take = session.get_one(Take, take_id)
        newest = take.treatments[-1] if take.treatments else None
        return Ground(
            reading=take.readings[-1].id if take.readings else None, overrulings=len(take.overrulings),
            deinterlace=newest.deinterlace if newest else None, field_order=newest.field_order if newest else None,
        )  # fmt: skip

    def copy_work(self, copy_id: int) -> CopyWork:
        """What a waiting copy is made of: its own take, whatever newer ones its carrier has. Raises UnfinishedError with the reason why
        it cannot be made."""
        self.workspace.check_writable()
        with self._session() as session:
            copy = session.get_one(Copy, copy_id)
            take = copy.take
            view = self.maker.copy(copy)
            reading = self.maker.judged(take)
            path, target = self.workspace.path(take.path), self.workspace.path(copy.path)
            label = take.carrier.label
        if view is None or reading is None:
            raise UnfinishedError("Its take has no reading any more.", remedy="Read the take, then ask for the copy again.")
        if take.state == "lost":
            raise UnfinishedError("Its take is lost.", remedy="Capture it again.")
        if not self.workspace.holds(target.parent):
            raise UnfinishedError(f"{target} lies outside the workspace.", remedy="Ask for the copy again.")
        return CopyWork(label, path, target, reading, view.treatment, view.recipe)

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
            copy = session.get_one(Copy, copy_id)
            copy.state, copy.trouble = "running", ""

    def end_copy(self, copy_id: int, *, result: CopyResult | None, state: str = "", trouble: str = "") -> None:
        """``state`` follows from the result unless it is given (failed, cancelled)."""
        with self._session() as session:
            copy = session.get_one(Copy, copy_id)
            copy.state = state or ("verified" if result and result.verified else "doubtful")
            copy.result = result.model_dump(mode="json") if result else None
            copy.trouble, copy.ended_at = trouble or (result.reserves if result else ""), now_text()
            name = Path(copy.path).name
            words = {"doubtful": "a check failed"}.get(copy.state, copy.state)
            self._note(session, copy.take.carrier_id, f"copy {name}: {words}" + (f" ({copy.trouble})" if copy.trouble else ""))

    def keep_copy(self, copy_id: int) -> Path:
        """A copy that failed a check gets the name that was asked for, since a person wants it all the same; it stays marked. Returns
        where it lies now. Raises NameTakenError where the name was taken meanwhile, UnfinishedError where its file is gone."""
        self.workspace.check_writable()
        with self._session() as session:
            copy = session.get_one(Copy, copy_id)
            view = self.maker.copy(copy)
            if view is None or view.result is None or view.state != "doubtful":
                raise WrongUseError("That copy is not waiting for a decision.", remedy="Choose one that failed a check.")
            rename_new(view.file, view.path)
            copy.state = "kept"
            copy.result = view.result.model_copy(update={"file": view.path.name}).model_dump(mode="json")
            self._note(session, copy.take.carrier_id, f"copy {view.path.name}: kept although a check failed")
            return view.path

    def copies(self) -> list[CopyView]:
        with self._session() as session:
            rows = session.scalars(select(Copy).order_by(Copy.id))
            return [made for row in rows if (made := self.maker.copy(row)) is not None]

    def events(self, carrier_id: int | None = None, limit: int = 200) -> list[tuple[str, str, str]]:
        """History, newest first: time, carrier's label, words."""
        with self._session() as session:
            query = select(Event, Carrier.label).join(Carrier, Event.carrier_id == Carrier.id, isouter=True)
            if carrier_id is not None:
                query = query.where(Event.carrier_id == carrier_id)
            rows = session.execute(query.order_by(Event.id.desc()).limit(limit)).all()
            return [(event.at, label or "", event.words) for event, label in rows]
