"""In and out: the part of a take that goes on."""

from __future__ import annotations

from fractions import Fraction
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.timecode import clock

_LONGEST_S = 1_000_000


class Trim(Step):
    """Seconds of the take from its first picture. ``end`` of 0: to its end. Sound, subtitles and chapters go with the pictures."""

    title: ClassVar[str] = "In and out"

    step: Literal["trim"] = "trim"
    start: float = Field(default=0, ge=0, le=_LONGEST_S, allow_inf_nan=False)
    end: float = Field(default=0, ge=0, le=_LONGEST_S, allow_inf_nan=False)

    @model_validator(mode="after")
    def _in_before_out(self) -> Trim:
        if self.end and self.end <= self.start:
            raise ValueError("the out lies before the in")
        return self

    def ticks(self, rate: Fraction, frames: int) -> range:
        """The frames of the whole output that are kept; at least one."""
        first = min(max(0, frames - 1), round(Fraction(self.start).limit_denominator(1_000_000) * rate))
        last = round(Fraction(self.end).limit_denominator(1_000_000) * rate) if self.end else frames
        return range(first, max(first + 1, min(frames, last)))

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        return []

    def words(self, before: PictureFormat) -> str:
        return f"from {clock(self.start)} to {clock(self.end)}" if self.end else f"from {clock(self.start)} on"
