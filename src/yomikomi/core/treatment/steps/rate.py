"""Fewer frames: every second, third … of them, where a screen or an outlet takes no more."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import ClassVar, Literal

import av
from pydantic import Field

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Site, Step, Told, Worker
from yomikomi.core.video.rates import rate_text


class RateCap(Step):
    """Of ``each`` frames the first is kept, so that motion stays even; no other ratio does that without making frames up."""

    title: ClassVar[str] = "Rate"

    step: Literal["rate"] = "rate"
    each: int = Field(default=2, ge=2, le=8)

    def output(self, before: PictureFormat) -> PictureFormat:
        return replace(before, rate=before.rate / self.each)

    def filters(self, before: PictureFormat) -> None:
        return None

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        return _Every(self.each, before.rate)

    def words(self, before: PictureFormat) -> str:
        return f"{rate_text(before.rate / self.each)} fps, of {self.each} frames one"


class _Every:
    """Goes by stamps, which count from the take's beginning: a stretch keeps the frames that the whole does."""

    def __init__(self, each: int, rate: Fraction) -> None:
        self.told = Told()
        self._each, self._rate = each, rate

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is None:
            return
        number = round((frame.pts or 0) * Fraction(frame.time_base or 1) * self._rate)
        if number % self._each:
            return
        frame.duration = (frame.duration or 0) * self._each
        yield frame
