"""The parts of a take that go on: in and out, what is cut out between them, and how it fades in and out."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import ClassVar, Literal

import av
from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.late_line import LateLine
from yomikomi.core.treatment.step import Filters, Site, Step, Told, Worker
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, number_text

_LONGEST_S, _MOST_CUTS, _LONGEST_FADE_S = 1_000_000, 1000, 60


def _tick(seconds: float, rate: Fraction) -> int:
    return round(Fraction(seconds).limit_denominator(1_000_000) * rate)


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
        first = min(max(0, frames - 1), _tick(self.start, rate))
        last = _tick(self.end, rate) if self.end else frames
        return range(first, max(first + 1, min(frames, last)))

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        return []

    def words(self, before: PictureFormat) -> str:
        return f"from {clock(self.start)} to {clock(self.end)}" if self.end else f"from {clock(self.start)} on"


class Part(BaseModel):
    """Seconds of the take from its first picture."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    start: float = Field(ge=0, le=_LONGEST_S, allow_inf_nan=False)
    end: float = Field(gt=0, le=_LONGEST_S, allow_inf_nan=False)

    @model_validator(mode="after")
    def _in_order(self) -> Part:
        if self.end <= self.start:
            raise ValueError("a part ends before it begins")
        return self


class CutOut(Step):
    """Parts in the middle that are left out; what follows moves up. Parts that touch are one."""

    title: ClassVar[str] = "Cut out"

    step: Literal["cut out"] = "cut out"
    parts: tuple[Part, ...] = Field(min_length=1, max_length=_MOST_CUTS)

    @field_validator("parts")
    @classmethod
    def _joined(cls, parts: tuple[Part, ...]) -> tuple[Part, ...]:
        made: list[Part] = []
        for part in sorted(parts, key=lambda one: one.start):
            if made and part.start <= made[-1].end:
                made[-1] = Part(start=made[-1].start, end=max(made[-1].end, part.end))
            else:
                made.append(part)
        return tuple(made)

    def left(self, whole: range, rate: Fraction) -> Iterator[range]:
        """What of a range of frames of the whole output stays; at least its first."""
        ticks = [(_tick(part.start, rate), _tick(part.end, rate)) for part in self.parts]
        edges = [whole.start, *(min(max(edge, whole.start), whole.stop) for pair in ticks for edge in pair), whole.stop]
        found = [range(one, two) for one, two in zip(edges[::2], edges[1::2], strict=True) if one < two]
        yield from found or [range(whole.start, whole.start + 1)]

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        return []

    def words(self, before: PictureFormat) -> str:
        seconds = sum(part.end - part.start for part in self.parts)
        return f"{counted(len(self.parts), 'part', 'parts')} cut out, {clock(seconds)}"


class Split(Step):
    """Moments of the take, seconds from its first picture, at which it falls into several copies. A single copy or file that is made of it
    is whole."""

    title: ClassVar[str] = "Split"

    step: Literal["split"] = "split"
    at: tuple[float, ...] = Field(min_length=1, max_length=_MOST_CUTS)

    @field_validator("at")
    @classmethod
    def _in_time(cls, at: tuple[float, ...]) -> tuple[float, ...]:
        if not all(0 < one <= _LONGEST_S for one in at):  # also what is no number
            raise ValueError("a moment lies outside of the take")
        return tuple(sorted(set(at)))

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> Filters:
        return []

    def words(self, before: PictureFormat) -> str:
        return f"split into {len(self.at) + 1} copies"


class Fade(Step):
    """Seconds in which picture and sound come out of black and silence at the beginning of what is kept, and go there at its end."""

    title: ClassVar[str] = "Fades"

    step: Literal["fade"] = "fade"
    fade_in: float = Field(default=1, ge=0, le=_LONGEST_FADE_S)
    fade_out: float = Field(default=1, ge=0, le=_LONGEST_FADE_S)

    def output(self, before: PictureFormat) -> PictureFormat:
        return before

    def filters(self, before: PictureFormat) -> None:
        return None

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        if site is None or site.kept is None:
            raise ValueError("a fade goes by what is kept of a take, and nothing is known of it")
        return _Fading(self, before, *site.kept)

    def sound_filters(self, seconds: Fraction) -> Filters:
        """For sound whose stamps count from the beginning of the output, which lasts so many seconds."""
        made: Filters = [("afade", f"t=in:st=0:d={self.fade_in:.6f}")] if self.fade_in else []
        begin = max(0.0, float(seconds) - self.fade_out)
        return [*made, ("afade", f"t=out:st={begin:.6f}:d={self.fade_out:.6f}")] if self.fade_out else made

    def words(self, before: PictureFormat) -> str:
        return f"fades in {number_text(self.fade_in, places=1)} s and out {number_text(self.fade_out, places=1)} s"


class _Fading:
    def __init__(self, fade: Fade, before: PictureFormat, begin: Fraction, end: Fraction) -> None:
        self.told = Told()
        filters: Filters = [("fade", f"t=in:st={float(begin):.6f}:d={fade.fade_in:.6f}")] if fade.fade_in else []
        if fade.fade_out:
            filters.append(("fade", f"t=out:st={max(float(begin), float(end) - fade.fade_out):.6f}:d={fade.fade_out:.6f}"))
        self._line = LateLine(filters or [("null", "")], before)

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        yield from self._line.push(frame)
