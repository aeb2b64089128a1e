"""How light each frame is: darkest and brightest hundredth and mean of its luma. Three bytes a frame are kept."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.sight import Sight

# shape=(frames, 3): 1 %, 99 % and mean of the luma, 8-bit codes.
Codes = NDArray[np.uint8]
_CODES = np.arange(256, dtype=np.float32)


class LightMeter:
    """Sees every frame."""

    def __init__(self) -> None:
        self._kept = bytearray()

    def see(self, sight: Sight) -> None:
        codes = sight.thin_codes[0]
        total = codes.size
        if not total:
            self._kept += b"\0\0\0"
            return
        counts = cv2.calcHist([codes], [0], None, [256], [0, 256]).ravel()
        low, high = np.searchsorted(np.cumsum(counts), (0.01 * total, 0.99 * total))
        mean = float(counts @ _CODES) / total
        self._kept += bytes((min(255, int(low)), min(255, int(high)), min(255, round(mean))))

    @property
    def table(self) -> Codes:
        """Shape (frames, 3): low, high, mean."""
        return np.frombuffer(bytes(self._kept), np.uint8).reshape(-1, 3)
