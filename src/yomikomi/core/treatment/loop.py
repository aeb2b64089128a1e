"""The moving loop that shows a treatment: the most combed second before and after, pixel for pixel."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.scopes import Scopes, scopes_of_frame
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Frame, Reframe, Turn
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import HeldFrames, TreatedFrames, hold_frames
from yomikomi.core.video.planes import frame_from_planes, luma, plane_samples, rgb
from yomikomi.core.work import Reporter

# shape=(lines, columns, 3), RGB 0…255.
Picture = NDArray[np.uint8]
_OUTSIDE = 28  # about as dark as the well around it
# Frames kept before and behind those shown: what steps reach for.
_MARGIN = 14
# Scopes of a loop.
_SCOPES = 6


@dataclass(frozen=True)
class LoopRequest:
    """``width`` x ``height``: the part of the picture shown, in storage samples; ``frame``: in the middle of what is shown, None: the
    most combed one."""

    path: Path
    reading: Reading
    width: int = 360
    height: int = 270
    frame: int | None = None


@dataclass(frozen=True)
class LoopSide:
    """Pictures, each shown for 1/rate seconds; ``scale``: how much larger than in the take the scene is, across and down; ``scopes``: of
    whole frames, spread evenly over the loop."""

    rate: Fraction
    pictures: list[Picture]
    scale: tuple[float, float] = (1.0, 1.0)
    scopes: tuple[Scopes, ...] = ()


@dataclass(frozen=True)
class LoopSource:
    """About a second around the most combed moment, decoded once: whatever is chosen is tried on it.

    Parameters
    ----------
    before : as it is, cut at (``left``, ``top``).
    frames : numbers of the take's frames that are shown.
    held : those and their neighbours.
    """

    request: LoopRequest
    before: LoopSide
    left: int
    top: int
    frames: range
    held: HeldFrames


def open_loop(request: LoopRequest, reporter: Reporter) -> LoopSource:
    """Decode the place that a treatment is judged by."""
    reading = request.reading
    rate = reading.rate.by_stamps
    span = min(reading.frames, max(2, round(rate)))
    middle = request.frame if request.frame is not None else reading.most_combed_frame
    first = max(0, min(middle - span // 2, reading.frames - span))
    wanted = range(max(0, first - _MARGIN), min(reading.frames, first + span + _MARGIN))
    held = hold_frames(request.path, reading, wanted, reporter.check)
    shown = [frame for number, frame in held.numbered() if first <= number < first + span]
    left, top = _busiest(shown, request.width, request.height)
    scopes = tuple(found for number in _scoped(len(shown)) if (found := scopes_of_frame(shown[number])) is not None)
    before = LoopSide(rate, [_cut(frame, left, top, request.width, request.height) for frame in shown], scopes=scopes)
    return LoopSource(request, before, left, top, range(first, first + span), held)


def treat_loop(source: LoopSource, treatment: Treatment, reporter: Reporter) -> LoopSide:
    """The same second, treated; the same place of the scene."""
    request = source.request
    treatment = treatment.untimed  # the place may lie in what is cut off
    outputs = Timing.of(request.reading, treatment).outputs(source.frames.start, source.frames.stop)
    treated = TreatedFrames(
        request.path, request.reading, treatment, outputs, "yuv444p", reporter.check, held=source.held, most_filled_s=None
    )  # fmt: skip
    at = float(Timing.of(request.reading, Treatment()).shown_at(source.frames.start))
    left, top, scale = _moved(treatment, request.reading, (source.left, source.top), at)
    measured, pictures, scopes = set(_scoped(len(outputs))), [], []
    for number, frame in enumerate(treated):
        pictures.append(_cut(frame, left, top, request.width, request.height))
        if number in measured and (found := scopes_of_frame(frame)) is not None:
            scopes.append(found)
    return LoopSide(treated.format.rate, pictures, scale, tuple(scopes))


def _scoped(frames: int) -> range:
    """Which of so many frames scopes are counted of."""
    return range(0, frames, max(1, frames // _SCOPES))


def typical_frame(reading: Reading) -> int:
    """In the middle of a cell as hard to encode as half of the others."""
    cells = reading.complexity.cell_bytes
    if not cells:
        return reading.frames // 2
    middle = int(np.argsort(cells)[len(cells) // 2])
    return min(reading.frames - 1, middle * reading.complexity.frames_per_cell + reading.complexity.frames_per_cell // 2)


def _moved(treatment: Treatment, reading: Reading, place: tuple[int, int], at: float) -> tuple[int, int, tuple[float, float]]:
    """Where the same place of the scene lies in the treated picture, and how much larger it is; ``at``: the second of the take. (Of a
    turned picture it is another place.)"""
    across = down = 1.0
    (left, top), formats = (float(place[0]), float(place[1])), treatment.formats(source_format(reading))
    for step, given, made in zip(treatment.steps, formats, formats[1:], strict=False):
        if isinstance(step, Crop):
            cut_left, cut_top, _, _ = step.window(given)
            left, top = left - cut_left, top - cut_top
        elif isinstance(step, Reframe):
            window_left, window_top = step.place_at(at, given)
            left, top = left - window_left, top - window_top
        elif isinstance(step, Frame):
            bar_left, bar_top, width, height = step.inner(given)
            wide, tall = width / given.geometry.width, height / given.geometry.height
            left, top, across, down = bar_left + left * wide, bar_top + top * tall, across * wide, down * tall
        elif not isinstance(step, Turn):
            wide, tall = made.geometry.width / given.geometry.width, made.geometry.height / given.geometry.height
            left, top, across, down = left * wide, top * tall, across * wide, down * tall
    return round(left / 2) * 2, round(top / 2) * 2, (across, down)


def _cut(frame: av.VideoFrame, left: int, top: int, width: int, height: int) -> Picture:
    """A part of a frame for the screen, pixel for pixel; only that part is converted. What lies outside of the frame (it was cropped) is
    dark, so that the scene stays in its place."""
    rows, columns = slice(max(0, top), min(frame.height, top + height)), slice(max(0, left), min(frame.width, left + width))
    if rows.stop <= rows.start or columns.stop <= columns.start:
        return np.full((height, width, 3), _OUTSIDE, np.uint8)
    if frame.format.name == "yuv444p":
        part = frame_from_planes(*(plane_samples(plane)[rows, columns] for plane in frame.planes), pixel_format="yuv444p")
        part.colorspace, part.color_range = frame.colorspace, frame.color_range
        shown = rgb(part)
    else:
        shown = np.ascontiguousarray(rgb(frame)[rows, columns])
    if shown.shape[:2] == (height, width):
        return shown
    made = np.full((height, width, 3), _OUTSIDE, np.uint8)
    made[rows.start - top : rows.stop - top, columns.start - left : columns.stop - left] = shown
    return made


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
