"""Noise taken out of pictures, as strongly as it was measured."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.units import number_text

# Of the quick way, how many times the noise: from 2 to 3 comes nearest to the picture without noise (docs/science.md).
_TIMES, _MOST = 2.5, 30.0
_EIGHT_BITS = 8


class Denoise(Step):
    """``noise``: of the pictures, rms in 8-bit code values of luma. ``careful``: from likenesses within each picture instead of from blocks
    of its spectrum; six to eight times the time."""

    title: ClassVar[str] = "Noise"

    step: Literal["denoise"] = "denoise"
    noise: float = Field(default=2.0, gt=0, le=12)
    careful: bool = False

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        if before.interlaced:  # the lines of each field by themselves, one field above the other
            return [("il", "l=d:c=d"), *self._taken_out(before), ("il", "l=i:c=i")]
        return self._taken_out(before)

    def _taken_out(self, before: PictureFormat) -> Filters:
        if self.careful and before.bits == _EIGHT_BITS:  # the library has it for no other
            return [("nlmeans", f"s={max(1.0, self.noise):g}:p=5:r=9")]
        # On several threads the library's filter comes out otherwise each time: they write over each other where blocks overlap.
        block, overlap = (32, 0.75) if self.careful else (16, 0.5)
        return [("fftdnoiz", f"sigma={min(_MOST, _TIMES * self.noise):g}:block={block}:overlap={overlap}:threads=1")]

    def words(self, before: PictureFormat) -> str:
        return f"noise of {number_text(self.noise, places=1)} code values taken out" + (", careful" if self.careful else "")
