"""What leaves the record: frozen views of carriers, takes and copies, and how they are made from rows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from yomikomi.core.balance import TRIALS_VERSION
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.capture.settings import TakeDetails
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.schema import Carrier, Copy, PathSheetRow, ReadingRow, Take, TreatmentRow, TrialRow
from yomikomi.core.ledger.spine import Spine, TakeSpine, Written
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.reading.cards.advice import Origin
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.overruling import overrule
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment

if TYPE_CHECKING:
    from _typeshed import DataclassInstance

T = TypeVar("T")


def _part(whole: object, kind: type[DataclassInstance]) -> dict[str, Any]:
    """What of a view a smaller one holds as it is."""
    return {one.name: getattr(whole, one.name) for one in fields(kind)}


@dataclass(frozen=True)
class TakeView(TakeSpine):
    details: TakeDetails = TakeDetails()

    @property
    def spine(self) -> TakeSpine:
        return TakeSpine(**_part(self, TakeSpine))


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
    outlet: Outlet | None
    predicted: Prediction | None
    result: CopyResult | None
    trouble: str
    asked_at: str
    ended_at: str | None

    @property
    def file(self) -> Path:
        """Where it lies: under the name that was asked for, or, where a check failed, under one that says so."""
        return self.path.with_name(Path(self.result.file).name) if self.result is not None else self.path


@dataclass(frozen=True, kw_only=True)
class CarrierView(Written):
    """A carrier with what is known of its newest take; ``path``: as planned last."""

    take: TakeView | None
    takes: int
    reading: Reading | None
    overrulings: tuple[OverrulingView, ...]
    treatment: Treatment | None
    trials: TrialSet | None
    trials_folder: Path | None
    copies: tuple[CopyView, ...]
    path: PathSheet | None = None

    @property
    def judged(self) -> Reading | None:
        """The reading with what people overruled put in its place."""
        return apply_overrulings(self.reading, self.overrulings)

    @cached_property
    def spine(self) -> Spine:
        """It as the shelf shows it; the same object as long as the carrier is the same."""
        return Spine(
            **_part(self, Written), take=self.take.spine if self.take else None, takes=self.takes, planned=self.path is not None,
            read=self.reading is not None, treated=self.treatment is not None, tried=self.trials is not None,
            copies=tuple(copy.state for copy in self.copies),
        )  # fmt: skip

    @property
    def origin(self) -> Origin:
        """Of its take: what can still be done about it."""
        return Origin.of(captured=self.take is not None and self.take.origin == "captured", way=kind_of(self.kind).way)

    @property
    def progress(self) -> int:
        return self.spine.progress

    @property
    def next_station(self) -> str:
        return self.spine.next_station


def apply_overrulings(reading: Reading | None, overrulings: tuple[OverrulingView, ...]) -> Reading | None:
    """A person's word goes before a measurement; of several on one topic the newest counts."""
    if reading is None:
        return None
    for one in overrulings:
        reading = overrule(reading, one.topic, one.now)
    return reading


def newest_take(row: Carrier) -> Take | None:
    """The one that a carrier's work goes on with."""
    return next((take for take in reversed(row.takes) if take.state != "lost"), None)


def overrulings_of(take: Take) -> tuple[OverrulingView, ...]:
    """In the order in which they were said."""
    return tuple(OverrulingView(one.topic, one.was, one.now, one.reason, one.made_at) for one in take.overrulings)


class ViewMaker:
    """Makes views from rows. Readings and trials are large and never change once written: each is parsed once."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self.troubles: dict[str, str] = {}  # what of the record could not be understood: where, and what
        self.readings: dict[int, Reading] = {}
        self.trials: dict[int, TrialSet] = {}
        self.sheets: dict[int, PathSheet] = {}

    def forget(self) -> None:
        """What was parsed: numbers of rows may mean others now."""
        for kept in (self.readings, self.trials, self.sheets, self.troubles):
            kept.clear()

    def view(self, row: Carrier) -> CarrierView:
        take = newest_take(row)
        treatment = take.treatments[-1] if take and take.treatments else None
        trials = _trials_of(take, treatment)
        return CarrierView(
            id=row.id,
            label=row.label,
            title=row.title,
            kind=row.kind,
            standard=row.standard,
            nominal_seconds=row.nominal_seconds,
            source=row.source if isinstance(row.source, dict) else None,
            note=row.note,
            details=self._sound(f"{row.label}: details", lambda: CarrierDetails.model_validate(row.details or {})) or CarrierDetails(),
            created_at=row.created_at,
            take=self._take(take) if take else None,
            takes=sum(one.state != "lost" for one in row.takes),
            reading=self.newest_reading(take) if take else None,
            overrulings=overrulings_of(take) if take else (),
            treatment=self._sound(f"{row.label}: treatment", lambda: _treatment_of(treatment)) if treatment else None,
            trials=self._sound(f"{row.label}: trials", lambda: self._trial_set(trials)) if trials else None,
            trials_folder=self._workspace.path(trials[0].folder) if trials else None,
            copies=tuple(made for copy in (take.copies if take else []) if (made := self.copy(copy)) is not None),
            path=next(
                (self._sound(f"{row.label}: path", partial(self._sheet, sheet)) for sheet in row.sheets if sheet.take_id is None), None
            ),
        )

    def document(self, what: str, make: Callable[[], T]) -> T | None:
        """For rooms whose rows hold documents of their own: see :meth:`_sound`."""
        return self._sound(what, make)

    def _sound(self, what: str, make: Callable[[], T]) -> T | None:
        """A document of the record, or None where it is none: a damaged row costs what stands in it, not the whole shelf."""
        try:
            return make()
        except (ValueError, TypeError, KeyError, AttributeError) as error:
            self.troubles[what] = str(error).splitlines()[0]
            return None

    def newest_reading(self, take: Take) -> Reading | None:
        """None where there is none that can be understood."""
        return self._sound(f"take {take.id}: reading", lambda: self.reading(take.readings[-1])) if take.readings else None

    def judged(self, take: Take) -> Reading | None:
        """A take's newest reading with what people overruled put in its place."""
        return apply_overrulings(self.newest_reading(take), overrulings_of(take))

    def reading(self, row: ReadingRow) -> Reading:
        """Raises what a document that is none raises."""
        if row.id not in self.readings:
            self.readings[row.id] = Reading.model_validate(row.document)
        return self.readings[row.id]

    def _trial_set(self, rows: list[TrialRow]) -> TrialSet:
        """The newest, with codecs that only earlier ones tried."""
        earlier = [(self._sound(f"trials {row.id}", partial(self._trials_in, row)), Path(row.folder).name) for row in rows[1:]]
        return self._trials_in(rows[0]).beside([(trials, folder) for trials, folder in earlier if trials is not None])

    def _trials_in(self, row: TrialRow) -> TrialSet:
        if row.id not in self.trials:
            self.trials[row.id] = TrialSet.model_validate(row.document)
        return self.trials[row.id]

    def _sheet(self, row: PathSheetRow) -> PathSheet:
        if row.id not in self.sheets:
            self.sheets[row.id] = PathSheet.model_validate(row.document)
        return self.sheets[row.id]

    def _take(self, row: Take) -> TakeView:
        details = self._sound(f"take {row.id}: details", lambda: TakeDetails.model_validate(row.details or {})) or TakeDetails()
        return TakeView(
            row.id, self._workspace.path(row.path), row.origin, row.state, row.seconds, row.frames, row.late, row.dropped,
            row.size_bytes, row.note, row.started_at, details.record_as.codec, details.codec_bits, details,
        )  # fmt: skip

    def copy(self, row: Copy) -> CopyView | None:
        """None where what stands in the row is no copy; it is told among the troubles."""
        return self._sound(f"copy {row.id}", lambda: self._copy(row))

    def _copy(self, row: Copy) -> CopyView:
        return CopyView(
            id=row.id,
            take_id=row.take_id,
            carrier=row.take.carrier.label,
            path=self._workspace.path(row.path),
            state=row.state,
            recipe=Recipe.model_validate(row.recipe),
            treatment=Treatment.model_validate(row.treatment),
            outlet=Outlet.model_validate(row.outlet) if row.outlet else None,
            predicted=Prediction.model_validate(row.predicted) if row.predicted else None,
            result=CopyResult.model_validate(row.result) if row.result else None,
            trouble=row.trouble,
            asked_at=row.asked_at,
            ended_at=row.ended_at,
        )


def _trials_of(take: Take | None, treatment: TreatmentRow | None) -> list[TrialRow]:
    """Those of the treatment that is chosen, the newest first."""
    if take is None or treatment is None:
        return []
    # Sets of older versions did not measure what Balance compares by; they are run again.
    fits = [one for one in reversed(take.trials) if one.digest == treatment.digest and _version(one) >= TRIALS_VERSION]
    changed = max((*(one.made_at for one in take.readings), *(one.made_at for one in take.overrulings)), default="")
    return [one for number, one in enumerate(fits) if number == 0 or one.made_at >= changed]


def _treatment_of(row: TreatmentRow) -> Treatment:
    return Treatment.model_validate(row.treatment)


def _version(row: TrialRow) -> int:
    """Of a document that may be damaged; then the newest, so that the parser tells what is wrong."""
    found = row.document.get("schema_version") if isinstance(row.document, dict) else TRIALS_VERSION
    return 1 if found is None else found if isinstance(found, int) else TRIALS_VERSION
