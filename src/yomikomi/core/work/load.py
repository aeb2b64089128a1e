"""How much of the machine was left for what was measured: a time is only worth something if others did not take the processors."""

from __future__ import annotations

import time
from dataclasses import dataclass

import psutil

# An encoder that has the machine for itself keeps this part of its processors busy (measured: 0.87 to 0.97 of two).
_BUSY_ALONE = 0.9
# All processors are busy from here on; below, nobody waited for one. Others that use less than this part disturb nobody.
_FULL, _NOTICED = 0.93, 0.08


@dataclass(frozen=True)
class Load:
    """``wall``: seconds that passed; ``own``: processor seconds of this process, all its threads; ``others``: those of everything else;
    ``processors``: how many there are."""

    wall: float
    own: float
    others: float
    processors: int

    @property
    def others_share(self) -> float:
        """0…1, of all processors."""
        return min(1.0, self.others / max(1e-9, self.wall * self.processors))

    @property
    def quiet_part(self) -> float:
        """The part of the time that it would have taken alone, 0…1; 1.0 where others did not make it wait."""
        room = self.wall * self.processors
        if room <= 0 or self.own + self.others < _FULL * room or self.others < _NOTICED * room:
            return 1.0
        return min(1.0, self.own / (_BUSY_ALONE * room))


class LoadWatch:
    """From when it is made to each :meth:`load`."""

    def __init__(self) -> None:
        self._wall, self._own, self._busy = time.monotonic(), time.process_time(), _busy_seconds()

    def load(self) -> Load:
        own = time.process_time() - self._own
        return Load(time.monotonic() - self._wall, own, max(0.0, _busy_seconds() - self._busy - own), psutil.cpu_count() or 1)


def _busy_seconds() -> float:
    """Processor seconds that anything used since the machine was started."""
    times = psutil.cpu_times()
    return float(sum(times) - times.idle - getattr(times, "iowait", 0.0) - getattr(times, "guest", 0.0) - getattr(times, "guest_nice", 0.0))
