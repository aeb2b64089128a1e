"""The shelf's room of the record: carriers as they are added, changed and taken away again."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import select, update

from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.naming import next_label
from yomikomi.core.ledger.schema import Carrier, Event
from yomikomi.core.ledger.store import Room, now_text
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.work.text import printable

_LONGEST_TEXT = 20_000
_LONGEST_LABEL = 120  # characters; what is printed on a label has room for far fewer


class ShelfRoom(Room):
    def labels(self) -> set[str]:
        with self._store.session() as session:
            return set(session.scalars(select(Carrier.label)))

    def next_label(self, prefix: str = "K") -> str:
        """A label that is free: the prefix with the next number."""
        return next_label(self.labels(), prefix)

    def add(
        self, *, label: str, title: str, kind: str, standard: str | None = None, nominal_seconds: float | None = None,
        source: dict[str, Any] | None = None, note: str = "", details: CarrierDetails | None = None,
    ) -> int:  # fmt: skip
        """Raises WrongUseError when the label is taken or empty."""
        intake = Intake(
            label=label, title=title, kind=kind, format=standard, seconds=nominal_seconds, note=note, details=details or CarrierDetails()
        )
        return self.put([intake], [source])[0]

    def put(self, intakes: Sequence[Intake], sources: Sequence[dict[str, Any] | None]) -> list[int]:
        """Carriers with the players they lie in (None: none yet), all or none of them; returns their ids.

        Raises WrongUseError when a label is empty, or taken.
        """
        with self._store.session() as session:
            taken = set(session.scalars(select(Carrier.label)))
            rows = []
            for intake, source in zip(intakes, sources, strict=True):
                row = Carrier(label=_free_label(intake.label, taken), source=source, created_at=now_text())
                _write(row, intake)
                taken.add(row.label)
                rows.append(row)
            session.add_all(rows)
            session.flush()
            for row in rows:
                self._store.note(session, row.id, f"{row.label} added")
            return [row.id for row in rows]

    def change(self, carrier_id: int, intake: Intake, *, source: dict[str, Any] | None = None) -> None:
        """Write down anew what a carrier is; ``source`` replaces the player where one is given.

        The history keeps how its condition was judged.
        """
        with self._store.session() as session:
            row = self._store.row(session, carrier_id)
            others = set(session.scalars(select(Carrier.label).where(Carrier.id != carrier_id)))
            row.label = _free_label(intake.label, others)
            before = CarrierDetails.model_validate(row.details or {}).condition
            _write(row, intake)
            row.source = source or row.source
            judged = intake.details.condition
            self._store.note(session, carrier_id, f"{row.label} changed" + (f": {judged.words}" if judged != before else ""))

    def remove(self, carrier_id: int) -> None:
        """Take a carrier off the shelf that was put there by mistake. Raises WrongUseError once it has takes."""
        with self._store.session() as session:
            row = self._store.row(session, carrier_id)
            if row.takes:
                raise WrongUseError(f"{row.label} has takes and stays on the shelf.", remedy="Only carriers without takes can go.")
            session.execute(update(Event).where(Event.carrier_id == carrier_id).values(carrier_id=None))  # history stays
            self._store.note(session, None, f"{row.label} taken off the shelf")
            session.delete(row)


def _write(row: Carrier, intake: Intake) -> None:
    if any(len(words) > _LONGEST_TEXT or "\0" in words for words in (intake.title, intake.note)):
        raise WrongUseError("The title or the note is too long.", remedy=f"Keep each under {_LONGEST_TEXT} characters.")
    row.title, row.kind, row.standard = intake.title.strip(), intake.kind, intake.format
    row.nominal_seconds, row.note = intake.seconds, intake.note
    row.details = intake.details.model_dump(mode="json")


def _free_label(label: str, taken: set[str]) -> str:
    label = label.strip()
    if not label:
        raise WrongUseError("A carrier needs a label.", remedy="Write what stands on it, or a number.")
    if len(label) > _LONGEST_LABEL or not label.isprintable():
        raise WrongUseError(
            f"The label {printable(label[:40])}{'…' if len(label) > 40 else ''} is too long, or has characters that cannot be shown.",
            remedy=f"Use at most {_LONGEST_LABEL} letters, digits and signs.",
        )
    if label in taken:
        raise WrongUseError(f"There is a carrier {label} already.", remedy="Give this one another label.")
    return label
