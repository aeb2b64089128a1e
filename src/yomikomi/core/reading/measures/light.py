"""How light each frame is: darkest and brightest hundredth and mean of its luma. Three bytes a frame are kept."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.scopes import as_codes
from yomikomi.core.reading.sight import Sight

Codes = NDArray[np.uint8]


class LightMeter:
    """Sees every frame."""

    def __init__(self) -> None:
        self._kept = bytearray()

    def see(self, sight: Sight) -> None:
        codes = as_codes(sight.samples[::2, :: sight.column_step], sight.depth)
        counts = np.bincount(codes.ravel(), minlength=256)
        total = int(counts.sum())
        if not total:
            self._kept += b"\0\0\0"
            return
        cumulated = np.cumsum(counts)
        low, high = np.searchsorted(cumulated, (0.01 * total, 0.99 * total))
        mean = float(counts @ np.arange(len(counts))) / total
        self._kept += bytes((min(255, int(low)), min(255, int(high)), min(255, round(mean))))

    @property
    def table(self) -> Codes:
        """Shape (frames, 3): low, high, mean."""
        return np.frombuffer(bytes(self._kept), np.uint8).reshape(-1, 3)
