"""The takes' room of the record: as they are recorded, mended, imported or copied; their marks and clips."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.orm import Session

from yomikomi.core.capture.health import health_path
from yomikomi.core.capture.marks import Mark
from yomikomi.core.capture.mend import Mended
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.settings import TakeDetails
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.ledger_rules import rules_in
from yomikomi.core.ledger.naming import safe_name
from yomikomi.core.ledger.paths import keep_sheet
from yomikomi.core.ledger.schema import Carrier, Take
from yomikomi.core.ledger.shelf import ShelfRoom
from yomikomi.core.ledger.store import Room, Store, now_text
from yomikomi.core.planning.formats import format_of_size
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.video.media import check_tail, probe
from yomikomi.core.video.timecode import clock
from yomikomi.core.work.drive import size_of
from yomikomi.core.work.new_file import is_taken
from yomikomi.core.work.text import printable

AWAY = "away"


@dataclass(frozen=True)
class CutOffTake:
    """``away``: known to be out of reach; ``frames``: how many it had, as far as was written down."""

    id: int
    carrier: str
    path: Path
    away: bool
    frames: int


class TakeRoom(Room):
    def __init__(self, store: Store, shelf: ShelfRoom) -> None:
        super().__init__(store)
        self._shelf = shelf

    def import_file(self, path: Path, *, title: str = "", kind: str = "file", label: str = "") -> tuple[int, str]:
        """Any footage becomes a carrier with a take by reference; the file is never moved or altered.

        Returns the carrier's id and a warning, empty if all is well. Raises UnreadableError.
        """
        path = path.expanduser().absolute()
        info = probe(path)
        warning = check_tail(path) or ""
        with self._store.session() as session:
            taken = session.scalar(select(Take).where(Take.path == self._store.workspace.keep(path)))
            if taken is not None:
                raise WrongUseError(f"{path.name} is on the shelf already, as {taken.carrier.label}.", remedy="Go there with Ctrl+K.")
        seconds = float(info.seconds) if info.seconds else None
        carrier = self._shelf.add(
            label=label or self._shelf.next_label("F"), title=title or printable(path.stem), kind=kind,
            standard=format_of_size(info.geometry.width, info.geometry.height, info.average_rate),
            nominal_seconds=seconds if seconds else None, details=CarrierDetails(shape=info.geometry.shape_words),
        )  # fmt: skip
        with self._store.session() as session:
            self._add_take(
                session, carrier, path, origin="imported", state="whole", seconds=seconds, frames=info.flagged_frames or None,
                size_bytes=info.size_bytes, note=warning,
            )  # fmt: skip
            self._store.note(session, carrier, f"{printable(path.name)} added by reference" + (f"; {warning}" if warning else ""))
        return carrier, warning

    def name(self, carrier_id: int, suffix: str = ".mkv") -> Path:
        """Where the next take of a carrier is to go: a name that is free."""
        self._store.workspace.check_writable()
        with self._store.session() as session:
            return self._take_path(session, self._store.row(session, carrier_id), suffix)

    def add_copied(self, carrier_id: int, path: Path, *, seconds: float, frames: int, words: str) -> int:
        """A take whose data were copied: from a disc, or from other takes; ``words`` go into the history."""
        with self._store.session() as session:
            take = self._add_take(
                session, carrier_id, path, origin="copied", state="whole", seconds=seconds, frames=frames, size_bytes=path.stat().st_size
            )
            self._store.note(session, carrier_id, f"{words}: {clock(seconds)} copied")
            return take.id

    def begin(self, carrier_id: int, record_as: RecordAs | None = None, *, bits: int = 8) -> tuple[int, Path]:
        """Name a new take; its row says that it is being recorded until it is ended.

        Raises WrongUseError for a carrier that was found unfit to be played.
        """
        self._store.workspace.check_writable()
        how = record_as or RecordAs()
        with self._store.session() as session:
            carrier = self._store.row(session, carrier_id)
            condition = CarrierDetails.model_validate(carrier.details or {}).condition
            if condition.verdict == "unfit":
                raise WrongUseError(
                    f"{carrier.label} is {condition.words}.", remedy="Judge its condition anew on the Shelf before it is played."
                )
            path = self._take_path(session, carrier, how.suffix(bits))
            take = self._add_take(session, carrier_id, path, origin="captured", state="recording")
            take.details = TakeDetails(record_as=how, operator=rules_in(session).who).model_dump(mode="json")
            keep_sheet(session, carrier, take)
            return take.id, path

    def forget(self, take_id: int) -> None:
        """A take that never began: it never had a frame, there is no file of it, and nothing to be told later."""
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            for sheet in [one for one in take.carrier.sheets if one.take_id == take_id]:
                session.delete(sheet)
            session.delete(take)

    def end(self, take_id: int, result: CaptureResult) -> None:
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            there = all(size_of(path) is not None for path in result.parts or (self._store.workspace.path(take.path),))
            take.state = "lost" if not result.frames else "whole" if there else AWAY
            take.seconds, take.frames = result.seconds, result.frames
            take.late, take.dropped, take.size_bytes = result.late, result.dropped, result.bytes_written
            take.note = result.trouble
            parts = tuple(self._store.workspace.keep(path) for path in result.parts) if len(result.parts) > 1 else ()
            self._change_details(
                take, parts=parts, gaps=result.gaps, repeated=result.repeated, ended=result.ended, tail_seconds=result.tail_seconds
            )
            lost = f", {result.dropped} frames lost" if result.dropped else ", nothing lost"
            trouble = f"; {result.trouble}" if result.trouble else ""
            files = f" in {len(parts)} files" if parts else ""
            self._store.note(session, take.carrier_id, f"captured {clock(result.seconds)}{files}{lost}{trouble}")

    def cut_off(self) -> list[CutOffTake]:
        """Takes that were being recorded when the program ended, or whose drive went away meanwhile. They want mending, once their
        files can be reached."""
        with self._store.session() as session:
            rows = session.scalars(select(Take).where(Take.state.in_(("recording", AWAY)))).all()
            path = self._store.workspace.path
            return [
                CutOffTake(take.id, take.carrier.label, path(take.path), away=take.state == AWAY, frames=take.frames or 0) for take in rows
            ]

    def mark_away(self, take_id: int, frames: int = 0) -> bool:
        """The take's file cannot be reached: it stays on record, and is looked for. ``frames``: how many it had, as far as is known.
        Returns whether that is news."""
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            news = take.state != AWAY
            take.state, take.note = AWAY, "its drive is away"
            take.frames = max(take.frames or 0, frames) or None
            if news:
                self._store.note(session, take.carrier_id, f"{Path(take.path).name}: its drive is away")
            return news

    def save_mended(self, take_id: int, mended: Mended | None, trouble: str = "") -> str:
        """Write down how mending went (None: nothing could be read). Returns the sentence for the person."""
        with self._store.session() as session:
            take = session.get_one(Take, take_id)
            who = take.carrier.label
            if mended is None:
                take.state, take.note = "lost", trouble or "nothing of it could be read"
                return f"{who}: the recording that was cut off could not be mended; its file is kept as it is."
            take.state, take.frames, take.seconds = "mended", mended.frames, mended.seconds
            take.size_bytes = sum(size_of(path) or 0 for path in mended.files or (self._store.workspace.path(take.path),))
            take.note = "cut off while recording, and mended"
            if mended.originals:
                names = ", ".join(path.name for path in mended.originals)
                take.note += f"; not all of it could be carried over, so the file as recorded is kept: {names}"
            parts = tuple(self._store.workspace.keep(path) for path in mended.files) if len(mended.files) > 1 else ()
            self._change_details(take, parts=parts, ended=take.note)
            self._store.note(session, take.carrier_id, f"mended a cut-off recording, {clock(mended.seconds)} kept")
            return f"{who}: a recording was cut off; {clock(mended.seconds)} of it is safe."

    def save_weights(self, take_id: int, codec_bits: Mapping[str, float]) -> None:
        """What each capture codec takes of pictures like this take's, in bits a pixel."""
        with self._store.session() as session:
            self._change_details(session.get_one(Take, take_id), codec_bits=dict(codec_bits))

    def reading_ended(self, take_id: int) -> None:
        """A person stopped its reading, or it failed."""
        with self._store.session() as session:
            self._change_details(session.get_one(Take, take_id), reading_ended=True)

    def save_marks(self, take_id: int, marks: Sequence[Mark], names: Sequence[str] = ()) -> None:
        with self._store.session() as session:
            self._change_details(session.get_one(Take, take_id), marks=tuple(marks), names=tuple(names))

    def add_clip(self, carrier_id: int, path: Path, *, seconds: float, frames: int, name: str) -> int:
        """A clip stands on the shelf by itself, so that it can be read and copied apart from what it was taken from. Returns the new
        carrier's id."""
        parent = self._store.carrier(carrier_id)
        labels = self._shelf.labels()
        number = 1
        while f"{parent.label}-c{number}" in labels:
            number += 1
        details = parent.details.model_copy(update={"condition": CarrierDetails().condition})
        clip = self._shelf.add(
            label=f"{parent.label}-c{number}", title=name, kind="file", standard=parent.standard, nominal_seconds=seconds,
            note=f"a clip of {parent.label}", details=details,
        )  # fmt: skip
        self.add_copied(clip, path, seconds=seconds, frames=frames, words=f"clip of {parent.label}")
        with self._store.session() as session:
            self._store.note(session, carrier_id, f"clip {name}, {clock(seconds)}: {parent.label}-c{number}")
        return clip

    @staticmethod
    def _change_details(take: Take, **changes: object) -> None:
        before = TakeDetails.model_validate(take.details or {})
        take.details = before.model_copy(update=changes).model_dump(mode="json")

    def _take_path(self, session: Session, carrier: Carrier, suffix: str = ".mkv") -> Path:
        stem = safe_name(f"{carrier.label} {carrier.title}")
        planned = set(session.scalars(select(Take.path)))
        number = len(carrier.takes) + 1
        while True:
            path = self._store.workspace.folder / "takes" / f"{stem}-take{number:02d}{suffix}"
            if not is_taken(path) and not is_taken(health_path(path)) and self._store.workspace.keep(path) not in planned:
                return path
            number += 1

    def _add_take(
        self, session: Session, carrier_id: int, path: Path, *, origin: str, state: str, seconds: float | None = None,
        frames: int | None = None, size_bytes: int | None = None, note: str = "",
    ) -> Take:  # fmt: skip
        take = Take(
            carrier_id=carrier_id, path=self._store.workspace.keep(path), origin=origin, state=state, started_at=now_text(),
            seconds=seconds, frames=frames, late=None, dropped=None, size_bytes=size_bytes, note=note,
        )  # fmt: skip
        session.add(take)
        session.flush()
        return take
