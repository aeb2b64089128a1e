"""Jobs of the run among the window's own: polled with them, shown with them, ended with them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from yomikomi.core.run.executors.face import Function
from yomikomi.core.run.executors.local import LocalHandle
from yomikomi.core.work import Job
from yomikomi.ui.background import JobRunner

# What readings and trials wait for too: one of them and one encoder at a time, unless there is room for more encoders.
PROCESSOR = "processor"


class WindowExecutor:
    """``on_progress``: called when a job said how far it is."""

    slots: int | None = None

    def __init__(self, jobs: JobRunner, on_progress: Callable[[], None]) -> None:
        self._jobs, self._on_progress = jobs, on_progress
        self._taken: set[str] = set()

    def start(self, function: Function, request: Any, *, name: str, key: str, on_end: Callable[[LocalHandle], None]) -> LocalHandle:
        place = next(name for number in range(1000) if (name := f"{PROCESSOR} {number}" if number else PROCESSOR) not in self._taken)
        self._taken.add(place)

        begun: list[LocalHandle] = []

        def ended(job: Job) -> None:
            self._taken.discard(place)
            on_end(begun[0] if begun else LocalHandle(job))

        job = self._jobs.start(
            function, request, name=name, key=key, resource=place, grace=2.0, on_progress=lambda _job: self._on_progress(), on_end=ended
        )
        begun.append(LocalHandle(job))
        return begun[0]

    def gone(self) -> bool:
        return not self._taken

    def poll(self) -> bool:
        """The window's timer does."""
        return False
