"""A pass as the window sees it: looking, armed to look back, or recording; what its status says, and how it ends."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime
from fractions import Fraction
from pathlib import Path
from typing import Literal

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QApplication

from yomikomi.core.capture.health import CaptureStatus, HealthRow, KeptClip
from yomikomi.core.capture.hearing import HearAs
from yomikomi.core.capture.looking import LookAs
from yomikomi.core.capture.marks import Mark
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.ring import Keep, pieces_of
from yomikomi.core.capture.rings_left import ring_folder
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.naming import safe_name
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.video.source import KnownSpec, SourceSpec
from yomikomi.core.video.timecode import clock
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.kinds import JobKind
from yomikomi.core.work.new_file import is_taken
from yomikomi.core.work.notices import Weight
from yomikomi.ui.source_of import device_of
from yomikomi.ui.state import AppState

Mode = Literal["", "looking", "armed", "recording"]
# A recording ends in order: it may take the encoder a moment to write what it holds.
_END_GRACE_S = 6.0


class CapturePass(QObject):
    """``status`` comes some times a second, ``second`` once a second of the pass, ``changed`` when the mode does, ``ended`` with
    the result of a recording (None: it was cut off)."""

    status = Signal(object)
    second = Signal(object)
    changed = Signal()
    ended = Signal(object)

    def __init__(self, state: AppState, parent: QObject, marks: Callable[[], tuple[Mark, ...]]) -> None:
        super().__init__(parent)
        self._state, self._marks = state, marks
        self.job: Job | None = None
        self.mode: Mode = ""
        self.take_id: int | None = None
        self.frame = 0
        self._looked = -1
        self._hear = False
        self._view: CarrierView | None = None
        self._path: Path | None = None
        self._rate = Fraction(25)
        self._cue = False
        self._warned: set[str] = set()
        self._kept = 0
        self._before = HealthRow(at=0)
        self._totals = (0, 0, 0, 0)

    @property
    def recording(self) -> bool:
        return self.take_id is not None

    def look(self, spec: SourceSpec, look: LookAs) -> None:
        """Show the source without recording."""
        self._launch(CaptureRequest(spec, None, look=look), "looking", "preview")

    def record(self, view: CarrierView, spec: KnownSpec, how: RecordAs, settings: CaptureSettings, look: LookAs) -> bool:
        """Begin a take; False when the record refuses it, which was told then."""
        try:
            take_id, path = self._state.record.takes.begin(view.id, how, bits=spec.format.bits)
        except YomikomiError as error:
            self._state.tell_error(error)
            return False
        self.take_id, self._view, self._cue, self._path = take_id, view, settings.cue, path
        self._rate = spec.format.standard.rate
        request = CaptureRequest(spec, path, how, settings.rules, settings.spill_folders, look=look)
        self._launch(request, "recording", f"recording {view.label}")
        return True

    def arm(self, view: CarrierView, spec: SourceSpec, how: RecordAs, settings: CaptureSettings, look: LookAs) -> None:
        """Keep the last minutes ready."""
        if not self._state.may_write():
            return
        folder = ring_folder(self._state.workspace.folder / "takes", view.id)
        shutil.rmtree(folder, ignore_errors=True)  # what a crash left of an earlier one
        self._view, self._kept, self._cue = view, 0, settings.cue
        request = CaptureRequest(spec, None, how, settings.rules, ring=folder, ring_rules=settings.ring, look=look)
        self._launch(request, "armed", f"buffering {view.label}")

    def keep(self, before_s: float, after_s: float) -> None:
        """Take a clip out of the ring."""
        if self.mode == "armed" and self.job is not None:
            self.job.tell(Keep(before_s, after_s))

    def end(self) -> None:
        """End whatever runs, in order."""
        if self.job is not None:
            self._state.jobs.cancel(self.job)

    def stop_looking(self) -> None:
        """A mere look ends at once; a take goes on."""
        if self.job is not None and self.mode == "looking":
            job, self.job, self.mode = self.job, None, ""
            self._state.jobs.cancel(job)
            self.changed.emit()

    def hear(self, *, on: bool) -> None:
        """The input's sound on this machine's output, now and in passes to come."""
        self._hear = on
        self.tell(HearAs(on))

    def tell(self, word: object) -> None:
        """Other looks or rules for what runs."""
        if self.job is not None:
            self.job.tell(word)

    def _launch(self, request: CaptureRequest, mode: Mode, name: str) -> None:
        self.mode, self.frame, self._looked = mode, 0, -1
        self._warned = set()
        self._before, self._totals = HealthRow(at=0), (0, 0, 0, 0)
        self.job = self._state.jobs.start(
            capture, replace(request, hear=self._hear), name=name, urgent=True, grace=_END_GRACE_S, on_progress=self._on_status,
            on_end=self._on_end,
            kind=JobKind(mode), resource=device_of(request.source),
        )  # fmt: skip
        self.changed.emit()

    def _on_status(self, job: Job) -> None:
        if job is not self.job:
            return
        status: CaptureStatus = job.progress
        self.frame = status.number
        if status.looks is not None and status.looks.number == self._looked:
            status = replace(status, looks=None)  # shown already
        elif status.looks is not None:
            self._looked = status.looks.number
        self.status.emit(status)
        if self.mode == "looking":
            return
        self._note_second(status)
        for clip in status.kept[self._kept :]:
            self._join(clip)
        self._kept = max(self._kept, len(status.kept))
        # The figures in a warning change all the time; a fault is new when its kind is.
        kinds = {one.kind for one in status.warnings}
        if kinds - self._warned and self._cue:
            QApplication.beep()
        self._warned = kinds

    def _note_second(self, status: CaptureStatus) -> None:
        """A row for every second, as the worker's log has it."""
        if status.seconds < self._before.at + 1:
            return
        totals = (status.frames, status.late, status.dropped, status.repeated)
        new = [max(0, now - then) for now, then in zip(totals, self._totals, strict=True)]
        self._totals = totals
        self._before = HealthRow(
            at=float(int(status.seconds)), frames=new[0], late=new[1], lost=new[2], repeated=new[3],
            queue=status.queue, headroom=status.headroom, mbps=status.bits_per_second / 1e6, write_ms=status.write_ms,
            free_gb=status.free_bytes / 1e9, peak_db=status.peak_db, rms_db=status.rms_db,
            signs=tuple(one.words for one in status.warnings),
        )  # fmt: skip
        self.second.emit(self._before)

    def _on_end(self, job: Job) -> None:
        mode = self.mode if self.job is job else "looking"
        if self.job is job:
            self.job, self.mode = None, ""
        if mode == "recording":
            self._end_take(job)
        else:
            self._end_without_take(job, mode)
        self.changed.emit()

    def _end_take(self, job: Job) -> None:
        take_id, self.take_id = self.take_id, None
        assert take_id is not None
        result: CaptureResult | None = job.result
        if result is not None:
            self._state.record.takes.end(take_id, result)
            self._state.upkeep.weigh_take(take_id, result)
            self._mark_end(take_id, result)
            self._say(result)
        else:
            # The worker died or was ended: what it wrote is mended at once.
            if job.state is JobState.FAILED:
                self._state.tell_end(job)
            frames = job.progress.frames if isinstance(job.progress, CaptureStatus) else 0
            if self._path is not None and is_taken(self._path):
                self._state.upkeep.mend_takes(take_id)
            elif frames:
                self._state.record.takes.mark_away(take_id, frames)  # a take that ever had a frame is not forgotten
                self._state.upkeep.mend_takes(take_id)
            else:
                self._state.record.takes.forget(take_id)
        self._state.reload()
        self.ended.emit(result)
        if result is not None and result.frames and self._view is not None:
            self._state.takes_ready.emit([self._view.id])

    def _end_without_take(self, job: Job, mode: Mode) -> None:
        if job.state is JobState.FAILED:
            self._state.tell_end(job)
        elif isinstance(job.result, CaptureResult) and job.result.trouble:
            self._state.tell(Weight.WRONG, job.result.trouble, job.result.remedy)
        if mode == "armed":
            self._state.upkeep.keep_clips()  # those that were asked for in the last moment

    def _mark_end(self, take_id: int, result: CaptureResult) -> None:
        """Where the programme seems to end, when an empty tail was recorded."""
        if result.tail_seconds and result.frames:
            frame = max(1, result.frames - round(result.tail_seconds * self._rate))
            self._state.record.takes.save_marks(take_id, (*self._marks(), Mark(frame=frame, kind="out", label="end of the programme")))

    def _say(self, result: CaptureResult) -> None:
        if result.trouble:
            self._state.tell(Weight.WRONG, result.trouble, result.remedy)
        elif result.dropped:
            words = f"{clock(result.seconds)} captured; {result.dropped} frames were lost."
            self._state.tell(Weight.LOOK, words, "The strip shows where.")
        else:
            ended = f"{result.ended} " if result.ended else ""
            self._state.tell(Weight.FINE, f"{ended}{clock(result.seconds)} captured, nothing lost.")

    def _join(self, clip: KeptClip) -> None:
        """A clip out of the ring becomes a file of its own on the shelf."""
        if self._view is not None:
            name = f"kept {datetime.now(UTC).astimezone():%H-%M-%S}"
            self._state.upkeep.join_clip(self._view.id, name, safe_name(f"{self._view.label} {name}"), pieces_of(clip), clip.folder)


def parts_of(state: AppState, view: CarrierView) -> tuple[Path, ...]:
    """The files of the newest take, where there are several."""
    return tuple(state.workspace.path(one) for one in view.take.details.parts) if view.take is not None else ()
