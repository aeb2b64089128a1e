"""A job: one function run in a process of its own, watched from the main thread by polling."""

from __future__ import annotations

import contextlib
import enum
import multiprocessing
import os
import signal
import time
from collections.abc import Callable
from multiprocessing.process import BaseProcess
from typing import Any

from yomikomi.core.errors import UnfinishedError, WorkerDiedError, YomikomiError
from yomikomi.core.work import warm
from yomikomi.core.work.defects import defect
from yomikomi.core.work.kinds import JobKind
from yomikomi.core.work.priority import wake_when_orphaned
from yomikomi.core.work.reporter import PipeReporter, Reporter

# Seconds between the wish to stop and the end of a worker that does not listen.
GRACE_S = 0.35
# Seconds a worker may take to leave after its last word.
_LEAVE_S = 2.0
# Seconds in which a worker whose program is gone ends in order, before it is gone too; one that records takes what it needs.
_ORPHAN_S = 5.0
# Niceness of workers that are not recording: the window and a running recording go first.
BACKGROUND_NICENESS = 10


class JobState(enum.StrEnum):
    QUEUED = "queued"
    RUNNING = "running"
    CANCELLING = "cancelling"
    CANCELLED = "cancelled"
    FAILED = "failed"
    DONE = "done"

    @property
    def ended(self) -> bool:
        return self in {JobState.CANCELLED, JobState.FAILED, JobState.DONE}


class Job:
    """Runs ``function(request, reporter)`` in a worker process.

    Nothing happens by itself: the owner calls :meth:`poll` on a timer, which is cheap and never blocks, and then
    looks at ``state``, ``progress``, ``result`` and ``error``. After the end it calls :meth:`gone` now and then, until
    the worker process has left too: that takes an interpreter some hundredths of a second, which nobody waits for.

    Parameters
    ----------
    function : a function at module level; it must be importable by name.
    request : frozen, picklable.
    name : shown to people.
    urgent : keep normal priority (a recording); all other work steps back.
    grace : seconds a worker may take to end in order after a wish to stop, before it is ended.
    on_end : called once, in the polling thread, after the state became final (for clearing up files).
    kind, key : what it does and to what, for code that looks for it; names are for people.
    limit : seconds after which the worker is ended, for work on foreign data that ought to be quick.
    niceness : 0…19, where it is not the usual one of its urgency.
    """

    def __init__(
        self,
        function: Callable[[Any, Reporter], Any],
        request: Any,
        *,
        name: str,
        urgent: bool = False,
        grace: float = GRACE_S,
        on_end: Callable[[Job], None] | None = None,
        limit: float | None = None,
        kind: JobKind = JobKind.OTHER,
        key: str = "",
        niceness: int | None = None,
    ) -> None:
        self.name, self.kind, self.key = name, kind, key
        self._limit = limit
        self.state = JobState.QUEUED
        self.progress: Any = None
        self.result: Any = None
        self.error: YomikomiError | None = None
        self.generation = 0
        self.started_at = 0.0
        self._grace = grace
        self._on_end = on_end
        self._stop_asked_at: float | None = None
        self._ended_at = 0.0
        self._far_end_gone = False
        self._pipe: Any = None  # made at the start: five hundred waiting jobs would take all the descriptors there are
        self._what = (function, request, urgent, niceness)
        self._process: BaseProcess | None = None

    @property
    def pid(self) -> int | None:
        return self._process.pid if self._process else None

    def start(self) -> Job:
        self._pipe, far_end = multiprocessing.Pipe()
        self._process = warm.begin(_work, (*self._what, far_end, warm.surroundings()), self.name)
        far_end.close()
        self.state = JobState.RUNNING
        self.started_at = time.monotonic()
        return self

    def cancel(self) -> None:
        """Ask the work to stop. It ends in order if it can, and is ended after the grace period if not."""
        if self.state is JobState.QUEUED:
            self._end(JobState.CANCELLED)
        if self.state is JobState.RUNNING:
            self.state = JobState.CANCELLING
            self._stop_asked_at = time.monotonic()
            with contextlib.suppress(BrokenPipeError, OSError):
                self._pipe.send(("stop", None))

    def tell(self, value: Any) -> None:
        """Say something to running work that listens (see ``Reporter.heard``); frozen and picklable."""
        if self.state is JobState.RUNNING:
            with contextlib.suppress(BrokenPipeError, OSError):
                self._pipe.send(("told", value))

    def poll(self) -> bool:
        """Take in what the worker said. Returns whether anything changed."""
        if self.state.ended or self.state is JobState.QUEUED:
            return False
        changed = self._read_pipe()
        if not self.state.ended and self._far_end_gone and not self._alive:
            self._died()
            changed = True
        overdue = self._stop_asked_at is not None and time.monotonic() - self._stop_asked_at > self._grace
        if not self.state.ended and overdue:
            self._kill()
            self._end(JobState.CANCELLED)
            changed = True
        if not self.state.ended and self._limit is not None and time.monotonic() - self.started_at > self._limit:
            self._kill()
            self.error = UnfinishedError(
                f"{self.name} took longer than {self._limit:.0f} s and was stopped.", remedy="What it works on is probably damaged."
            )
            self._end(JobState.FAILED)
            changed = True
        return changed

    def wait(self, timeout: float | None = None, watch: Callable[[Job], None] | None = None) -> Job:
        """Block until the end; for the command line and tests, never for the window."""
        until = None if timeout is None else time.monotonic() + timeout
        while not self.state.ended:
            self._wait_for_word(0.05)
            if self.poll() and watch:
                watch(self)
            if until is not None and time.monotonic() > until:
                raise TimeoutError(f"{self.name} did not end within {timeout} s")
        while not self.gone():
            time.sleep(0.005)
        return self

    def gone(self) -> bool:
        """Whether nothing is left of the worker process; never blocks. One that does not leave is ended."""
        if not self._alive:
            return True
        if self.state.ended and time.monotonic() - self._ended_at > _LEAVE_S:
            self._kill()
        return False

    def answer(self) -> Any:
        """The result, or the error raised."""
        if self.state is JobState.DONE:
            return self.result
        raise self.error or UnfinishedError(f"{self.name}: stopped.")

    def kill(self) -> None:
        """End the worker at once (tests of survival, and closing the program)."""
        if self._process is not None and self._alive:
            self._kill()
            self._process.join(2)
        if not self.state.ended:
            self._end(JobState.CANCELLED)

    @property
    def _alive(self) -> bool:
        return self._process is not None and self._process.is_alive()

    def _kill(self) -> None:
        if self._process is not None:
            self._process.kill()

    def _wait_for_word(self, seconds: float) -> None:
        if self._far_end_gone:
            time.sleep(0.005)
        else:
            self._pipe.poll(seconds)

    def _read_pipe(self) -> bool:
        changed = False
        if self._far_end_gone:
            return False
        try:
            while not self.state.ended and self._pipe.poll():
                kind, value = self._pipe.recv()
                changed = True
                self._take(kind, value)
        except (EOFError, OSError):
            self._far_end_gone = True
        return changed

    def _take(self, kind: str, value: Any) -> None:
        if kind == "progress":
            self.progress = value
            self.generation += 1
        elif kind == "done":
            self.result = value
            self._end(JobState.DONE)
        elif kind == "cancelled":
            self.result = value
            self._end(JobState.CANCELLED)
        else:
            self.error = value
            self._end(JobState.FAILED)

    def _died(self) -> None:
        if self.state is JobState.CANCELLING:
            self._end(JobState.CANCELLED)
            return
        code = self._process.exitcode if self._process else None
        how = f"signal {signal.Signals(-code).name}" if code is not None and code < 0 else f"code {code}"
        self.error = WorkerDiedError(
            f"{self.name}: the worker process ended unexpectedly ({how}).",
            remedy="Nothing else is affected; start it again, with less running beside it if memory was short.",
        )
        self._end(JobState.FAILED)

    def _end(self, state: JobState) -> None:
        self.state = state
        self.generation += 1
        self._ended_at = time.monotonic()
        if self._pipe is not None:
            self._pipe.close()
        if self._on_end:
            self._on_end(self)


def _work(
    function: Callable[[Any, Reporter], Any], request: Any, urgent: bool, niceness: int | None, pipe: Any,
    place: tuple[dict[str, str], str | None],
) -> None:  # fmt: skip
    warm.enter(place)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    if niceness is not None or not urgent:
        os.nice(niceness if niceness is not None else BACKGROUND_NICENESS)
    wake_when_orphaned()
    reporter = PipeReporter(pipe, orphan_leaves_after=None if urgent else _ORPHAN_S)
    try:
        result = function(request, reporter)
    except YomikomiError as error:
        kind = "cancelled" if reporter.cancelled() else "failed"
        reporter.finish(kind, None if kind == "cancelled" else error)
    except OSError as error:  # the file system, wherever it was asked
        what = f" ({error.filename})" if error.filename else ""
        wrapped = UnfinishedError(f"The work was ended by the system: {error.strerror or error}{what}.", remedy="Check the drive.")
        reporter.finish("failed", wrapped)
    except MemoryError:
        reporter.finish("failed", UnfinishedError("There is not enough memory for this.", remedy="Close other programs, then try again."))
    except Exception as error:  # the border: whatever a library throws becomes one of ours, with its cause named
        reporter.finish("failed", defect(error, getattr(function, "__name__", "work")))
    else:
        reporter.finish("done", result)
