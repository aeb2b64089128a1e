"""What digital compression leaves: steps at an 8 × 8 grid, and smooth areas that stand in flat steps."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.models import DigitalFaults
from yomikomi.core.reading.sight import Sight

_GRID = 8
_SMOOTH_RANGE = 10  # codes across a block of 32 that counts as smooth and not flat
_LEAST_RANGE = 2


class DigitalMeter:
    def __init__(self) -> None:
        self._blocking: list[float] = []
        self._banding: list[tuple[float, int]] = []

    def look(self, before: Sight, now: Sight) -> None:
        del before
        if min(now.codes.shape) < 96:
            return
        # Of large pictures every other line or fewer is plenty.
        self._blocking.append(blocking(now.codes[:: max(1, now.codes.shape[0] // 480)]))
        part, count = banding(now.codes)
        if count:
            self._banding.append((part, count))

    def result(self) -> DigitalFaults:
        weight = sum(count for _, count in self._banding)
        flat = sum(part * count for part, count in self._banding) / weight if weight >= 20 else None
        return DigitalFaults(
            blocking=round(float(np.median(self._blocking)), 3) if self._blocking else None,
            banding=round(flat, 3) if flat is not None else None,
        )


def blocking(codes: NDArray[np.uint8]) -> float:
    """Mean step across the strongest grid of 8 columns against the mean step elsewhere; 1 means none.

    Steps that merely go on (the second difference is small) are slopes of the picture, not edges of blocks.

    ``codes``: shape=(lines, columns), at least 16 columns.
    """
    lines = codes[:, : codes.shape[1] // _GRID * _GRID].astype(np.float32)
    step = np.diff(lines, axis=1)
    bend = np.abs(step[:, 1:-1] - 0.5 * (step[:, :-2] + step[:, 2:]))
    # Strong edges of the picture drown the grid; they are cut.
    means = np.minimum(bend, 12).mean(axis=0)
    usable = means[: len(means) // _GRID * _GRID].reshape(-1, _GRID).mean(axis=0)
    strongest = int(usable.argmax())
    # Next to a step both neighbours bend as well: they count neither way.
    rest = np.delete(usable, [strongest, (strongest + 1) % _GRID, (strongest - 1) % _GRID])
    return float(usable[strongest] / max(float(rest.mean()), 1e-3))


def banding(codes: NDArray[np.uint8]) -> tuple[float, int]:
    """Part of the samples in smooth blocks that equal both neighbours along and across, and how many blocks there are.

    A gradient with any noise or dither has few such samples; one that was flattened has many.

    ``codes``: shape=(lines, columns). The part is 0…1.
    """
    size = 32
    low = cv2.erode(codes, np.ones((size, size), np.uint8))[size // 2 :: size, size // 2 :: size]
    high = cv2.dilate(codes, np.ones((size, size), np.uint8))[size // 2 :: size, size // 2 :: size]
    spread = high.astype(int) - low
    smooth = np.argwhere((spread >= _LEAST_RANGE) & (spread <= _SMOOTH_RANGE) & (low > 18))
    if not len(smooth):
        return 0.0, 0
    parts = []
    for row, column in smooth[:60]:
        block = codes[row * size : row * size + size, column * size : column * size + size]
        same = (block[1:-1, 1:-1] == block[1:-1, 2:]) & (block[1:-1, 1:-1] == block[1:-1, :-2])
        same &= (block[1:-1, 1:-1] == block[2:, 1:-1]) & (block[1:-1, 1:-1] == block[:-2, 1:-1])
        parts.append(float(same.mean()))
    return float(np.mean(parts)), len(parts)
