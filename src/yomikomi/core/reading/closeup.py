"""One frame of a take seen closely: whole, its fields, its change, its scopes, and the part that shows most."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.scopes import Scopes, as_codes, scopes_of_frame
from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.models import Reading, ScanSegment
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.planes import bits, luma, rgb

_BOX = (96, 64)  # samples across, lines
# Differences are shown around mid-grey, this many times as strong.
_GAIN = 4


@dataclass(frozen=True)
class CloseLook:
    """Parameters
    ----------
    frame : its number.
    picture : RGB, shape (lines, columns, 3), storage samples, turned as the file says.
    difference : change against the frame before, four times, around mid-grey; None for the first frame.
    box : left, top, width, height of the part that shows most, in storage samples before turning. ``part``: it, RGB.
    fields_apart : mean difference between the two fields there, codes; ``change``: against the frame before.
    """

    frame: int
    picture: NDArray[np.uint8]
    difference: NDArray[np.uint8] | None
    scopes: Scopes | None
    box: tuple[int, int, int, int]
    part: NDArray[np.uint8]
    fields_apart: float
    change: float


def close_look(path: Path, reading: Reading, frame: int) -> CloseLook:
    """Decode a frame and the one before. Raises UnreadableError where the file has no such frame any more."""
    rate = reading.rate.by_stamps
    start = max(Fraction(0), (frame - 1) / rate - 1 / (4 * rate)) if frame else Fraction(0)
    found: list[av.VideoFrame] = []
    for one in frames_from(path, start_seconds=start, first_seconds=Fraction(reading.first_seconds)):
        found.append(one)
        if len(found) == (2 if frame else 1):
            break
    if not found:
        raise UnreadableError(f"{path.name} has no frame {frame}.", remedy="The file may have changed; read it again.", path=path)
    now, before = found[-1], found[0] if len(found) == 2 else None
    codes = _codes(now)
    earlier = _codes(before) if before is not None and (before.width, before.height) == (now.width, now.height) else None
    box = most_telling(codes, earlier)
    left, top, width, height = box
    picture = rgb(now)
    inside = codes[top : top + height, left : left + width].astype(np.float32)
    change = 0.0 if earlier is None else float(np.abs(inside - earlier[top : top + height, left : left + width]).mean())
    turns = reading.rotation // 90
    return CloseLook(
        frame, np.ascontiguousarray(np.rot90(picture, turns)), _turned(_difference(codes, earlier), turns), scopes_of_frame(now), box,
        np.ascontiguousarray(picture[top : top + height, left : left + width]), _fields_apart(inside), change,
    )  # fmt: skip


def most_telling(codes: NDArray[np.uint8], before: NDArray[np.uint8] | None) -> tuple[int, int, int, int]:
    """The part with the most comb teeth; where there are hardly any, with the most change; else the middle. ``codes``, ``before``:
    shape=(lines, columns), luma in 8-bit codes, the frame and the one before. Returns left, top, width, height in samples."""
    lines, columns = codes.shape
    width, height = min(_BOX[0], columns), min(_BOX[1], lines)
    if lines < 8 or columns < 8:
        return 0, 0, width, height
    line = codes.astype(np.float32)
    step = line[2:] - line[:-2]
    teeth = np.abs(line[1:-1] - 0.5 * (line[2:] + line[:-2])) - 0.5 * np.abs(step)
    for values, least in ((np.maximum(teeth, 0), 3.0), (None if before is None else cv2.absdiff(codes, before).astype(np.float32), 1.0)):
        if values is None:
            continue
        mean = cv2.blur(values, (width, height), borderType=cv2.BORDER_CONSTANT)
        # The torn lines at the bottom of a tape would win every time.
        y, x = np.unravel_index(int(mean[: lines - height // 2 - 16].argmax()), mean[: lines - height // 2 - 16].shape)
        if mean[y, x] > least:
            return int(np.clip(x - width // 2, 0, columns - width)), int(np.clip(y - height // 2, 0, lines - height)), width, height
    return (columns - width) // 2, (lines - height) // 2, width, height


def segment_at(reading: Reading, frame: int) -> ScanSegment | None:
    return next((one for one in reading.scan.segments if one.first_frame <= frame < one.end_frame), None)


def _codes(frame: av.VideoFrame) -> NDArray[np.uint8]:
    return np.ascontiguousarray(as_codes(luma(frame), bits(frame)))


def _fields_apart(part: NDArray[np.float32]) -> float:
    """Mean distance of each line from the mean of its neighbours, which are of the other field."""
    if part.shape[0] < 3:
        return 0.0
    return float(np.abs(part[1:-1] - 0.5 * (part[2:] + part[:-2])).mean())


def _difference(codes: NDArray[np.uint8], before: NDArray[np.uint8] | None) -> NDArray[np.uint8] | None:
    if before is None:
        return None
    change = _GAIN * (codes.astype(np.int16) - before) + 128
    return np.repeat(np.clip(change, 0, 255).astype(np.uint8)[..., None], 3, axis=2)


def _turned(samples: NDArray[np.uint8] | None, turns: int) -> NDArray[np.uint8] | None:
    return None if samples is None else np.ascontiguousarray(np.rot90(samples, turns))

