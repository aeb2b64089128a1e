"""What a piece of long work is given to say how far it is and to hear whether it should stop."""

from __future__ import annotations

import os
import threading
import time
from collections import deque
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any, Protocol

from yomikomi.core.errors import CancelledError


class Reporter(Protocol):
    """Handed to every long function as its last argument."""

    def report(self, progress: Any) -> None:
        """Say how far the work is. Never blocks; only the newest word is kept."""

    def cancelled(self) -> bool:
        """Whether someone wants the work to stop."""

    def check(self) -> None:
        """Raise CancelledError when someone wants the work to stop."""

    def heard(self) -> list[Any]:
        """What was told to the work since it last asked, in order; most work is told nothing."""


class SilentReporter:
    """For calling long functions directly, in tests and scripts. Keeps the last progress; ``words`` is what it will hear."""

    def __init__(self) -> None:
        self.last: Any = None
        self.stop = threading.Event()
        self.words: list[Any] = []

    def report(self, progress: Any) -> None:
        self.last = progress

    def cancelled(self) -> bool:
        return self.stop.is_set()

    def check(self) -> None:
        if self.cancelled():
            raise CancelledError("Stopped.")

    def heard(self) -> list[Any]:
        words, self.words = self.words, []
        return words


class Relay:
    """Passes the progress of a part of the work on as that of the whole. ``told``: what is said of it; None: nothing is."""

    def __init__(self, outer: Reporter, told: Callable[[Any], Any]) -> None:
        self._outer, self._told = outer, told
        self.check, self.cancelled, self.heard = outer.check, outer.cancelled, outer.heard

    def report(self, progress: Any) -> None:
        if (words := self._told(progress)) is not None:
            self._outer.report(words)


class PipeReporter:
    """Sends progress through a pipe from a thread of its own, so that a window that is slow to read never blocks the work.

    A vanished parent counts as a wish to stop: a recording is then closed in order instead of running on unseen. ``orphan_leaves_after``:
    seconds after which work that does not listen is ended then, with its process; None: never.
    """

    def __init__(self, pipe: Connection, *, orphan_leaves_after: float | None = None) -> None:
        self._pipe = pipe
        self._orphan_leaves_after = orphan_leaves_after
        self._stop = threading.Event()
        self._fresh = threading.Condition()
        self._newest: Any = None
        self._has_news = False
        self._closing = False
        self._heard: deque[Any] = deque()
        self._postman = threading.Thread(target=self._deliver, name="postman", daemon=True)
        self._listener = threading.Thread(target=self._listen, name="listener", daemon=True)
        self._postman.start()
        self._listener.start()

    def report(self, progress: Any) -> None:
        with self._fresh:
            self._newest = progress
            self._has_news = True
            self._fresh.notify()

    def cancelled(self) -> bool:
        return self._stop.is_set()

    def check(self) -> None:
        if self.cancelled():
            raise CancelledError("Stopped.")

    def heard(self) -> list[Any]:
        words = []
        while self._heard:
            words.append(self._heard.popleft())
        return words

    def finish(self, kind: str, value: Any) -> None:
        """Deliver the last progress, then the answer."""
        with self._fresh:
            self._closing = True
            self._fresh.notify()
        self._postman.join(timeout=5)
        try:
            self._pipe.send((kind, value))
        except (BrokenPipeError, OSError):
            return

    def _deliver(self) -> None:
        while True:
            with self._fresh:
                self._fresh.wait_for(lambda: self._has_news or self._closing)
                if not self._has_news:
                    return
                news, self._has_news = self._newest, False
            try:
                self._pipe.send(("progress", news))
            except (BrokenPipeError, OSError):
                self._stop.set()
                return

    def _listen(self) -> None:
        try:
            while True:
                kind, value = self._pipe.recv()
                if kind == "stop":
                    self._stop.set()
                else:
                    self._heard.append(value)
        except (EOFError, OSError):
            self._stop.set()
            if self._orphan_leaves_after is not None:
                time.sleep(self._orphan_leaves_after)
                os._exit(1)
