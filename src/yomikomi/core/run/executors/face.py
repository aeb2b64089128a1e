"""What the run asks of whoever executes its jobs."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work import JobState, Reporter

Function = Callable[[Any, Reporter], Any]


class Handle(Protocol):
    """A job that was begun."""

    @property
    def state(self) -> JobState: ...
    @property
    def progress(self) -> Any: ...
    @property
    def result(self) -> Any: ...
    @property
    def error(self) -> YomikomiError | None: ...
    @property
    def worker(self) -> str:
        """Who executes it, in words."""
        ...

    @property
    def peak_bytes(self) -> int | None:
        """The most memory that it took, as far as it was watched; None where nobody knows."""
        ...

    def watch(self) -> None:
        """To be called now and then."""
        ...

    def cancel(self) -> None: ...
    def freeze(self) -> None:
        """Its process stands still until :meth:`thaw`."""
        ...

    def thaw(self) -> None: ...


class Executor(Protocol):
    """``on_end`` is called once, in the thread that polls, after the state became final."""

    @property
    def slots(self) -> int | None:
        """How many jobs at once; None: as many as this machine bears."""
        ...

    def start(self, function: Function, request: Any, *, name: str, key: str, on_end: Callable[[Handle], None]) -> Handle: ...
    def gone(self) -> bool:
        """Whether nothing is left of its jobs: no process, and nothing that is waited for."""
        ...

    def poll(self) -> bool:
        """Take in what the jobs said; never blocks. Whether anything changed."""
        ...
