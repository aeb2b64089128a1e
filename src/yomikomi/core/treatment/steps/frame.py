"""A fixed frame: the picture whole in it, black bars around."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.geometry import Geometry


class Frame(Step):
    """``width`` x ``height``: of the result, in square pixels; the picture is scaled as large as it fits."""

    title: ClassVar[str] = "Frame"

    step: Literal["frame"] = "frame"
    width: int = Field(ge=16, le=16_384, multiple_of=2)
    height: int = Field(ge=16, le=16_384, multiple_of=4)

    def inner(self, before: PictureFormat) -> tuple[int, int, int, int]:
        """Left, top, width and height of the picture in it, even."""
        shape, grid = before.geometry.display_aspect, before.line_grid
        wide = min(Fraction(self.width), self.height * shape)
        width, height = max(2, round(wide / 2) * 2), max(grid, round(wide / shape / grid) * grid)
        width, height = min(width, self.width), min(height, self.height)
        return (self.width - width) // 4 * 2, (self.height - height) // (2 * grid) * grid, width, height

    def output(self, before: PictureFormat) -> PictureFormat:
        return replace(before, geometry=Geometry(self.width, self.height, Fraction(1)))

    def filters(self, before: PictureFormat) -> Filters:
        left, top, width, height = self.inner(before)
        made: Filters = []
        if (width, height) != (before.geometry.width, before.geometry.height):
            made = [("scale", f"{width}:{height}:interl={int(before.interlaced)}:flags=lanczos+accurate_rnd+full_chroma_int")]
        return [*made, ("pad", f"{self.width}:{self.height}:{left}:{top}:black"), ("setsar", "1/1")]

    def words(self, before: PictureFormat) -> str:
        _left, _top, width, height = self.inner(before)
        return f"{width} × {height} in a frame of {self.width} × {self.height}"
