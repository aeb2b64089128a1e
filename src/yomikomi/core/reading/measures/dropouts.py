"""Dropouts: stretches of one line that the tape lost.

A dropout stands out on one line of a field, over a stretch along it, against the line above, the line below and the same line
of the frames before; nothing that was filmed does all of that.
"""

from __future__ import annotations

from collections import deque

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import rate_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight

Place = tuple[int, int, int, int]

_SHORTEST = 16  # samples
_STEP = 28  # codes at least, beyond noise
_MOST_PLACES = 200
# More than this in a frame is a picture of stripes or a lost sync, not dropouts.
_MOST_A_FRAME = 12
_TORN_LINES = 16  # at the bottom, where heads switch


class DropoutMeter:
    """Looks at every frame it is given; frames need not follow one another, but pairs must."""

    def __init__(self) -> None:
        self.places: deque[Place] = deque(maxlen=_MOST_PLACES)
        self.count = 0
        self.frames = 0

    def look(self, before: Sight, now: Sight, *, noise: float) -> None:
        if before.codes.shape != now.codes.shape or now.codes.shape[0] < 200:
            return
        self.frames += 1
        found: list[Place] = []
        for parity in (0, 1):
            for line, column, length in dropouts_in(now.codes[parity::2], before.codes[parity::2], noise=noise):
                if 2 * line + parity < now.codes.shape[0] - _TORN_LINES:
                    found.append((now.number, 2 * line + parity, column, length))
        if len(found) <= _MOST_A_FRAME:
            self.count += len(found)
            self.places.extend(found)

    def result(self, frame_seconds: float) -> Measured | None:
        return rate_of(self.count, self.frames * frame_seconds / 60, "a minute")


def dropouts_in(field: NDArray[np.uint8], before: NDArray[np.uint8], *, noise: float) -> list[tuple[int, int, int]]:
    """Line, first column and length of each; ``field``, ``before``: one field now and a frame ago. Shape=(lines, columns), luma in
    codes; ``noise``: its spread, codes; columns in samples."""
    step = _STEP + 3 * noise
    found: list[tuple[int, int, int]] = []
    middle, above, below = field[1:-1], field[:-2], field[2:]
    for lighter in (True, False):
        if lighter:
            apart = cv2.subtract(middle, cv2.max(above, below))
            changed = cv2.subtract(middle, before[1:-1])
        else:
            apart = cv2.subtract(cv2.min(above, below), middle)
            changed = cv2.subtract(before[1:-1], middle)
        both = cv2.min(apart, changed)
        _, hit = cv2.threshold(both, step, 255, cv2.THRESH_BINARY)
        core = cv2.erode(hit, np.ones((1, _SHORTEST), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
        if not cv2.countNonZero(core):
            continue
        count, _, stats, _ = cv2.connectedComponentsWithStats(core, connectivity=8)
        for x, y, width, height, _area in stats[1:count].tolist():
            if height <= 2:
                found.append((y + 1, max(0, x - _SHORTEST // 2), width + _SHORTEST - 1))
    return found
