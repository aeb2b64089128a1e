"""The queue of copies: one at a time, in the order they were asked for."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.recipes import Recipe
from yomikomi.core.errors import UnfinishedError, YomikomiError
from yomikomi.core.ledger.naming import copy_stem
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.run.copying import CopyRequest, CopyResult, make_copy
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import clear_parts, free_name
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState


class CopyQueue(QObject):
    """Asks the record what waits, runs it, writes down how it ended. ``changed`` when anything did."""

    changed = Signal()

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setObjectName("copy queue")
        self._state = state
        self.job: Job | None = None
        self.running: CopyView | None = None

    @classmethod
    def of(cls, state: AppState) -> CopyQueue:
        """The one queue of a window."""
        found = state.findChild(cls, "copy queue")
        return found if found is not None else cls(state)

    def ask(self, view: CarrierView, recipe: Recipe, predicted: Prediction | None) -> int:
        """Put a copy of a carrier's take into the queue; starts at once when nothing runs."""
        assert view.take is not None
        assert view.treatment is not None
        copies = self._state.workspace.folder / "copies"
        target = free_name(copies, copy_stem(view, recipe), f".{recipe.container}", taken=self._state.record.copies.planned_names())
        copy_id = self._state.record.copies.ask(view.take.id, recipe, view.treatment, predicted, target)
        self._state.reload()
        self.start_next()
        return copy_id

    def start_next(self) -> None:
        """Start the oldest that waits, unless one runs."""
        if self.job is not None or self._state.jobs.closing or self._state.workspace.read_only:
            return
        for copy in self._state.record.copies.all():
            if copy.state == "waiting" and self._start(copy):
                return
        self.changed.emit()

    def stop(self) -> None:
        if self.job is not None:
            self._state.jobs.cancel(self.job)

    def forget(self, copy_id: int) -> None:
        """Take a waiting copy out of the queue."""
        self._state.record.copies.end(copy_id, result=None, state="cancelled", trouble="taken out of the run")
        self._state.reload()
        self.changed.emit()

    def keep(self, copy_id: int) -> None:
        """A copy that failed a check gets its name all the same, since a person says so."""
        try:
            kept = self._state.record.copies.keep(copy_id)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self._state.tell(Weight.LOOK, f"{kept.name} is kept; it stays marked as not verified.")
        self._state.reload()
        self.changed.emit()

    def _start(self, copy: CopyView) -> bool:
        record = self._state.record
        try:
            work = record.copies.work(copy.id)
        except UnfinishedError as error:
            record.copies.end(copy.id, result=None, state="failed", trouble=str(error))
            return False
        request = CopyRequest(work.path, work.target, work.reading, work.treatment, work.recipe)
        record.copies.start(copy.id)
        self.running = copy
        self.job = self._state.jobs.start(
            make_copy, request, name=f"copy of {work.carrier}", resource="processor",
            on_progress=lambda _job: self.changed.emit(), on_end=lambda job: self._on_end(job, copy),
        )  # fmt: skip
        self._state.reload()
        self.changed.emit()
        return True

    def _on_end(self, job: Job, copy: CopyView) -> None:
        self.job = self.running = None
        clear_parts(copy.path.parent, copy.path)  # in case the worker was ended before it could clear up
        record = self._state.record
        result: CopyResult | None = job.result if job.state is JobState.DONE else None
        if result is not None:
            record.copies.end(copy.id, result=result)
            reserves = f" Note: {result.reserves}." if result.reserves else ""
            if result.verified:
                self._state.tell(Weight.LOOK if reserves else Weight.FINE, f"{copy.path.name} is made and verified.{reserves}")
            else:
                wrong = ", ".join(check.name for check in result.checks if not check.passed)
                self._state.tell(
                    Weight.WRONG, f"{copy.path.name} failed: {wrong}.", f"It is kept as {result.file}; keep the take, and copy again."
                )
        elif self._state.jobs.closing:
            record.copies.requeue(copy.id)
            return
        elif job.state is JobState.CANCELLED:
            record.copies.end(copy.id, result=None, state="cancelled", trouble="stopped by hand")
            self._state.tell(Weight.LOOK, f"{copy.path.name} was stopped; no half file was left.")
        else:
            words = str(job.error) if job.error else "failed"
            record.copies.end(copy.id, result=None, state="failed", trouble=words)
            self._state.tell_end(job)
        self._state.reload()
        self.start_next()
        self.changed.emit()
