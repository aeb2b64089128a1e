"""A line of filters for frames whose kind is known only when the first comes."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import av

from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters
from yomikomi.core.video.graph import FilterLine


class LateLine:
    """Opened by the first frame, whose size and format all frames share; nothing pushed, nothing comes out. ``before``: what goes in."""

    def __init__(self, filters: Filters, before: PictureFormat) -> None:
        self._filters, self._before = filters, before
        self._line: FilterLine | None = None
        self._last: int | None = None

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        """Give one frame (None at the end) and take all that come out."""
        if self._line is None:
            if frame is None:
                return
            self._line = FilterLine(
                self._filters, template=frame, time_base=Fraction(frame.time_base or Fraction(1, 1000)), rate=self._before.rate,
                sample_aspect=self._before.geometry.sample_aspect,
            )  # fmt: skip
        for made in self._line.push(frame):
            if made.pts is not None and made.pts == self._last:
                made.pts += made.duration  # both fields of a take of one frame, whose length the deinterlacer cannot see
            self._last = made.pts
            yield made
