"""Spatial and temporal information.

Source: ITU-T P.910 (2008), section 7.7: SI is the standard deviation over the picture of its Sobel gradient, TI that of the
difference between frames; of a sequence the largest counts. The readings give medians with intervals as well, since one flash
would otherwise stand for two hours.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.samples import median_of
from yomikomi.core.reading.models import Measured
from yomikomi.core.reading.sight import Sight


class ActivityMeter:
    def __init__(self) -> None:
        self._spatial: list[float] = []
        self._temporal: list[float] = []

    def look(self, before: Sight, now: Sight) -> None:
        if min(now.codes.shape) < 8:
            return
        self._spatial.append(spatial_information(now.codes))
        if before.codes.shape == now.codes.shape:
            self._temporal.append(temporal_information(before.codes, now.codes))

    def result(self) -> tuple[Measured | None, Measured | None]:
        return median_of(self._spatial, "code values"), median_of(self._temporal, "code values")


def spatial_information(luma: NDArray[np.uint8]) -> float:
    """SI of one picture, codes; the outermost samples, which have no full neighbourhood, left out. ``luma``: shape=(lines, columns), at
    least 3 x 3. Source: ITU-T P.910, 7.1 (from memory)."""
    across = cv2.Sobel(luma, cv2.CV_32F, 1, 0)[1:-1, 1:-1]
    down = cv2.Sobel(luma, cv2.CV_32F, 0, 1)[1:-1, 1:-1]
    _, deviation = cv2.meanStdDev(cv2.magnitude(across, down))
    return float(deviation[0, 0])


def temporal_information(before: NDArray[np.uint8], now: NDArray[np.uint8]) -> float:
    """TI of one picture against the one before, codes. Both: shape=(lines, columns). Source: ITU-T P.910, 7.2 (from memory)."""
    _, deviation = cv2.meanStdDev(cv2.subtract(now, before, dtype=cv2.CV_32F))
    return float(deviation[0, 0])
