"""Drawing an instant of a scene on a raster of lines: a whole frame, or every second line of it.

Scenes work in frame coordinates (columns, lines of the whole frame); the raster knows which lines it holds.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.sim.textures import Field32, Image

_SHIFT = 4  # fractional bits of OpenCV's drawing coordinates: 1/16 of a sample


@dataclass(frozen=True)
class Raster:
    """Which lines of the frame are drawn: ``first``, ``first + step``, … (``lines`` of them)."""

    width: int
    frame_height: int
    first: int = 0
    step: int = 1

    @property
    def lines(self) -> int:
        return len(range(self.first, self.frame_height, self.step))

    @cached_property
    def _origin(self) -> NDArray[np.float64]:
        return np.array([0.0, self.first])

    @cached_property
    def _spacing(self) -> NDArray[np.float64]:
        return np.array([1.0, self.step])

    def view(self, texture: Image, *, x: float, y: float, zoom: float = 1.0) -> Image:
        """The part of a texture that a camera at (x, y) sees, sampled at this raster's lines."""
        matrix = np.array([[zoom, 0, x], [0, zoom * self.step, y + zoom * self.first]], np.float32)
        return np.asarray(
            cv2.warpAffine(
                texture, matrix, (self.width, self.lines),
                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REFLECT,
            ),
            np.uint8,
        )  # fmt: skip

    def polygon(self, image: Image, points: NDArray[np.float64], colour: tuple[int, int, int]) -> None:
        """Fill a convex polygon given in frame coordinates, to a sixteenth of a sample, with soft edges. ``points``: shape=(corners,
        2), x and y in frame coordinates."""
        fixed = np.rint((points - self._origin) / self._spacing * 2**_SHIFT).astype(np.int32)
        cv2.fillConvexPoly(image, fixed, colour, lineType=cv2.LINE_AA, shift=_SHIFT)

    def add_light(self, image: Image, light: Field32, *, x: float, y: float, colour: tuple[float, float, float]) -> None:
        """Add a glow centred at (x, y) in frame coordinates; ``colour`` is what a full glow adds to Y, Cb, Cr."""
        radius = light.shape[0] // 2
        left, right = max(0, int(x) - radius), min(self.width, int(x) + radius + 1)
        top = max(0, int((y - radius - self.first) / self.step))
        bottom = min(self.lines, int((y + radius - self.first) / self.step) + 1)
        if right - left < 2 or bottom - top < 2:
            return
        matrix = np.array([[1, 0, left - x + radius], [0, self.step, self.first + top * self.step - y + radius]], np.float32)
        shape = cv2.warpAffine(light, matrix, (right - left, bottom - top), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        part = image[top:bottom, left:right]
        lit = part + shape[..., None] * np.asarray(colour, np.float32)
        image[top:bottom, left:right] = np.clip(lit, 16, 240)


def limb(x0: float, y0: float, x1: float, y1: float, thick: float) -> NDArray[np.float64]:
    """A four-cornered limb from one joint to the other. Shape=(4, 2), x and y."""
    dx, dy = x1 - x0, y1 - y0
    length = max(1e-6, float(np.hypot(dx, dy)))
    nx, ny = -dy / length * thick / 2, dx / length * thick / 2
    return np.array([[x0 + nx, y0 + ny], [x1 + nx, y1 + ny], [x1 - nx, y1 - ny], [x0 - nx, y0 - ny]])


_CIRCLE = np.linspace(0, 2 * np.pi, 24, endpoint=False)
_UNIT_CIRCLE = np.stack([np.cos(_CIRCLE), np.sin(_CIRCLE)], axis=1)


def disc(x: float, y: float, radius_x: float, radius_y: float) -> NDArray[np.float64]:
    """The outline of an ellipse around (x, y): shape=(24, 2), x and y."""
    return _UNIT_CIRCLE * (radius_x, radius_y) + (x, y)
