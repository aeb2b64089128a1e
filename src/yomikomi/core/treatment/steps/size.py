"""Size and pixel shape: what is flagged, and what is resampled."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.rates import fraction_text

# Interlaced frames are scaled field by field: a height is even in each.
_LARGEST, _LEAST = 16_384, 16
Kernel = Literal["lanczos", "bicubic", "area"]


class Shape(Step):
    """The shape of a pixel, flagged; not a sample is touched. ``sample_aspect``: width over height, as an exact fraction."""

    title: ClassVar[str] = "Pixel shape"

    step: Literal["shape"] = "shape"
    sample_aspect: str = Field(pattern=r"^[1-9]\d*(/[1-9]\d*)?$")

    def output(self, before: PictureFormat) -> PictureFormat:
        shape = before.geometry
        return replace(before, geometry=Geometry(shape.width, shape.height, Fraction(self.sample_aspect)))

    def filters(self, before: PictureFormat) -> Filters:
        return [("setsar", fraction_text(Fraction(self.sample_aspect)))]

    def words(self, before: PictureFormat) -> str:
        return f"flagged {self.output(before).geometry.shape_words}"


class Size(Step):
    """Resampled to another size. A side of 0 follows from the other and the picture's shape, in square pixels."""

    title: ClassVar[str] = "Size"

    step: Literal["size"] = "size"
    width: int = Field(default=0, ge=0, le=_LARGEST)
    height: int = Field(default=0, ge=0, le=_LARGEST)
    square: bool = True
    kernel: Kernel = "lanczos"

    def output(self, before: PictureFormat) -> PictureFormat:
        if not self.width and not self.height:
            raise WrongUseError("A size needs a width or a height.", remedy="Name one of them; the other follows.")
        shape, grid = before.geometry.display_aspect, before.line_grid
        height = self.height or round(self.width / shape)
        width = self.width or round(height * shape)
        width, height = max(_LEAST, round(width / 2) * 2), max(_LEAST, round(height / grid) * grid)
        aspect = Fraction(1) if self.square else (shape * height / width).limit_denominator(1000)
        return replace(before, geometry=Geometry(width, height, aspect))

    def filters(self, before: PictureFormat) -> Filters:
        made = self.output(before).geometry
        flags = f"{self.kernel}+accurate_rnd+full_chroma_int"
        scaled = ("scale", f"{made.width}:{made.height}:interl={int(before.interlaced)}:flags={flags}")
        return [scaled, ("setsar", fraction_text(made.sample_aspect))]

    def words(self, before: PictureFormat) -> str:
        made = self.output(before).geometry
        larger = made.width * made.height > before.geometry.width * before.geometry.height
        return f"{'enlarged' if larger else 'resized'} to {made.width} × {made.height}"
