"""The shelf's part of the record: carriers as they are taken in, changed, imported and taken away again."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from yomikomi.core.capture.health import health_path
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.base import RecordBase, now_text
from yomikomi.core.ledger.naming import next_label, safe_name
from yomikomi.core.ledger.schema import Carrier, Event, MachineTrialRow, Reckoning, Take
from yomikomi.core.planning.formats import format_of_size
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.planning.machine import MachineSpeeds
from yomikomi.core.video.media import check_tail, probe
from yomikomi.core.video.timecode import clock
from yomikomi.core.work.new_file import is_taken
from yomikomi.core.work.text import printable

_HISTORY_KEPT = 200  # reckonings
_LONGEST_TEXT = 20_000
_LONGEST_LABEL = 120  # characters; what is printed on a label has room for far fewer


class ShelfRecord(RecordBase):
    def labels(self) -> set[str]:
        with self._session() as session:
            return set(session.scalars(select(Carrier.label)))

    def next_label(self, prefix: str = "K") -> str:
        """A label that is free: the prefix with the next number."""
        return next_label(self.labels(), prefix)

    def add_carrier(
        self, *, label: str, title: str, kind: str, standard: str | None = None, nominal_seconds: float | None = None,
        source: dict[str, Any] | None = None, note: str = "", details: CarrierDetails | None = None,
    ) -> int:  # fmt: skip
        """Raises WrongUseError when the label is taken or empty."""
        intake = Intake(
            label=label, title=title, kind=kind, format=standard, seconds=nominal_seconds, note=note, details=details or CarrierDetails()
        )
        return self.put_on_shelf([intake], [source])[0]

    def put_on_shelf(self, intakes: Sequence[Intake], sources: Sequence[dict[str, Any] | None]) -> list[int]:
        """Carriers with the players they lie in (None: none yet), all or none of them; returns their ids.

        Raises WrongUseError when a label is empty, or taken.
        """
        with self._session() as session:
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
                self._note(session, row.id, f"{row.label} added")
            return [row.id for row in rows]

    def change_carrier(self, carrier_id: int, intake: Intake, *, source: dict[str, Any] | None = None) -> None:
        """Write down anew what a carrier is; ``source`` replaces the player where one is given.

        The history keeps how its condition was judged.
        """
        with self._session() as session:
            row = self._row(session, carrier_id)
            others = set(session.scalars(select(Carrier.label).where(Carrier.id != carrier_id)))
            row.label = _free_label(intake.label, others)
            before = CarrierDetails.model_validate(row.details or {}).condition
            _write(row, intake)
            row.source = source or row.source
            judged = intake.details.condition
            self._note(session, carrier_id, f"{row.label} changed" + (f": {judged.words}" if judged != before else ""))

    def remove_carrier(self, carrier_id: int) -> None:
        """Take a carrier off the shelf that was put there by mistake. Raises WrongUseError once it has takes."""
        with self._session() as session:
            row = self._row(session, carrier_id)
            if row.takes:
                raise WrongUseError(f"{row.label} has takes and stays on the shelf.", remedy="Only carriers without takes can go.")
            session.execute(update(Event).where(Event.carrier_id == carrier_id).values(carrier_id=None))  # history stays
            self._note(session, None, f"{row.label} taken off the shelf")
            session.delete(row)

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
        carrier = self.add_carrier(
            label=label or self.next_label("F"), title=title or printable(path.stem), kind=kind,
            standard=format_of_size(info.geometry.width, info.geometry.height, info.average_rate),
            nominal_seconds=seconds if seconds else None, details=CarrierDetails(shape=info.geometry.shape_words),
        )  # fmt: skip
        with self._session() as session:
            self._add_take(
                session, carrier, path, origin="imported", state="whole", seconds=seconds, frames=info.flagged_frames or None,
                size_bytes=info.size_bytes, note=warning,
            )  # fmt: skip
            self._note(session, carrier, f"{printable(path.name)} added by reference" + (f"; {warning}" if warning else ""))
        return carrier, warning

    def name_take(self, carrier_id: int, suffix: str = ".mkv") -> Path:
        """Where the next take of a carrier is to go: a name that is free."""
        self.workspace.check_writable()
        with self._session() as session:
            return self._take_path(session, self._row(session, carrier_id), suffix)

    def add_copied_take(self, carrier_id: int, path: Path, *, seconds: float, frames: int, words: str) -> int:
        """A take whose data were copied: from a disc, or from other takes; ``words`` go into the history."""
        with self._session() as session:
            take = self._add_take(
                session, carrier_id, path, origin="copied", state="whole", seconds=seconds, frames=frames, size_bytes=path.stat().st_size
            )
            self._note(session, carrier_id, f"{words}: {clock(seconds)} copied")
            return take.id

    def machine_speeds(self) -> MachineSpeeds | None:
        """The newest measurement of this machine, if there is one."""
        with self._session() as session:
            row = session.scalar(select(MachineTrialRow).order_by(MachineTrialRow.id.desc()).limit(1))
            return MachineSpeeds.model_validate(row.document) if row else None

    def save_machine_speeds(self, speeds: MachineSpeeds) -> None:
        with self._session() as session:
            session.add(MachineTrialRow(made_at=now_text(), document=speeds.model_dump(mode="json")))

    def reckonings(self) -> list[tuple[str, dict[str, Any], str]]:
        """The Reckoner's history, newest first: sheet, what was typed, the result in words."""
        with self._session() as session:
            rows = session.scalars(select(Reckoning).order_by(Reckoning.id.desc()).limit(_HISTORY_KEPT))
            return [(row.sheet, row.typed, row.words) for row in rows]

    def save_reckoning(self, sheet: str, typed: dict[str, str], words: str) -> None:
        with self._session() as session:
            newest = session.scalar(select(Reckoning).order_by(Reckoning.id.desc()).limit(1))
            if newest is not None and newest.sheet == sheet and newest.typed.items() <= typed.items():
                newest.typed, newest.words, newest.at = dict(typed), words, now_text()  # the same line, gone on with
                return
            session.add(Reckoning(at=now_text(), sheet=sheet, typed=dict(typed), words=words))

    def _take_path(self, session: Session, carrier: Carrier, suffix: str = ".mkv") -> Path:
        stem = safe_name(f"{carrier.label} {carrier.title}")
        planned = set(session.scalars(select(Take.path)))
        number = len(carrier.takes) + 1
        while True:
            path = self.workspace.folder / "takes" / f"{stem}-take{number:02d}{suffix}"
            if not is_taken(path) and not is_taken(health_path(path)) and self.workspace.keep(path) not in planned:
                return path
            number += 1

    def _add_take(
        self, session: Session, carrier_id: int, path: Path, *, origin: str, state: str, seconds: float | None = None,
        frames: int | None = None, size_bytes: int | None = None, note: str = "",
    ) -> Take:  # fmt: skip
        take = Take(
            carrier_id=carrier_id, path=self.workspace.keep(path), origin=origin, state=state, started_at=now_text(),
            seconds=seconds, frames=frames, late=None, dropped=None, size_bytes=size_bytes, note=note,
        )  # fmt: skip
        session.add(take)
        session.flush()
        return take


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
