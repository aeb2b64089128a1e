"""Long work and short background calls, seen from the main thread."""

from __future__ import annotations

import contextlib
import os
import threading
from collections.abc import Callable
from functools import partial
from typing import Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal, Slot
from shiboken6 import isValid

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work import Job, Reporter, SilentReporter
from yomikomi.core.work.defects import defect
from yomikomi.core.work.job import GRACE_S
from yomikomi.core.work.kinds import JobKind
from yomikomi.core.work.warm import is_ready

_POLL_MS = 33
# Of threads that make what the window shows.
_CALL_NICENESS = 5
# Begins the names of resources that are devices.
DEVICE = "device "


class JobRunner(QObject):
    """The front door for jobs: starts them, polls them on one timer, tells what changed.

    Jobs that name the same ``resource`` (the take drive, the encoders) run one after another.
    """

    progressed = Signal(object)
    ended = Signal(object)
    changed = Signal()
    closes = Signal()  # the program ends; jobs still run
    troubled = Signal(object)  # what went wrong while the end of a job was written down

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._running: list[tuple[Job, str]] = []
        self._waiting: list[tuple[Job, str]] = []
        self._leaving: list[tuple[Job, str]] = []
        self._callbacks: dict[int, tuple[Callable[[Job], None] | None, Callable[[Job], None] | None]] = {}
        self.closing = False
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)

    @property
    def jobs(self) -> list[Job]:
        """Running ones first, then waiting ones."""
        return [job for job, _ in [*self._running, *self._waiting]]

    def start(
        self,
        function: Callable[[Any, Reporter], Any],
        request: Any,
        *,
        name: str,
        resource: str = "",
        urgent: bool = False,
        grace: float = GRACE_S,
        limit: float | None = None,
        kind: JobKind = JobKind.OTHER,
        key: str = "",
        on_progress: Callable[[Job], None] | None = None,
        on_end: Callable[[Job], None] | None = None,
    ) -> Job:
        job = Job(function, request, name=name, urgent=urgent, grace=grace, limit=limit, kind=kind, key=key)
        self._callbacks[id(job)] = (on_progress, on_end)
        if self.closing:
            job.cancel()
            self._tell_end(job)
            return job
        if resource and resource in self._taken():
            self._waiting.append((job, resource))
        else:
            self._launch(job, resource)
        self.changed.emit()
        return job

    def stop_all(self) -> None:
        """At the end of the program: let recordings close in order, end the rest. Those who asked hear of it, also of what only waited,
        and see by ``closing`` that it was not by hand; nothing is begun any more."""
        self.closing = True
        self.closes.emit()
        waiting, self._waiting = self._waiting, []
        for job, _ in self._running:
            job.cancel()
        for job, _ in self._running:
            try:
                job.wait(timeout=6)
            except TimeoutError:
                job.kill()
            self._tell_end(job)
        self._running.clear()
        for job, _ in waiting:
            job.cancel()
            self._tell_end(job)
        self._timer.stop()

    def cancel(self, job: Job) -> None:
        job.cancel()
        self._waiting = [pair for pair in self._waiting if pair[0] is not job]
        if job.state.ended and id(job) in self._callbacks:
            self._tell_end(job)
        self.changed.emit()

    def _launch(self, job: Job, resource: str) -> None:
        job.start()
        self._running.append((job, resource))
        self._timer.start()

    def _poll(self) -> None:
        running = list(self._running)
        for job, _ in running:
            generation = job.generation
            if not job.poll() or job.generation == generation:
                continue
            if job.state.ended:
                self._running = [pair for pair in self._running if pair[0] is not job]
                self._leaving.append(next(pair for pair in running if pair[0] is job))
                self._tell_end(job)
                self._start_waiting()
            else:
                on_progress = self._callbacks[id(job)][0]
                if on_progress:
                    on_progress(job)
                self.progressed.emit(job)
        left = [pair for pair in self._leaving if not pair[0].gone()]
        if len(left) < len(self._leaving):
            self._leaving = left
            self._start_waiting()
        if not self._running and not self._leaving:
            self._timer.stop()

    def _tell_end(self, job: Job) -> None:
        _, on_end = self._callbacks.pop(id(job), (None, None))
        try:
            if on_end:
                on_end(job)
        except YomikomiError as error:  # the record's drive is full, or gone
            self.troubled.emit(error)
        self.ended.emit(job)
        self.changed.emit()

    def _taken(self) -> set[str]:
        """Resources in use. A device is free again only when the process that read it is gone: until then it cannot be opened."""
        taken = {resource for _, resource in self._running if resource}
        return taken | {resource for _, resource in self._leaving if resource.startswith(DEVICE)}

    def _start_waiting(self) -> None:
        taken = self._taken()
        for job, resource in list(self._waiting):
            if resource not in taken:
                self._waiting.remove((job, resource))
                self._launch(job, resource)
                taken.add(resource)


class _Carrier(QObject):
    finished = Signal(object, object)


class _Call(QRunnable):
    def __init__(self, function: Callable[[], Any], carrier: _Carrier) -> None:
        super().__init__()
        self._function, self._carrier = function, carrier

    def run(self) -> None:
        # Decoders' threads are born with the priority of this one: the window comes first.
        with contextlib.suppress(OSError):
            os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), _CALL_NICENESS)
        try:
            answer, error = self._function(), None
        except YomikomiError as expected:
            answer, error = None, expected
        except OSError as told:
            answer, error = None, YomikomiError(f"The system said: {told.strerror or told}.", remedy="Check the drive.")
        except Exception as other:  # the border between threads: shown, not lost
            answer, error = None, defect(other, "a call in the background")
        try:
            self._carrier.finished.emit(answer, error)
        except RuntimeError:  # the window went while the call ran
            return


class Calls(QObject):
    """Short calls in a thread (a frame for a viewer, a look at a file). Only the newest answer of a kind is applied."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(2)
        self._generation: dict[str, int] = {}
        self._alive: set[_Carrier] = set()

    def call(
        self,
        kind: str,
        function: Callable[[], Any],
        on_answer: Callable[[Any], None],
        on_error: Callable[[YomikomiError], None] | None = None,
        *,
        stale_allowed: bool = False,
    ) -> None:
        generation = self._generation.get(kind, 0) + 1
        self._generation[kind] = generation
        carrier = _Carrier(self)
        self._alive.add(carrier)

        @Slot(object, object)
        def apply(answer: Any, error: YomikomiError | None) -> None:
            self._alive.discard(carrier)
            carrier.deleteLater()
            if not stale_allowed and self._generation[kind] != generation:
                return
            asker = getattr(getattr(on_answer, "func", on_answer), "__self__", None)  # of a method, also one with some arguments given
            if isinstance(asker, QObject) and not isValid(asker):
                return  # the window went while the call ran
            if error is None:
                on_answer(answer)
            elif on_error:
                on_error(error)

        carrier.finished.connect(apply)
        self._pool.start(_Call(function, carrier))

    def compute(
        self,
        kind: str,
        function: Callable[[Any, Reporter], Any],
        request: Any,
        on_answer: Callable[[Any], None],
        on_error: Callable[[YomikomiError], None] | None = None,
    ) -> None:
        """As :meth:`call`, for what computes and hardly waits: in a worker, so that it does not take turns with the painting."""
        self.call(kind, partial(_in_worker, function, request), on_answer, on_error)

    def wait(self) -> None:
        self._pool.waitForDone(3000)


def _in_worker(function: Callable[[Any, Reporter], Any], request: Any) -> Any:
    """Until workers start at once (``core.work.warm``), here: a fresh interpreter would take longer than the work."""
    if not is_ready():
        return function(request, SilentReporter())
    job = Job(function, request, name="computing").start()
    job.wait()
    return job.answer()
