"""Light and moving surfaces that several scenes share: lamps over a dark picture, water, flames; from fields of noise that scroll."""

from __future__ import annotations

import cv2
import numpy as np

from yomikomi.sim.canvas import Raster
from yomikomi.sim.textures import Field32, Image, cloud

_COARSE = 16  # light is worked out on every sixteenth sample


class Lamps:
    """What lamps do to a picture: its luma is scaled by the light that falls there, and gets their warmth.

    Parameters
    ----------
    ambient : light where no lamp reaches, 0…1.
    """

    def __init__(self, raster_width: int, frame_height: int, *, ambient: float) -> None:
        self._shape = (frame_height // _COARSE + 1, raster_width // _COARSE + 1)
        self._y, self._x = np.mgrid[0 : self._shape[0], 0 : self._shape[1]].astype(np.float32) * _COARSE
        self.ambient = ambient

    def shine(self, image: Image, raster: Raster, lamps: list[tuple[float, float, float, float]]) -> None:
        """``lamps``: x, y, reach in samples, strength; in frame coordinates. In place."""
        light = np.full(self._shape, self.ambient, np.float32)
        for x, y, reach, strength in lamps:
            light += strength * np.exp(-((self._x - x) ** 2 + (self._y - y) ** 2) / (2 * reach * reach))
        matrix = np.array([[1 / _COARSE, 0, 0], [0, raster.step / _COARSE, raster.first / _COARSE]], np.float32)
        spread = cv2.warpAffine(
            light, matrix, (raster.width, raster.lines), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
        )
        planes = [np.ascontiguousarray(image[..., plane]) for plane in range(3)]
        lit = cv2.max(cv2.multiply(planes[0], np.minimum(spread, 1.5), dtype=cv2.CV_8U), 16)
        warmth = cv2.convertScaleAbs(np.clip(spread - self.ambient, 0, 1), alpha=16)
        image[..., 0] = cv2.min(lit, 235)
        image[..., 1] = cv2.subtract(planes[1], warmth)
        image[..., 2] = cv2.add(planes[2], warmth >> 1)


class Swell:
    """A field of noise that scrolls in two layers, so that it never repeats its shape: waves, flames, light under water."""

    def __init__(self, rng: np.random.Generator, *, height: int = 512, width: int = 1024, octaves: int = 5, fall: float = 0.62) -> None:
        self._layers = [cloud(rng, height, width, octaves=octaves, fall=fall) for _ in range(2)]
        self._height, self._width = height, width

    def at(
        self, raster: Raster, *, drifts: tuple[tuple[float, float], tuple[float, float]], stretch: float = 1.0,
        part: tuple[int, int, int, int] | None = None,
    ) -> Field32:  # fmt: skip
        """The sum of both layers, each moved by its (x, y) in frame coordinates; ``stretch``: how much wider than tall it is; ``part``:
        left, right, first and one past the last line of the raster that are wanted."""
        left, right, first, end = part or (0, raster.width, 0, raster.lines)
        total = np.zeros((end - first, right - left), np.float32)
        for layer, (x, y) in zip(self._layers, drifts, strict=True):
            matrix = np.array(
                [[1 / stretch, 0, (x + left) / stretch], [0, raster.step, raster.first + first * raster.step + y]], np.float32
            )
            total += cv2.warpAffine(
                layer, matrix, (right - left, end - first), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT,
            )
        return total


def trail(image: Image, samples: float) -> Image:
    """What a pan of so many samples during the exposure does to a picture."""
    width = max(1, round(abs(samples)))
    return image if width == 1 else np.asarray(cv2.blur(image, (width, 1)), np.uint8)
