"""The moving loop that shows a treatment: the most combed second before and after, pixel for pixel."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.chain import Treatment, chain_for, outputs_a_frame
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.planes import luma, rgb
from yomikomi.core.work import Reporter

# shape=(lines, columns, 3), RGB 0…255.
Picture = NDArray[np.uint8]
# Frames that a deinterlacer wants before and after the ones shown.
_MARGIN = 2


@dataclass(frozen=True)
class LoopRequest:
    """``width`` x ``height``: the part of the picture shown, in storage samples."""

    path: Path
    reading: Reading
    treatments: tuple[Treatment, ...]
    width: int = 360
    height: int = 270


@dataclass(frozen=True)
class LoopSide:
    """Pictures, each shown for 1/rate seconds."""

    rate: Fraction
    pictures: list[Picture]


@dataclass(frozen=True)
class Loop:
    """``before`` and one side for each treatment asked for, all cut at (left, top); first frame of the take's numbering."""

    before: LoopSide
    after: list[LoopSide]
    left: int
    top: int
    first_frame: int


def make_loop(request: LoopRequest, reporter: Reporter) -> Loop:
    """Decode about a second around the most combed moment and treat it in each way asked for."""
    reading = request.reading
    rate = reading.rate.by_stamps
    span = min(reading.frames, max(2, round(rate)))
    first = max(0, min(reading.most_combed_frame - span // 2, reading.frames - span))
    lead = min(_MARGIN, first)
    frames: list[av.VideoFrame] = []
    start = (first - lead) / rate - 1 / (4 * rate)
    for frame in frames_from(request.path, start_seconds=max(Fraction(0), start), first_seconds=Fraction(reading.first_seconds)):
        reporter.check()
        frames.append(frame)
        if len(frames) >= span + lead + _MARGIN:
            break
    shown = frames[lead : lead + span]
    left, top = _busiest(shown, request.width, request.height)
    cut = _Cutter(left, top, request.width, request.height)
    before = LoopSide(rate, [cut(frame) for frame in shown])
    after = [_treated(reading, treatment, frames, lead, span, cut, reporter) for treatment in request.treatments]
    return Loop(before, after, left, top, first)


def _treated(
    reading: Reading, treatment: Treatment, frames: list[av.VideoFrame], lead: int, span: int, cut: _Cutter, reporter: Reporter
) -> LoopSide:
    chain = chain_for(reading, treatment, pixel_format="yuv444p")
    factor = outputs_a_frame(reading, treatment)
    pictures = []
    base = frames[0].time_base or Fraction(1, 1000)
    for frame in chain.treat(frames, time_base=Fraction(base)):
        reporter.check()
        if round(lead * factor) <= (frame.pts or 0) < round((lead + span) * factor):
            pictures.append(cut(frame))
    return LoopSide(chain.format.rate, pictures)


class _Cutter:
    def __init__(self, left: int, top: int, width: int, height: int) -> None:
        self.left, self.top, self.width, self.height = left, top, width, height

    def __call__(self, frame: av.VideoFrame) -> Picture:
        whole = rgb(frame)
        return np.ascontiguousarray(whole[self.top : self.top + self.height, self.left : self.left + self.width])


def _busiest(frames: list[av.VideoFrame], width: int, height: int) -> tuple[int, int]:
    """Left and top (even) of the window with most difference between fields over the loop, bottom lines left out."""
    if not frames:
        return 0, 0
    total = None
    for frame in frames[:: max(1, len(frames) // 6)]:
        y = luma(frame).astype(np.float32)
        lines = y.shape[0] // 2 * 2
        teeth = np.abs(y[1 : lines - 1 : 2] - 0.5 * (y[0 : lines - 2 : 2] + y[2:lines:2]))
        total = teeth if total is None else total + teeth
    assert total is not None
    total[-12:] = 0  # the head-switching band is no picture
    sums = np.zeros((total.shape[0] + 1, total.shape[1] + 1))
    sums[1:, 1:] = total.cumsum(0).cumsum(1)
    tall, wide = min(height // 2, total.shape[0]), min(width, total.shape[1])
    windows = sums[tall:, wide:] - sums[:-tall, wide:] - sums[tall:, :-wide] + sums[:-tall, :-wide]
    top, left = np.unravel_index(int(windows.argmax()), windows.shape)
    return int(left) // 2 * 2, int(top) * 2
