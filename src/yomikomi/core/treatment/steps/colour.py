"""Colour: its strength, its hue and a cast."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.units import number_text


class Colour(Step):
    """``saturation``: factor of the chroma, 0 is grey; ``hue``: degrees by which its angle turns (from Cb towards Cr); ``blue``, ``red``:
    8-bit code values added to Cb and Cr, which takes away a cast."""

    title: ClassVar[str] = "Colour"

    step: Literal["colour"] = "colour"
    saturation: float = Field(default=1, ge=0, le=4)
    hue: float = Field(default=0, ge=-180, le=180)
    blue: float = Field(default=0, ge=-64, le=64)
    red: float = Field(default=0, ge=-64, le=64)

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        bits = before.bits
        scale, middle, top = 2 ** (bits - 8), 2 ** (bits - 1), 2**bits - 1
        made: Filters = []
        gain = self.saturation
        if self.hue:
            made, gain = [("hue", f"h={self.hue:.4f}:s={self.saturation:.6f}")], 1.0
        if not self.hue or self.blue or self.red:
            u, v = (
                f"clip((val-{middle})*{gain:.8f}+{middle + added * scale:.4f}+0.5,0,{top})" for added in (self.blue, self.red)
            )
            made.append(("lutyuv", f"u='{u}':v='{v}'"))
        return made

    def words(self, before: PictureFormat) -> str:
        if self.saturation == 0 and not (self.blue or self.red):
            return "grey"
        parts = [f"saturation × {number_text(self.saturation, places=2)}"] if self.saturation != 1 else []
        parts += [f"hue turned by {number_text(self.hue, places=1)}°"] if self.hue else []
        parts += [f"Cb {number_text(self.blue, places=1)}, Cr {number_text(self.red, places=1)}"] if self.blue or self.red else []
        return ", ".join(parts) or "colour as it is"
