"""Levels: the range that numbers are in, and where black and white lie."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.colour import ColourTags

LIMITED, FULL = 1, 2


class Levels(Step):
    """Luma between ``black`` and ``white`` (8-bit code values of the take) is spread to ``to_black`` … ``to_white``; chroma about its
    middle by the same factor. ``range``: what the result is flagged as. Full range to limited: 0, 255 to 16, 235, a factor of 0.859 for
    8 bits in code values (235 − 16 of 255), which is the 0.922 and 0.063 of a control that counts ends from 0 to 1."""

    title: ClassVar[str] = "Levels"

    step: Literal["levels"] = "levels"
    black: float = Field(ge=-64, le=200)
    white: float = Field(ge=40, le=320)
    to_black: float = Field(default=16, ge=0, le=255)
    to_white: float = Field(default=235, ge=0, le=255)
    chroma: float = Field(default=0, ge=0, le=4, description="factor of the chroma; 0: as the luma")
    range: Literal["limited", "full"] = "limited"

    @property
    def factor(self) -> float:
        return (self.to_white - self.to_black) / max(1.0, self.white - self.black)

    def output(self, before: PictureFormat) -> PictureFormat:
        tags = before.colour
        number = LIMITED if self.range == "limited" else FULL
        return replace(before, colour=ColourTags(tags.primaries, tags.transfer, tags.matrix, number))

    def filters(self, before: PictureFormat) -> Filters:
        bits = before.bits
        scale, middle, top = 2 ** (bits - 8), 2 ** (bits - 1), 2**bits - 1
        gain = self.chroma or self.factor
        # The expression's rounding is towards zero: half a code is added, so that it is to the nearest.
        luma = f"clip((val-{self.black * scale:.4f})*{self.factor:.8f}+{self.to_black * scale:.4f}+0.5,0,{top})"
        chroma = f"clip((val-{middle})*{gain:.8f}+{middle}+0.5,0,{top})"
        return [
            ("lutyuv", f"y='{luma}':u='{chroma}':v='{chroma}'"),
            ("setparams", f"range={self.range}"),
        ]

    def words(self, before: PictureFormat) -> str:
        return f"black {self.black:.0f} to {self.to_black:.0f}, white {self.white:.0f} to {self.to_white:.0f}"
