"""Capturing's part of the record: how this workspace captures, takes as they are made, and their marks."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import select

from yomikomi.core.capture.marks import Mark
from yomikomi.core.capture.mend import Mended
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.settings import CaptureSettings, TakeDetails
from yomikomi.core.errors import WrongUseError
from yomikomi.core.ledger.base import now_text
from yomikomi.core.ledger.paths import PathRecord
from yomikomi.core.ledger.schema import CaptureSettingsRow, Take
from yomikomi.core.ledger.shelf import ShelfRecord
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.video.timecode import clock


class CaptureRecord(ShelfRecord, PathRecord):
    def capture_settings(self) -> CaptureSettings:
        with self._session() as session:
            row = session.scalar(select(CaptureSettingsRow))
            return CaptureSettings.model_validate(row.document) if row else CaptureSettings()

    def save_capture_settings(self, settings: CaptureSettings) -> None:
        with self._session() as session:
            row = session.scalar(select(CaptureSettingsRow))
            document = settings.model_dump(mode="json")
            if row is None:
                session.add(CaptureSettingsRow(changed_at=now_text(), document=document))
            else:
                row.changed_at, row.document = now_text(), document

    def begin_take(self, carrier_id: int, record_as: RecordAs | None = None, *, bits: int = 8) -> tuple[int, Path]:
        """Name a new take; its row says that it is being recorded until it is ended.

        Raises WrongUseError for a carrier that was found unfit to be played.
        """
        how = record_as or RecordAs()
        with self._session() as session:
            carrier = self._row(session, carrier_id)
            condition = CarrierDetails.model_validate(carrier.details or {}).condition
            if condition.verdict == "unfit":
                raise WrongUseError(
                    f"{carrier.label} is {condition.words}.", remedy="Judge its condition anew on the Shelf before it is played."
                )
            path = self._take_path(session, carrier, how.suffix(bits))
            take = self._add_take(session, carrier_id, path, origin="captured", state="recording")
            take.details = TakeDetails(record_as=how).model_dump(mode="json")
            self._keep_sheet(session, carrier, take)
            return take.id, path

    def forget_take(self, take_id: int) -> None:
        """A take that never began: there is no file of it, and nothing to be told later."""
        with self._session() as session:
            take = session.get_one(Take, take_id)
            for sheet in [one for one in take.carrier.sheets if one.take_id == take_id]:
                session.delete(sheet)
            session.delete(take)

    def end_take(self, take_id: int, result: CaptureResult) -> None:
        with self._session() as session:
            take = session.get_one(Take, take_id)
            take.state = "whole" if result.frames else "lost"
            take.seconds, take.frames = result.seconds, result.frames
            take.late, take.dropped, take.size_bytes = result.late, result.dropped, result.bytes_written
            take.note = result.trouble
            parts = tuple(self.workspace.keep(path) for path in result.parts) if len(result.parts) > 1 else ()
            self._change_details(
                take, parts=parts, gaps=result.gaps, repeated=result.repeated, ended=result.ended, tail_seconds=result.tail_seconds
            )
            lost = f", {result.dropped} frames lost" if result.dropped else ", nothing lost"
            trouble = f"; {result.trouble}" if result.trouble else ""
            files = f" in {len(parts)} files" if parts else ""
            self._note(session, take.carrier_id, f"captured {clock(result.seconds)}{files}{lost}{trouble}")

    def cut_off_takes(self) -> list[tuple[int, str, Path]]:
        """Takes that were being recorded when the program ended: id, carrier's label, file. They want mending."""
        with self._session() as session:
            rows = session.scalars(select(Take).where(Take.state == "recording")).all()
            return [(take.id, take.carrier.label, self.workspace.path(take.path)) for take in rows]

    def save_mended(self, take_id: int, mended: Mended | None, trouble: str = "") -> str:
        """Write down how mending went (None: nothing could be read). Returns the sentence for the person."""
        with self._session() as session:
            take = session.get_one(Take, take_id)
            who = take.carrier.label
            if mended is None:
                take.state, take.note = "lost", trouble or "nothing of it could be read"
                return f"{who}: the recording that was cut off could not be mended; its file is kept as it is."
            take.state, take.frames, take.seconds = "mended", mended.frames, mended.seconds
            take.size_bytes = sum(path.stat().st_size for path in mended.files or (self.workspace.path(take.path),))
            take.note = "cut off while recording, and mended"
            parts = tuple(self.workspace.keep(path) for path in mended.files) if len(mended.files) > 1 else ()
            self._change_details(take, parts=parts, ended=take.note)
            self._note(session, take.carrier_id, f"mended a cut-off recording, {clock(mended.seconds)} kept")
            return f"{who}: a recording was cut off; {clock(mended.seconds)} of it is safe."

    def save_marks(self, take_id: int, marks: Sequence[Mark], names: Sequence[str] = ()) -> None:
        with self._session() as session:
            self._change_details(session.get_one(Take, take_id), marks=tuple(marks), names=tuple(names))

    @staticmethod
    def _change_details(take: Take, **changes: object) -> None:
        before = TakeDetails.model_validate(take.details or {})
        take.details = before.model_copy(update=changes).model_dump(mode="json")

    def add_clip(self, carrier_id: int, path: Path, *, seconds: float, frames: int, name: str) -> int:
        """A clip stands on the shelf by itself, so that it can be read and copied apart from what it was taken from. Returns the new
        carrier's id."""
        parent = self.carrier(carrier_id)
        labels = self.labels()
        number = 1
        while f"{parent.label}-c{number}" in labels:
            number += 1
        details = parent.details.model_copy(update={"condition": CarrierDetails().condition})
        clip = self.add_carrier(
            label=f"{parent.label}-c{number}", title=name, kind="file", standard=parent.standard, nominal_seconds=seconds,
            note=f"a clip of {parent.label}", details=details,
        )  # fmt: skip
        self.add_copied_take(clip, path, seconds=seconds, frames=frames, words=f"clip of {parent.label}")
        self.note(carrier_id, f"clip {name}, {clock(seconds)}: {parent.label}-c{number}")
        return clip
