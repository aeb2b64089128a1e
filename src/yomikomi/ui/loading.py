"""Modules loaded beside the event loop, in slices: between two of them the window takes its events.

A thread that imports computes all the time, and every call into Qt would have to wait for the interpreter (up to 5 ms each, hundreds
of them in a picture of the shelf). So the thread stops before every module that it begins, at a gate, and goes on when the window
has nothing to do. What needs a module at once (the first click on a station) opens the gate for good.
"""

from __future__ import annotations

import sys
import threading
import time
from collections.abc import Callable, Sequence
from importlib import import_module
from importlib.abc import MetaPathFinder

from PySide6.QtCore import QObject, QTimer

# What a slice takes, and at most waits for when one module is slow (seconds); the pause between slices (milliseconds).
_SLICE_S, _LONGEST_S, _PAUSE_MS = 0.012, 0.02, 1
# The thread goes on by itself when it was not let on for so long: the window may be waiting for the very module it stands in.
_PATIENCE_S = 0.2


class Gate(MetaPathFinder):
    """Stands before all finders; finds nothing, and only lets the loading thread wait."""

    def __init__(self) -> None:
        self.thread: threading.Thread | None = None
        self._turn = threading.Condition()
        self._until = 0.0
        self._paused = self._free = self._ended = False

    def find_spec(self, _name: str, _path: object = None, _target: object = None) -> None:
        if threading.current_thread() is not self.thread:
            self.open()  # somebody needs a module now
        elif self._ended:
            raise ImportError("the program ends")
        elif not self._free and time.monotonic() > self._until:
            self._pause()

    @property
    def ended(self) -> bool:
        return self._ended

    def let_on(self) -> None:
        """From the window: load for one slice, and come back when the thread waits again."""
        with self._turn:
            self._until = time.monotonic() + _SLICE_S
            self._paused = False
            self._turn.notify_all()
            self._turn.wait_for(lambda: self._paused or self._free, _LONGEST_S)

    def open(self) -> None:
        """Never stop again."""
        with self._turn:
            self._free = True
            self._turn.notify_all()

    def end(self) -> None:
        """No module is begun any more."""
        self._ended = True
        self.open()

    def _pause(self) -> None:
        with self._turn:
            self._paused = True
            self._turn.notify_all()
            if not self._turn.wait_for(lambda: not self._paused or self._free, _PATIENCE_S):
                self._free = True
        if self._ended:
            raise ImportError("the program ends")


class Loading(QObject):
    """Loads ``names`` in their order, then calls ``then`` in the window's thread."""

    def __init__(self, names: Sequence[str], then: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self._names, self._then = names, then
        self._gate = Gate()
        self._thread = threading.Thread(target=self._load, name="loading", daemon=True)
        self._gate.thread = self._thread
        sys.meta_path.insert(0, self._gate)
        self._timer = QTimer(self)
        self._timer.setInterval(_PAUSE_MS)
        self._timer.timeout.connect(self._slice)
        self._thread.start()
        self._timer.start()

    @property
    def done(self) -> bool:
        return not self._timer.isActive()

    def finish(self) -> None:
        """At the end of the program: what is not begun is left, and nobody waits for it."""
        self._timer.stop()
        self._gate.end()
        self._thread.join(5)
        self._leave()

    def _load(self) -> None:
        try:
            for name in self._names:
                import_module(name)
        except ImportError:
            if not self._gate.ended:
                raise
        self._gate.open()

    def _slice(self) -> None:
        self._gate.let_on()
        if not self._thread.is_alive():
            self._timer.stop()
            self._leave()
            self._then()

    def _leave(self) -> None:
        if self._gate in sys.meta_path:
            sys.meta_path.remove(self._gate)
