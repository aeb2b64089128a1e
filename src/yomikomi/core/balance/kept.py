"""Where what a treatment keeps of a take is hard."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yomikomi.core.reading.models import Complexity, Reading
from yomikomi.core.treatment.timing import Timing

# The part of an encode's time that goes with how hard a part is; the rest goes with pictures alone. (Of 0, 0.2, 0.35 and 0.5 the one with
# which the time of five encodes was told best once a tenth was done; docs/science.md.)
_BY_HARDNESS = 0.5


def kept_complexity(reading: Reading, timing: Timing) -> tuple[Complexity, Callable[[int], int], int]:
    """Complexity, the number in the take of a frame that is left, how many are left."""
    whole, frames = reading.complexity, reading.frames
    if not timing.cut:
        return whole, lambda frame: frame, frames
    each, last = whole.frames_per_cell, max(0, len(whole.cell_bytes) - 1)
    parts = [timing.source(part, reach=0) for part in timing.kept.parts]
    cells = sorted({min(cell, last) for part in parts for cell in range(part.start // each, max(1, -(-part.stop // each)))})
    left = whole.of_cells(cells)
    count = max(1, min(frames, (cells[-1] + 1) * each) - cells[-1] * each + (len(cells) - 1) * each)
    return left, lambda frame: cells[min(frame // each, len(cells) - 1)] * each + frame % each, count


class Pace:
    """How much of the work of an encode is done after so many of its pictures: hard parts take longer."""

    def __init__(self, reading: Reading, timing: Timing) -> None:
        sizes = np.array(kept_complexity(reading, timing)[0].cell_bytes, float) if reading.complexity.cell_bytes else np.zeros(0)
        mean = float(sizes.mean()) if len(sizes) else 0.0
        work = 1 - _BY_HARDNESS + _BY_HARDNESS * sizes / mean if mean > 0 else np.ones(1)
        self._done = np.concatenate([[0.0], np.cumsum(work)]) / work.sum()
        self._frames = max(1, timing.frames)

    def part(self, frames: int) -> float:
        """0…1, never falling."""
        at = min(1.0, max(0.0, frames / self._frames)) * (len(self._done) - 1)
        return float(np.interp(at, np.arange(len(self._done)), self._done))
