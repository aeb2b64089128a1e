"""Pictures whose lines begin where encoders expect them to.

What was stored as plain samples is decoded where it lies in the packet, which may begin anywhere; the encoder of VC-3 ends the process over
it (measured; tests/video/test_aligned.py). Such pictures are copied once, those of all other decoders pass.
"""

from __future__ import annotations

from fractions import Fraction

import av

from yomikomi.core.video.graph import FilterLine

# Bytes: what frames are given that this library makes itself.
_STEP = 16


class Aligner:
    """For the pictures of one stream, in order; their time stamps and marks stay."""

    def __init__(self) -> None:
        self._line: FilterLine | None = None
        self._like: tuple[object, ...] = ()

    def give(self, frame: av.VideoFrame) -> av.VideoFrame:
        if all(plane.buffer_ptr % _STEP == 0 and plane.line_size % _STEP == 0 for plane in frame.planes):
            return frame
        like = (frame.width, frame.height, frame.format.name, frame.colorspace, frame.color_range, frame.time_base)
        if self._line is None or like != self._like:
            base = frame.time_base or Fraction(1, 90_000)
            self._line, self._like = FilterLine([("copy", "")], template=frame, time_base=base, rate=Fraction(25)), like
        return next(self._line.push(frame))
