"""How long it takes until work stops. What else runs on the machine may spoil one attempt, hardly two."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from typing import TypeVar

from yomikomi.core.work import Job

# What a person waits at most for "stop" to be done (the issue's own figure).
CANCEL_LIMIT_S = 0.5
T = TypeVar("T")


def wait_for(what: Callable[[], T], seconds: float, *, every: float = 0.02) -> T:
    """What comes within so many seconds; asked for every so often."""
    end = time.monotonic() + seconds
    while not (found := what()):
        assert time.monotonic() < end
        time.sleep(every)
    return found


def cancel_seconds(job: Job, *, started: Callable[[], object] = lambda: False) -> float:
    """Cancel a running job as soon as it reports (or ``started`` is so), and see how long its end takes."""
    while job.progress is None and not started() and not job.state.ended:
        job.poll()
        time.sleep(0.001)
    began = time.monotonic()
    job.cancel()
    while not job.state.ended:
        job.poll()
        time.sleep(0.001)
    return time.monotonic() - began


def usual_of_three(attempt: Callable[[], float]) -> float:
    """The middle one: a single slip of the machine is no verdict, and two are."""
    return statistics.median(attempt() for _ in range(3))
