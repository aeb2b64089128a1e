"""Pictures that encoders find about as hard as a simulated tape."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

# Y′ shape=(lines, columns), Cb and Cr shape=(lines, columns / 2), 8-bit codes of limited range.
Planes = tuple[NDArray[np.uint8], NDArray[np.uint8], NDArray[np.uint8]]


def trial_planes(width: int, height: int, count: int) -> Iterator[Planes]:
    """Y, Cb, Cr at 4:2:2: a random texture that slides slowly under fresh noise as fine as a tape's. Its contrast, detail and
    noise were set so that encoders take about as long for it as for simulated tapes (docs/science.md)."""
    import cv2

    rng = np.random.default_rng(2)
    texture = cv2.GaussianBlur(rng.normal(0, 1, (height, width + 100)).astype(np.float32), (0, 0), 3)
    texture = 120 + 40 * texture / texture.std()
    for number in range(count):
        noise = cv2.GaussianBlur(rng.normal(0, 1, (height, width)).astype(np.float32), (0, 0), 1.5)
        luma = np.clip(texture[:, 3 * number : 3 * number + width] + 4 * noise / noise.std(), 16, 235).astype(np.uint8)
        chroma = np.full((height, width // 2), 128, np.uint8) + (luma[:, ::2] // 16)
        yield luma, chroma, chroma
