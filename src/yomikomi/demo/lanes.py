"""The demo's work, two jobs at a time, each under a key of its own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.job import JobState
from yomikomi.ui.state import AppState

_AT_ONCE = 2


class Lanes:
    """``go_on`` is called whenever one is free. What failed is told, and not tried again by this start."""

    def __init__(self, state: AppState, go_on: Callable[[], None]) -> None:
        self._state, self._go_on = state, go_on
        self._running: set[str] = set()
        self._failed: set[str] = set()

    @property
    def full(self) -> bool:
        return len(self._running) >= _AT_ONCE

    @property
    def empty(self) -> bool:
        return not self._running

    def knows(self, key: str) -> bool:
        """It is running, or failed."""
        return key in self._running or key in self._failed

    def take(self, key: str) -> bool:
        """Enter a lane; False where that step is in one, or failed."""
        if self.knows(key):
            return False
        self._running.add(key)
        return True

    def leave(self, key: str) -> None:
        self._running.discard(key)
        if not self._state.jobs.closing:
            self._go_on()

    def run(
        self, key: str, function: Callable[[Any, Reporter], Any], request: Any, name: str, then: Callable[[Any], object], *,
        watch: Callable[[Job], None] | None = None, failed: Callable[[YomikomiError | None], None] | None = None,
    ) -> None:  # fmt: skip
        """A job whose lane was taken; ``then`` gets its result."""

        def ended(job: Job) -> None:
            if job.state is JobState.DONE:
                then(job.result)
                self._state.reload()
            else:
                self._failed.add(key)
                if not self._state.jobs.closing:
                    if failed is not None:
                        failed(job.error)
                    self._state.tell_end(job)
            self.leave(key)

        self._state.jobs.start(function, request, name=name, on_progress=watch, on_end=ended)
