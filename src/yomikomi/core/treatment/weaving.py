"""Pictures put together from two fields, checked for combing and mended where they have any."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction

import av
import numpy as np

from yomikomi.core.treatment.cadence import FilmPicture
from yomikomi.core.treatment.combing import combing
from yomikomi.core.treatment.step import Told
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.planes import bits, luma

# A weave with less combing than this is not looked at further (8-bit code values, see combing).
_CLEAN = 5.0
# Another field beside the one of the cadence is taken where the weave with it has less than this part of the combing.
_CLEARLY = 0.5


def weave(top: av.VideoFrame, bottom: av.VideoFrame) -> av.VideoFrame:
    """The top field of one frame and the bottom field of another, line by line. Both must be of one size and format."""
    made = av.VideoFrame(top.width, top.height, top.format.name)
    for target, upper, lower in zip(made.planes, top.planes, bottom.planes, strict=True):
        # Whole lines in bytes: a plane may hold several components beside each other.
        length = min(plane.line_size for plane in (target, upper, lower))
        out, first, second = (np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1) for plane in (target, upper, lower))
        out[0::2, :length] = first[0::2, :length]
        out[1::2, :length] = second[1::2, :length]
    made.colorspace, made.color_range = top.colorspace, top.color_range
    made.color_primaries, made.color_trc = top.color_primaries, top.color_trc
    return made


def from_field(frame: av.VideoFrame, *, keep_top: bool) -> av.VideoFrame:
    """A picture from one field of a frame alone: the missing lines are interpolated along edges."""
    line = FilterLine(
        [("estdif", f"mode=frame:parity={'tff' if keep_top else 'bff'}:deint=all")], template=frame,
        time_base=Fraction(frame.time_base or 1), rate=Fraction(25),
    )  # fmt: skip
    out = [*line.push(frame), *line.push(None)]
    return out[0] if out else frame


class Weaver:
    """Makes film pictures from the frames at hand. ``told`` counts what could not be taken as it is."""

    def __init__(self, told: Told) -> None:
        self.told = told

    def clean(self, frame: av.VideoFrame) -> bool:
        """Whether a frame's fields belong together; where they do not, another picture takes its place, and that is counted."""
        clean = combing(luma(frame), depth=bits(frame)) < _CLEAN
        self.told.mended += not clean
        return clean

    def make(self, picture: FilmPicture, frames: Mapping[int, av.VideoFrame]) -> av.VideoFrame:
        """``frames``: by number; those of the picture must be among them, their neighbours may."""
        if picture.top is None or picture.bottom is None:
            self.told.interpolated += 1
            number = picture.frames[0]
            return from_field(frames[number], keep_top=picture.top is not None)
        top, bottom = frames[picture.top], frames[picture.bottom]
        made = weave(top, bottom)
        own = combing(luma(made), depth=bits(made))
        return made if own < _CLEAN else self._mended(picture, made, own, frames)

    def _mended(self, picture: FilmPicture, made: av.VideoFrame, own: float, frames: Mapping[int, av.VideoFrame]) -> av.VideoFrame:
        """The cadence may be wrong here: where the top field goes with the bottom field of a neighbour, that one is taken.
        ``own``: combing of what the cadence gives."""
        assert picture.top is not None
        assert picture.bottom is not None
        top = frames[picture.top]
        depth = bits(top)
        near = (number for number in (picture.top - 1, picture.top, picture.top + 1) if number in frames)
        others = {number: combing(luma(top), luma(frames[number]), depth=depth) for number in near}
        best = min(others, key=others.__getitem__, default=picture.bottom)
        if best != picture.bottom and others[best] < _CLEARLY * own:
            self.told.mended += 1
            return weave(top, frames[best])
        return made
