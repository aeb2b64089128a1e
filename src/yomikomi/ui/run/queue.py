"""The queue of copies: one at a time, in the order they were asked for."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QObject, Signal

from yomikomi.core.balance.models import Prediction
from yomikomi.core.copying.making import make_copy
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.run_queue import ask_copy, ask_set, next_copy, write_failed, write_made, write_stopped
from yomikomi.core.ledger.views import CarrierView, CopyView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.sets.planning import PlannedCopy
from yomikomi.core.video.units import counted
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import clear_parts
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

    def ask(self, view: CarrierView, recipe: Recipe, predicted: Prediction | None, outlet: Outlet | None = None) -> int:
        """Put a copy of a carrier's take into the queue; starts at once when nothing runs."""
        copy_id = ask_copy(self._state.record, view, recipe, predicted, outlet)
        self._state.reload()
        self.start_next()
        return copy_id

    def ask_set(self, view: CarrierView, planned: Sequence[PlannedCopy], predicted: Sequence[Prediction | None]) -> None:
        """Put all copies of a set into the queue; starts at once when nothing runs."""
        asked = ask_set(self._state.record, view, planned, predicted)
        self._state.reload()
        self._state.tell(Weight.FINE, f"{counted(len(asked), 'copy', 'copies')} of {view.label} in the run.")
        self.start_next()

    def start_next(self) -> None:
        """Start the oldest that waits, unless one runs."""
        if self.job is not None or self._state.jobs.closing or self._state.workspace.read_only:
            return
        found = next_copy(self._state.record)
        if found is not None:
            self.running = found.copy
            self.job = self._state.jobs.start(
                make_copy, found.request, name=f"copy of {found.carrier}", resource="processor",
                on_progress=lambda _job: self.changed.emit(), on_end=lambda job: self._on_end(job, found.copy),
            )  # fmt: skip
            self._state.reload()
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

    def _on_end(self, job: Job, copy: CopyView) -> None:
        self.job = self.running = None
        clear_parts(copy.path.parent, copy.path)  # in case the worker was ended before it could clear up
        record, state = self._state.record, self._state
        if job.state is JobState.DONE:
            state.notices.pass_on(write_made(record, copy, job.result))
        elif state.jobs.closing:
            record.copies.requeue(copy.id)
            return
        elif job.state is JobState.CANCELLED:
            state.notices.pass_on(write_stopped(record, copy))
        else:
            write_failed(record, copy, job.error)
            state.tell_end(job)
        state.reload()
        self.start_next()
        self.changed.emit()
