"""The clock that simulated frames come by, and what a box holds before it loses one."""

from __future__ import annotations

import time
from collections.abc import Callable
from fractions import Fraction

# Frames that a recorder box holds before it loses one: what a slow reader may lag behind the source.
_BOX_FRAMES = 8


class FrameClock:
    """When frame ``number`` is due, and which one a reader who comes late still gets."""

    def __init__(self, rate: Fraction, now: Callable[[], float] = time.monotonic) -> None:
        self.rate = float(rate)
        self._now = now
        self._started: float | None = None

    def next_held(self, wanted: int) -> int:
        """The frame a reader gets who wants ``wanted``: a later one where the box could not hold it so long."""
        if self._started is None:
            self._started = self._now()
        behind = int((self._now() - self._started) * self.rate) - wanted
        return wanted + max(0, behind - _BOX_FRAMES)

    def wait_for(self, number: int, called_at: float) -> None:
        """Until the frame's time. On a machine too busy to draw in time the source runs slower: it was not the reader who
        was late, so nothing may be lost by it."""
        started = self._started or 0.0
        due = started + number / self.rate
        now = self._now()
        if now < due:
            time.sleep(due - now)
        else:
            self._started = started + max(0.0, now - max(due, called_at))
