"""Cutting away borders, the head-switching band, side bars."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import NonNegativeInt

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.geometry import Geometry

_LEAST = 16


class Crop(Step):
    """Samples and lines cut off each side of the picture as it is shown. What is left is made even, as 4:2:0 wants it, and of
    interlaced frames whole pairs of lines of each field stay together."""

    title: ClassVar[str] = "Crop"

    step: Literal["crop"] = "crop"
    top: NonNegativeInt = 0
    bottom: NonNegativeInt = 0
    left: NonNegativeInt = 0
    right: NonNegativeInt = 0

    def window(self, before: PictureFormat) -> tuple[int, int, int, int]:
        """Left, top, width, height of what stays. Raises WrongUseError where next to nothing does."""
        shape, grid = before.geometry, before.line_grid
        left, top = self.left + self.left % 2, -(-self.top // grid) * grid
        width = (shape.width - left - self.right) // 2 * 2
        height = (shape.height - top - self.bottom) // grid * grid
        if width < _LEAST or height < _LEAST:
            raise WrongUseError(
                f"A crop of {self.top}, {self.bottom}, {self.left} and {self.right} leaves nothing of {shape.width} × {shape.height}.",
                remedy="Cut off less.",
            )
        return left, top, width, height

    def output(self, before: PictureFormat) -> PictureFormat:
        _, _, width, height = self.window(before)
        return replace(before, geometry=Geometry(width, height, before.geometry.sample_aspect))

    def filters(self, before: PictureFormat) -> Filters:
        left, top, width, height = self.window(before)
        return [("crop", f"{width}:{height}:{left}:{top}:exact=1")]

    def words(self, before: PictureFormat) -> str:
        _, _, width, height = self.window(before)
        return f"cropped to {width} × {height}"
