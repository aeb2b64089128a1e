"""One page a carrier: all that was done with it, from intake to release, in the order of time."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from functools import partial
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from yomikomi.core.capture.settings import TakeDetails
from yomikomi.core.ledger.page_copies import copy_entries
from yomikomi.core.ledger.page_entry import CarrierPage, Entry, EntryMark, HistoryLine
from yomikomi.core.ledger.schema import Carrier, Copy, Event, PathSheetRow, ReadingRow, ReleaseRow, Take
from yomikomi.core.ledger.store import Room
from yomikomi.core.ledger.views import apply_overrulings, overrulings_of
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.planning.carriers import OUTCOMES, kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.sentences import Mark, findings, headline
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.text import capital

_HISTORY = 300  # lines; what is older is found by searching
_CONDITION: dict[str, EntryMark] = {"fine": "fine", "care": "check", "unfit": "fault", "not checked": "undetermined"}
_ORIGIN = {"captured": "Captured", "imported": "Imported by reference", "copied": "Copied as data"}
_RELEASED = {
    "moving": "Release begun", "held": "Take released, can be undone", "undoing": "Release being undone", "undone": "Release undone",
    "gone": "Take released, gone",
}  # fmt: skip
_PARTS = (
    selectinload(Carrier.sheets),
    *(selectinload(Carrier.takes).selectinload(part) for part in (Take.overrulings, Take.treatments, Take.readings)),
    selectinload(Carrier.takes).selectinload(Take.copies).selectinload(Copy.looks),
)


class PageRoom(Room):
    def of(self, carrier_id: int) -> CarrierPage:
        """Raises WrongUseError where the carrier is gone."""
        with self._store.session() as session:
            self._store.row(session, carrier_id)
            row = session.scalars(select(Carrier).where(Carrier.id == carrier_id).options(*_PARTS)).one()
            entries = sorted(self._entries(session, row), key=lambda one: one.at)
            lines = session.scalars(select(Event).where(Event.carrier_id == carrier_id).order_by(Event.id.desc()).limit(_HISTORY))
            return CarrierPage(
                carrier_id=row.id, label=row.label, title=row.title, kind=row.kind, tags=self._details(row).tags, entries=tuple(entries),
                history=tuple(HistoryLine(at=one.at, words=one.words) for one in lines),
            )  # fmt: skip

    def _details(self, row: Carrier) -> CarrierDetails:
        found = self._store.maker.document(f"{row.label}: details", lambda: CarrierDetails.model_validate(row.details or {}))
        return found or CarrierDetails()

    def _entries(self, session: Session, row: Carrier) -> Iterator[Entry]:
        yield self._intake(row)
        for sheet in row.sheets:
            made = self._store.maker.document(f"{row.label}: path", partial(_path, sheet))
            if made is not None:
                yield made
        for number, take in enumerate(row.takes, 1):
            yield from self._take(session, take, number)

    def _intake(self, row: Carrier) -> Entry:
        details = self._details(row)
        length = clock(row.nominal_seconds) if row.nominal_seconds else "length not known"
        known = FORMATS[row.standard].words if row.standard in FORMATS else row.standard or "format not known"
        wanted = ", ".join(OUTCOMES[key] for key in details.wanted if key in OUTCOMES)
        lines = [
            f"{kind_of(row.kind).words}, {known}, {length}", capital(details.condition.words),
            "We hold the rights, or may copy it" if details.rights else "Rights not settled", f"Wanted for: {wanted}" if wanted else "",
            f"Tags: {', '.join(details.tags)}" if details.tags else "", row.note,
        ]  # fmt: skip
        return Entry(
            at=row.created_at, stage="shelf", head=f"{row.label} added to the shelf", lines=tuple(one for one in lines if one),
            mark=_CONDITION[details.condition.verdict],
        )  # fmt: skip

    def _read(self, row: ReadingRow) -> Entry:
        reading = self._store.maker.reading(row)
        cards = [card for card in findings(reading) if card.mark is not Mark.FINE]
        sure = [f" ({card.certainty})" if card.certainty not in {"", "–"} else "" for card in cards]
        lines = tuple(f"{card.mark.value}: {card.title}{words}" for card, words in zip(cards, sure, strict=True))
        worst = cards[0].mark if cards else Mark.FINE
        return Entry(at=row.made_at, stage="reading", head=f"Read: {headline(reading)}", lines=lines, mark=worst.value, take_id=row.take_id)

    def _take(self, session: Session, take: Take, number: int) -> Iterator[Entry]:
        sound = partial(self._store.maker.document, f"take {take.id}: page")
        details = sound(lambda: TakeDetails.model_validate(take.details or {})) or TakeDetails()
        yield _taken(take, number, details)
        for one in take.readings:
            made = sound(partial(self._read, one))
            if made is not None:
                yield made
        reading = apply_overrulings(self._store.maker.newest_reading(take), overrulings_of(take))
        for said in take.overrulings:
            lines = (said.reason,) if said.reason else ()
            head = f"Overruled: {said.topic}, {said.was} → {said.now}"
            yield Entry(at=said.made_at, stage="reading", head=head, lines=lines, mark="check", take_id=take.id)
        for chosen in take.treatments:
            words = sound(partial(_treatment_words, chosen.treatment, reading))
            if words is not None:
                yield Entry(at=chosen.chosen_at, stage="treatment", head="Treatment chosen", lines=(words,), take_id=take.id)
        for trials in take.trials:
            made = sound(partial(_tried, take.id, trials.made_at, trials.document))
            if made is not None:
                yield made
        for copy in take.copies:
            view = self._store.maker.copy(copy)
            if view is not None:
                yield from copy_entries(view, copy.looks)
        for release in session.scalars(select(ReleaseRow).where(ReleaseRow.take_id == take.id).order_by(ReleaseRow.id)):
            yield _released(release)


def _path(row: PathSheetRow) -> Entry:
    sheet = PathSheet.model_validate(row.document)
    state = {"done": "", "unsure": " (could not be seen)", "open": " (not ticked)"}
    devices: dict[str, list[str]] = {}
    for one in sheet.items:
        devices.setdefault(one.device, []).append(f"{one.setting} {one.at_words or one.words}{state[one.state]}")
    items = [f"{sheet.done} of {counted(len(sheet.items), 'setting', 'settings')} ticked"] if sheet.items else []
    items += [f"{device}: {'; '.join(settings)}" for device, settings in devices.items()]
    mark: EntryMark = "check" if any(one.state == "open" for one in sheet.items) or sheet.warnings else "fine"
    head = f"Path of take: {sheet.route}" if row.take_id is not None else f"Path planned: {sheet.route}"
    return Entry(at=row.changed_at, stage="path", head=head, lines=(*items, *sheet.warnings), mark=mark, take_id=row.take_id)


def _taken(take: Take, number: int, details: TakeDetails) -> Entry:
    length = f"{clock(take.seconds)} long" if take.seconds else "nothing recorded"
    size = f", {size_text(take.size_bytes)}" if take.size_bytes else ""
    codec = f", {details.record_as.words}" if take.origin == "captured" else ""
    missing = sum(count for _, count in details.gaps)
    lost = [
        f"{counted(count, 'frame', 'frames')} {what}"
        for count, what in ((take.dropped or 0, "dropped"), (take.late or 0, "late"), (missing, "missing"), (details.repeated, "repeated"))
        if count
    ]
    losses = capital(", ".join(lost)) if lost else "No frames lost" if take.origin == "captured" else ""
    lines = [
        Path(take.path).name, f"{length}{size}{codec}", losses,
        f"Ended by: {details.ended}" if details.ended and details.ended != take.note else "", take.note,
    ]  # fmt: skip
    wrong = take.state in {"lost", "away"}
    mark: EntryMark = "fault" if wrong else "check" if lost or take.state == "mended" else "fine"
    return Entry(
        at=take.started_at, stage="capture", head=f"{_ORIGIN.get(take.origin, capital(take.origin))}: take {number}, {take.state}",
        lines=tuple(one for one in lines if one), mark=mark, take_id=take.id,
    )  # fmt: skip


def _treatment_words(document: object, reading: Reading | None) -> str:
    treatment = Treatment.model_validate(document)
    if reading is not None:
        return capital(treatment.words(source_format(reading)))
    return ", ".join(step.step for step in treatment.steps) or "No corrections"


def _tried(take_id: int, at: str, document: dict[str, object]) -> Entry:
    """Out of the document as it is: trials of every version are history, whether or not they still count."""
    points, rate = document.get("points"), document.get("rate")
    count, seconds = len(points) if isinstance(points, list) else 0, document.get("trial_seconds")
    took = f" in {spoken(float(seconds))}" if isinstance(seconds, int | float) else ""
    lines = (f"at {rate_text(Fraction(rate))} fps",) if isinstance(rate, str) else ()
    return Entry(at=at, stage="balance", head=f"{counted(count, 'recipe', 'recipes')} tried{took}", lines=lines, take_id=take_id)


def _released(row: ReleaseRow) -> Entry:
    way = {"holding": "to the holding folder", "trash": "to the trash"}.get(row.way, row.way)
    lines = [f"by {row.who}, {way}" + (f", until {row.until[:10]}" if row.state == "held" and row.until else "")]
    return Entry(at=row.at, stage="ledger", head=_RELEASED.get(row.state, row.state), lines=tuple(lines), take_id=row.take_id)
