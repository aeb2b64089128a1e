"""What happens to the fields of interlaced frames."""

from __future__ import annotations

import enum
from collections import deque
from collections.abc import Iterator
from dataclasses import replace
from typing import ClassVar, Literal

import av

from yomikomi.core.treatment.combing import combing
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.late_line import LateLine
from yomikomi.core.treatment.step import Filters, Site, Step, Told, Worker
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder


class Deinterlace(enum.StrEnum):
    """``LEAVE``: the fields stay; ``SINGLE``: a frame from two; ``DOUBLE``: one from each; ``BLEND``: both mixed, for good; ``COMBED``:
    as single, and only where a frame shows combing."""

    LEAVE = "leave"
    SINGLE = "single"
    DOUBLE = "double"
    BLEND = "blend"
    COMBED = "combed"


# Combing (root mean square of the worst blocks, 8-bit code values) from which a frame counts as combed. Noise of 3 makes 2 of it, fine
# lettering up to 4, teeth of slow movement 8 and more (tests/treatment/test_steps.py).
COMBED_FROM = 6.0
# Lines one, two, one: what a blend of both fields is.
_BLEND = "0 1 0 0 2 0 0 1 0"


class Fields(Step):
    """``order``: which field was taken first, as the reading found it or a person said."""

    on_fields: ClassVar[bool] = True
    title: ClassVar[str] = "Fields"

    step: Literal["fields"] = "fields"
    mode: Deinterlace
    order: FieldOrder

    def output(self, before: PictureFormat) -> PictureFormat:
        if self.mode is Deinterlace.LEAVE:
            return replace(before, field_order=self.order)
        return replace(before, field_order=None, rate=2 * before.rate if self.mode is Deinterlace.DOUBLE else before.rate)

    def filters(self, before: PictureFormat) -> Filters | None:
        if self.mode is Deinterlace.LEAVE:
            return [("setfield", self.order.value)]
        if self.mode is Deinterlace.BLEND:
            options = ":".join(f"{plane}m='{_BLEND}':{plane}rdiv=0.25" for plane in range(3))
            return [("convolution", options), ("setfield", "prog")]
        return None if self.mode is Deinterlace.COMBED else deinterlacer(self.order, double=self.mode is Deinterlace.DOUBLE)

    def open(self, before: PictureFormat, site: Site | None) -> Worker:
        return _OnlyCombed(self.order, before)

    def words(self, before: PictureFormat) -> str:
        return {
            Deinterlace.LEAVE: "fields left as they are",
            Deinterlace.BLEND: "fields blended",
            Deinterlace.COMBED: "only combed frames deinterlaced",
        }.get(self.mode, f"deinterlaced to {rate_text(self.output(before).rate)}")

    @property
    def reach(self) -> int:
        return 0 if self.mode in {Deinterlace.LEAVE, Deinterlace.BLEND} else 2


def deinterlacer(order: FieldOrder, *, double: bool) -> Filters:
    """The best of the library's (findings: 35.4 dB on missing lines; the others 32.7 to 34.7)."""
    return [("bwdif", f"mode={'send_field' if double else 'send_frame'}:parity={order.value}:deint=all")]


class _OnlyCombed:
    """Every frame beside what the deinterlacer makes of it; the one or the other goes on, by the combing."""

    def __init__(self, order: FieldOrder, before: PictureFormat) -> None:
        self.told = Told()
        self._line = LateLine(deinterlacer(order, double=False), before)
        self._waiting: deque[av.VideoFrame] = deque()

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        if frame is not None:
            self._waiting.append(frame)
        for made in self._line.push(frame):
            own = self._waiting.popleft()
            if combing(luma(own), depth=bits(own)) < COMBED_FROM:
                yield own
                continue
            self.told.mended += 1
            # Stamps of the deinterlacer count in halves of the time base; the frame's own say the same.
            made.pts, made.time_base, made.duration = own.pts, own.time_base, own.duration
            yield made
