"""Jobs of the run in worker processes of this machine."""

from __future__ import annotations

import contextlib
import os
import signal
from collections.abc import Callable
from typing import Any

import psutil

from yomikomi.core.errors import YomikomiError
from yomikomi.core.run.executors.face import Function
from yomikomi.core.work import Job, JobState

THIS_MACHINE = "this machine"


class LocalHandle:
    """Parameters
    ----------
    job : begun, or waiting for something to be free. Whoever began it polls it.
    """

    def __init__(self, job: Job) -> None:
        self.job = job
        self.worker = THIS_MACHINE
        self._frozen = False
        self.peak_bytes: int | None = None

    @property
    def state(self) -> JobState:
        return self.job.state

    @property
    def progress(self) -> Any:
        return self.job.progress

    @property
    def result(self) -> Any:
        return self.job.result

    @property
    def error(self) -> YomikomiError | None:
        return self.job.error

    def watch(self) -> None:
        """Measure it, as the system counts what is resident; and stop what began only after it was to stand still."""
        if self.job.pid is None or self.job.state.ended:
            return
        with contextlib.suppress(psutil.Error, OSError):
            process = psutil.Process(self.job.pid)
            self.peak_bytes = max(self.peak_bytes or 0, process.memory_info().rss)
            if self._frozen and process.status() != psutil.STATUS_STOPPED:
                self._signal(signal.SIGSTOP)

    def cancel(self) -> None:
        self.thaw()
        self.job.cancel()

    def freeze(self) -> None:
        self._frozen = True
        self._signal(signal.SIGSTOP)

    def thaw(self) -> None:
        if self._frozen:
            self._frozen = False
            self._signal(signal.SIGCONT)

    def _signal(self, number: signal.Signals) -> None:
        if self.job.pid is not None and not self.job.state.ended:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.job.pid, number)


class LocalExecutor:
    """Each job in a process of its own, which is begun only when its turn comes. ``niceness``: above that of this program."""

    slots: int | None = None

    def __init__(self, niceness: int | None = None) -> None:
        self._running: list[tuple[LocalHandle, Callable[[LocalHandle], None]]] = []
        self._leaving: list[Job] = []
        self._niceness = niceness

    def start(self, function: Function, request: Any, *, name: str, key: str, on_end: Callable[[LocalHandle], None]) -> LocalHandle:
        handle = LocalHandle(Job(function, request, name=name, key=key, grace=2.0, niceness=self._niceness).start())
        self._running.append((handle, on_end))
        return handle

    def poll(self) -> bool:
        changed = False
        for handle, on_end in list(self._running):
            changed |= handle.job.poll()
            if handle.job.state.ended:
                self._running = [pair for pair in self._running if pair[0] is not handle]
                self._leaving.append(handle.job)
                on_end(handle)
        self._leaving = [job for job in self._leaving if not job.gone()]
        return changed

    def gone(self) -> bool:
        """Whether no process is left."""
        return not self._running and not [job for job in self._leaving if not job.gone()]
