"""Reading takes in a worker: when a person asks, and by itself when a take is new."""

from __future__ import annotations

from functools import partial
from typing import Literal

from PySide6.QtCore import QObject, Signal

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.reading.cache import CachedReadRequest, read_cached
from yomikomi.core.reading.scanner import ReadRequest
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import is_taken
from yomikomi.core.work.notices import Weight
from yomikomi.ui.run.house_keeper import HouseKeeper
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.state import AppState

Mode = Literal["full", "quick"]
# A take that is longer is read quickly first, so that there is something to go on with; then every frame.
_QUICK_FIRST_S = 180.0


class ReadingWork(QObject):
    """One take at a time. ``changed`` when a reading began or ended, ``progressed`` with the job.

    New takes are read without being asked for, but never beside a recording: one that begins sends the reading back into the line.
    What a person stopped is not begun again by itself.
    """

    changed = Signal()
    progressed = Signal(object)

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setObjectName("reading work")
        self._state = state
        self.job: Job | None = None
        self.take_id = 0
        self._carrier_id = 0
        self._mode: Mode = "full"
        self._unasked = False
        self._giving_way = False
        self._waiting: list[tuple[int, Mode, bool]] = []
        self._left: set[int] = set()  # takes of earlier sessions: who stops the reading of one wants none of them now
        state.jobs.changed.connect(self._on_jobs)

    @classmethod
    def of(cls, state: AppState) -> ReadingWork:
        """The one of a window."""
        found = state.findChild(cls, "reading work")
        return found if found is not None else cls(state)

    def read(self, view: CarrierView, mode: Mode = "full", *, unasked: bool = False) -> bool:
        """Measure the newest take of a carrier; False where it cannot be begun. What runs unasked gives way to a person's wish."""
        take = view.take
        if take is None or take.state == "recording" or not self._state.may_write():
            return False
        if self.job is not None:
            if unasked or not self._unasked or self.take_id == take.id:
                return False
            self._waiting = [(view.id, mode, False), *self._waiting]
            self._give_way(1)
            return True
        # The same footage, under whatever name, is not measured twice unless that is asked for.
        kept = self._state.workspace.folder / "trials" / "readings"
        again = view.reading is not None and not unasked
        self.take_id, self._carrier_id, self._mode, self._unasked = take.id, view.id, mode, unasked
        self._giving_way = False
        self._waiting = [one for one in self._waiting if one[0] != view.id]
        self.job = self._state.jobs.start(
            read_cached, CachedReadRequest(ReadRequest(take.path, mode=mode), kept, again=again), name=f"reading {view.label}",
            resource="processor", on_progress=self.progressed.emit, on_end=partial(self._on_end, take_id=take.id),
        )  # fmt: skip
        self.changed.emit()
        return True

    def read_new(self, carriers: list[int]) -> None:
        """Read the newest takes of these carriers, one after another, as soon as nothing is recorded."""
        for carrier_id in carriers:
            view = self._state.view_of(carrier_id)
            if view is not None and view.take is not None and view.reading is None:
                quick = (view.take.seconds or 0.0) > _QUICK_FIRST_S
                self._waiting.append((carrier_id, "quick" if quick else "full", True))
        self._begin_next()

    def read_left(self) -> None:
        """Read what earlier sessions left unread, where its file can be reached and no person stopped it then."""
        takes = [(view.id, view.take) for view in self._state.carriers if view.take is not None and view.reading is None]
        left = [(number, take) for number, take in takes if take.state in {"whole", "mended"} and not take.details.reading_ended]

        def begin(there: list[tuple[int, int]]) -> None:
            self._left.update(take_id for _, take_id in there)
            self.read_new([carrier_id for carrier_id, _ in there])
            if there and self.job is not None:
                what = "1 take is not read yet" if len(there) == 1 else f"{len(there)} takes are not read yet"
                self._state.tell(Weight.FINE, f"{what}: reading begins.", "Stop it in the strip above.")

        reachable = lambda: [(carrier_id, take.id) for carrier_id, take in left if is_taken(take.path)]  # noqa: E731
        self._state.calls.call("left unread", reachable, begin)  # in a thread: a drive that is away answers late

    def _on_jobs(self) -> None:
        if self._state.records and self.job is not None and self._unasked and not self._giving_way:
            self._give_way(0)
        elif self.job is None:
            self._begin_next()

    def _give_way(self, place: int) -> None:
        """What runs goes back into the line."""
        assert self.job is not None
        self._giving_way = True
        self._waiting.insert(place, (self._carrier_id, self._mode, True))
        self._state.jobs.cancel(self.job)

    def _begin_next(self) -> None:
        while self._waiting and self.job is None and not self._state.records and not self._state.jobs.closing:
            carrier_id, mode, unasked = self._waiting.pop(0)
            view = self._state.view_of(carrier_id)
            # A person who went on with what the quick reading found is not overtaken by the full one.
            if view is not None and (view.treatment is None or not unasked) and self.read(view, mode, unasked=unasked):
                return

    def _on_end(self, job: Job, take_id: int) -> None:
        self.job = None
        if job.state is JobState.DONE:
            self._keep(job, take_id)
        elif not self._giving_way:
            if not self._state.jobs.closing:
                self._state.record.takes.reading_ended(take_id)
                if take_id in self._left:
                    self._waiting = [one for one in self._waiting if not one[2]]
            self._state.tell_end(job)
        self.changed.emit()
        self._begin_next()

    def _keep(self, job: Job, take_id: int) -> None:
        view = next((one for one in self._state.carriers if one.take is not None and one.take.id == take_id), None)
        overtaken = self._unasked and view is not None and view.reading is not None and view.treatment is not None
        if overtaken:  # it stays in the cache, and comes at once where it is asked for
            return
        self._state.record.readings.save(take_id, job.result)
        self._state.reload()
        if HouseKeeper(self._state, CopyQueue.of(self._state).start_next).read(self._carrier_id):
            return
        if self._unasked and self._mode == "quick":
            self._waiting.append((self._carrier_id, "full", True))
