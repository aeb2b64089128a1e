"""Measures how long the window's thread is away from its event loop."""

from __future__ import annotations

import time
from types import TracebackType

from PySide6.QtCore import Qt, QTimer

_TICK_MS = 2


class StallWatch:
    """A timer that ought to fire every two milliseconds; ``longest`` is the longest it was kept waiting, in seconds."""

    def __init__(self) -> None:
        self.longest = 0.0
        self.gaps: list[float] = []
        self._timer = QTimer()
        self._timer.setTimerType(Qt.TimerType.PreciseTimer)
        self._timer.setInterval(_TICK_MS)
        self._timer.timeout.connect(self._tick)

    def __enter__(self) -> StallWatch:
        self._at = time.perf_counter()
        self._timer.start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._timer.stop()

    def _tick(self) -> None:
        now = time.perf_counter()
        gap = now - self._at
        self._at = now
        self.longest = max(self.longest, gap)
        if gap > 0.02:
            self.gaps.append(gap)
