"""Reading and writing the record. Every method is a short transaction; views that leave are frozen."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.capture.mend import Mended
from yomikomi.core.capture.session import CaptureResult
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.schema import Carrier, Copy, Event, Overruling, ReadingRow, Take, TreatmentRow, TrialRow
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import changes_the_picture, overrule
from yomikomi.core.run.copying import CopyResult
from yomikomi.core.treatment.chain import Deinterlace, Treatment
from yomikomi.core.video.media import check_tail, probe
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock


@dataclass(frozen=True)
class TakeView:
    id: int
    path: Path
    origin: str
    state: str
    seconds: float | None
    frames: int | None
    late: int | None
    dropped: int | None
    size_bytes: int | None
    note: str
    started_at: str


@dataclass(frozen=True)
class OverrulingView:
    topic: str
    was: str
    now: str
    reason: str
    made_at: str


@dataclass(frozen=True)
class CopyView:
    id: int
    take_id: int
    carrier: str
    path: Path
    state: str
    recipe: Recipe
    treatment: Treatment
    predicted: Prediction | None
    result: CopyResult | None
    trouble: str
    asked_at: str
    ended_at: str | None


@dataclass(frozen=True)
class CarrierView:
    """A carrier with what is known of its newest take. ``progress`` counts stations passed, 0…8."""

    id: int
    label: str
    title: str
    kind: str
    standard: str | None
    nominal_seconds: float | None
    source: dict[str, Any] | None
    note: str
    take: TakeView | None
    takes: int
    reading: Reading | None
    overrulings: tuple[OverrulingView, ...]
    treatment: Treatment | None
    trials: TrialSet | None
    trials_folder: Path | None
    copies: tuple[CopyView, ...]

    @property
    def judged(self) -> Reading | None:
        """The reading with what people overruled put in its place."""
        return apply_overrulings(self.reading, self.overrulings)

    @property
    def progress(self) -> int:
        if any(copy.state == "verified" for copy in self.copies):
            return 8
        if self.copies:
            return 6
        if self.trials is not None:
            return 6
        if self.treatment is not None:
            return 5
        if self.reading is not None:
            return 4
        if self.take is not None and self.take.state != "recording":
            return 3
        return 1

    @property
    def next_station(self) -> str:
        """Where the work goes on."""
        if self.take is None:
            return "capture" if self.source else "shelf"
        if self.reading is None:
            return "reading"
        if self.treatment is None:
            return "treatment"
        if not self.copies:
            return "balance"
        return "ledger" if any(c.state == "verified" for c in self.copies) else "run"


def apply_overrulings(reading: Reading | None, overrulings: tuple[OverrulingView, ...]) -> Reading | None:
    """A person's word goes before a measurement; of several on one topic the newest counts."""
    if reading is None:
        return None
    for one in overrulings:
        reading = overrule(reading, one.topic, one.now)
    return reading


class Record:
    """All that the stations ask of the workspace."""

    def __init__(self, workspace: Workspace) -> None:
        self.workspace = workspace
        # Readings and trials are large and never change once written, so each is loaded and parsed once.
        self._readings: dict[int, Reading] = {}
        self._trials: dict[int, TrialSet] = {}

    def carriers(self) -> list[CarrierView]:
        with self._session() as session:
            rows = session.scalars(select(Carrier).order_by(Carrier.id)).all()
            return [self._view(row) for row in rows]

    def carrier(self, carrier_id: int) -> CarrierView:
        with self._session() as session:
            row = session.get(Carrier, carrier_id)
            if row is None:
                raise WrongUseError("That carrier is not in this workspace.")
            return self._view(row)

    def next_label(self, prefix: str = "K") -> str:
        """A label that is free: the prefix with the next number."""
        with self._session() as session:
            labels = session.scalars(select(Carrier.label)).all()
        tails = [label.removeprefix(f"{prefix}-") for label in labels if label.startswith(f"{prefix}-")]
        numbers = [int(tail) for tail in tails if tail.isdigit()]
        return f"{prefix}-{max(numbers, default=0) + 1:03d}"

    def add_carrier(
        self, *, label: str, title: str, kind: str, standard: str | None = None, nominal_seconds: float | None = None,
        source: dict[str, Any] | None = None, note: str = "",
    ) -> int:  # fmt: skip
        """Raises WrongUseError when the label is taken or empty."""
        label = label.strip()
        if not label:
            raise WrongUseError("A carrier needs a label.", remedy="Write what stands on it, or a number.")
        with self._session() as session:
            if session.scalar(select(Carrier.id).where(Carrier.label == label)):
                raise WrongUseError(f"There is a carrier {label} already.", remedy="Give this one another label.")
            row = Carrier(
                label=label, title=title.strip(), kind=kind, standard=standard, nominal_seconds=nominal_seconds,
                source=source, note=note, created_at=_now(),
            )  # fmt: skip
            session.add(row)
            session.flush()
            self._note(session, row.id, f"{label} taken in")
            return row.id

    def import_file(self, path: Path, *, title: str = "", kind: str = "file", label: str = "") -> tuple[int, str]:
        """Any footage becomes a carrier with a take by reference; the file is never moved or altered.

        Returns the carrier's id and a warning, empty if all is well. Raises UnreadableError.
        """
        path = path.expanduser().absolute()
        info = probe(path)
        warning = check_tail(path) or ""
        with self._session() as session:
            taken = session.scalar(select(Take).where(Take.path == self.workspace.keep(path)))
            if taken is not None:
                raise WrongUseError(f"{path.name} is on the shelf already, as {taken.carrier.label}.", remedy="Go there with Ctrl+K.")
        seconds = float(info.seconds) if info.seconds else None
        standard = {(720, 480): "525i", (720, 576): "625i"}.get((info.geometry.width, info.geometry.height))
        carrier = self.add_carrier(
            label=label or self.next_label("F"), title=title or path.stem, kind=kind, standard=standard, nominal_seconds=seconds
        )
        with self._session() as session:
            session.add(
                Take(
                    carrier_id=carrier,
                    path=self.workspace.keep(path),
                    origin="imported",
                    state="whole",
                    started_at=_now(),
                    seconds=seconds,
                    frames=info.flagged_frames or None,
                    late=None,
                    dropped=None,
                    size_bytes=info.size_bytes,
                    note=warning,
                )
            )
            self._note(session, carrier, f"{path.name} taken in by reference" + (f"; {warning}" if warning else ""))
        return carrier, warning

    def begin_take(self, carrier_id: int) -> tuple[int, Path]:
        """Name a new take; its row says that it is being recorded until it is ended."""
        with self._session() as session:
            carrier = session.get_one(Carrier, carrier_id)
            stem = safe_name(f"{carrier.label} {carrier.title}")
            number = len(carrier.takes) + 1
            while (path := self.workspace.folder / "takes" / f"{stem}-take{number:02d}.mkv").exists():
                number += 1
            take = Take(
                carrier_id=carrier_id, path=self.workspace.keep(path), origin="captured", state="recording", started_at=_now(),
                seconds=None, frames=None, late=None, dropped=None, size_bytes=None,
            )  # fmt: skip
            session.add(take)
            session.flush()
            return take.id, path

    def end_take(self, take_id: int, result: CaptureResult) -> None:
        with self._session() as session:
            take = session.get_one(Take, take_id)
            take.state = "whole" if result.frames else "lost"
            take.seconds, take.frames = result.seconds, result.frames
            take.late, take.dropped, take.size_bytes = result.late, result.dropped, result.bytes_written
            take.note = result.trouble
            lost = f", {result.dropped} frames lost" if result.dropped else ", nothing lost"
            trouble = f"; {result.trouble}" if result.trouble else ""
            self._note(session, take.carrier_id, f"captured {clock(result.seconds)}{lost}{trouble}")

    def cut_off_takes(self) -> list[tuple[int, str, Path]]:
        """Takes that were being recorded when the program ended: id, carrier's label, file. They want mending."""
        with self._session() as session:
            rows = session.scalars(select(Take).where(Take.state == "recording")).all()
            return [(take.id, take.carrier.label, self.workspace.path(take.path)) for take in rows]

    def end_cut_off_copies(self) -> None:
        """Copies that were being made when the program ended did not get done."""
        with self._session() as session:
            for copy in session.scalars(select(Copy).where(Copy.state == "running")):
                copy.state, copy.trouble, copy.ended_at = "failed", "the program ended while it was made", _now()

    def save_mended(self, take_id: int, mended: Mended | None, trouble: str = "") -> str:
        """Write down how mending went (None: nothing could be read). Returns the sentence for the person."""
        with self._session() as session:
            take = session.get_one(Take, take_id)
            who = take.carrier.label
            if mended is None:
                take.state, take.note = "lost", trouble or "nothing of it could be read"
                return f"{who}: the recording that was cut off could not be mended; its file is kept as it is."
            take.state, take.frames, take.seconds = "mended", mended.frames, mended.seconds
            take.size_bytes = self.workspace.path(take.path).stat().st_size
            take.note = "cut off while recording, and mended"
            self._note(session, take.carrier_id, f"mended a cut-off recording, {clock(mended.seconds)} kept")
            return f"{who}: a recording was cut off; {clock(mended.seconds)} of it is safe."

    def save_reading(self, take_id: int, reading: Reading) -> None:
        with self._session() as session:
            take = session.get_one(Take, take_id)
            row = ReadingRow(take_id=take_id, made_at=_now(), document=reading.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self._readings[row.id] = reading
            take.seconds, take.frames = reading.duration_seconds, reading.frames
            self._note(session, take.carrier_id, f"read: {reading.scan.kind}, {reading.rate.nominal}")

    def overrule(self, take_id: int, *, topic: str, was: str, now: str, reason: str) -> None:
        """Record a person's word against a verdict. What was chosen or tried on the old verdict no longer counts."""
        with self._session() as session:
            take = session.get_one(Take, take_id)
            session.add(Overruling(take_id=take_id, topic=topic, was=was, now=now, reason=reason, made_at=_now()))
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
            session.add(TreatmentRow(take_id=take_id, deinterlace=treatment.deinterlace.value, field_order=order, chosen_at=_now()))
            for row in take.trials:
                session.delete(row)
            self._note(session, take.carrier_id, f"treatment chosen: {treatment.deinterlace.value}")

    def save_trials(self, take_id: int, trials: TrialSet, folder: Path) -> None:
        with self._session() as session:
            row = TrialRow(take_id=take_id, made_at=_now(), folder=self.workspace.keep(folder), document=trials.model_dump(mode="json"))
            session.add(row)
            session.flush()
            self._trials[row.id] = trials
            carrier = session.get_one(Take, take_id).carrier_id
            self._note(session, carrier, f"{len(trials.points)} recipes tried in {clock(trials.trial_seconds)}")

    def ask_copy(self, take_id: int, recipe: Recipe, treatment: Treatment, predicted: Prediction | None, target: Path) -> int:
        with self._session() as session:
            order = treatment.field_order.value if treatment.field_order else None
            row = Copy(
                take_id=take_id, path=self.workspace.keep(target), state="waiting", recipe=recipe.model_dump(mode="json"),
                deinterlace=treatment.deinterlace.value, field_order=order,
                predicted=predicted.model_dump(mode="json") if predicted else None, result=None, asked_at=_now(), ended_at=None,
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
            copy.trouble, copy.ended_at = trouble, _now()
            name = Path(copy.path).name
            self._note(session, copy.take.carrier_id, f"copy {name}: {copy.state}" + (f" ({trouble})" if trouble else ""))

    def copies(self) -> list[CopyView]:
        with self._session() as session:
            return [self._copy(row) for row in session.scalars(select(Copy).order_by(Copy.id))]

    def events(self, carrier_id: int | None = None, limit: int = 200) -> list[tuple[str, str, str]]:
        """History, newest first: time, carrier's label, words."""
        with self._session() as session:
            query = select(Event, Carrier.label).join(Carrier, Event.carrier_id == Carrier.id, isouter=True)
            if carrier_id is not None:
                query = query.where(Event.carrier_id == carrier_id)
            rows = session.execute(query.order_by(Event.id.desc()).limit(limit)).all()
            return [(event.at, label or "", event.words) for event, label in rows]

    def _session(self) -> _Transaction:
        return _Transaction(self.workspace.sessions)

    @staticmethod
    def _note(session: Session, carrier_id: int | None, words: str) -> None:
        session.add(Event(at=_now(), carrier_id=carrier_id, words=words))

    def _view(self, row: Carrier) -> CarrierView:
        takes = [take for take in row.takes if take.state != "lost"]
        take = takes[-1] if takes else None
        trial = take.trials[-1] if take and take.trials else None
        treatment = take.treatments[-1] if take and take.treatments else None
        return CarrierView(
            id=row.id,
            label=row.label,
            title=row.title,
            kind=row.kind,
            standard=row.standard,
            nominal_seconds=row.nominal_seconds,
            source=row.source,
            note=row.note,
            take=self._take(take) if take else None,
            takes=len(takes),
            reading=self._reading(take.readings[-1]) if take and take.readings else None,
            overrulings=tuple(OverrulingView(o.topic, o.was, o.now, o.reason, o.made_at) for o in (take.overrulings if take else [])),
            treatment=_treatment(treatment.deinterlace, treatment.field_order) if treatment else None,
            trials=self._trial_set(trial) if trial else None,
            trials_folder=self.workspace.path(trial.folder) if trial else None,
            copies=tuple(self._copy(copy) for copy in (take.copies if take else [])),
        )

    def _reading(self, row: ReadingRow) -> Reading:
        if row.id not in self._readings:
            self._readings[row.id] = Reading.model_validate(row.document)
        return self._readings[row.id]

    def _trial_set(self, row: TrialRow) -> TrialSet:
        if row.id not in self._trials:
            self._trials[row.id] = TrialSet.model_validate(row.document)
        return self._trials[row.id]

    def _take(self, row: Take) -> TakeView:
        return TakeView(
            row.id, self.workspace.path(row.path), row.origin, row.state, row.seconds, row.frames, row.late, row.dropped,
            row.size_bytes, row.note, row.started_at,
        )  # fmt: skip

    def _copy(self, row: Copy) -> CopyView:
        return CopyView(
            id=row.id,
            take_id=row.take_id,
            carrier=row.take.carrier.label,
            path=self.workspace.path(row.path),
            state=row.state,
            recipe=Recipe.model_validate(row.recipe),
            treatment=_treatment(row.deinterlace, row.field_order),
            predicted=Prediction.model_validate(row.predicted) if row.predicted else None,
            result=CopyResult.model_validate(row.result) if row.result else None,
            trouble=row.trouble,
            asked_at=row.asked_at,
            ended_at=row.ended_at,
        )


class _Transaction:
    """Commits at the end, rolls back on an error."""

    def __init__(self, make: Callable[[], Session]) -> None:
        self._session = make()

    def __enter__(self) -> Session:
        return self._session

    def __exit__(self, kind: type[BaseException] | None, *_: object) -> None:
        try:
            if kind is None:
                self._session.commit()
            else:
                self._session.rollback()
        finally:
            self._session.close()


def safe_name(text: str) -> str:
    """A file name from a person's words: letters and digits of any script kept, the rest joined by hyphens."""
    kept = "".join(c if c.isalnum() else "-" for c in text.strip().lower())
    while "--" in kept:
        kept = kept.replace("--", "-")
    # Names longer than 255 bytes are refused by most file systems; suffixes need room too.
    while len(kept.encode()) > 120:
        kept = kept[:-1]
    return kept.strip("-") or "unnamed"


def copy_stem(carrier: CarrierView, recipe: Recipe) -> str:
    return f"{safe_name(f'{carrier.label} {carrier.title}')}-{recipe.codec}-{recipe.quality}"


def _treatment(deinterlace: str, field_order: str | None) -> Treatment:
    return Treatment(Deinterlace(deinterlace), FieldOrder(field_order) if field_order else None)


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")
