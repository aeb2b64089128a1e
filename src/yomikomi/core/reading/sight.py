"""One decoded frame as the measurements see it: what several of them need is worked out once."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.scopes import as_codes
from yomikomi.core.video.planes import bits, luma, plane_samples

# One column in eight is enough to judge motion and comb teeth (docs/science.md); of large pictures, as many as of small ones.
_COLUMN_STEP, _USUAL_WIDTH = 8, 960
# Lines of the small copy: enough for motion and for the cost of encoding.
SMALL_LINES = 240

Field = NDArray[np.float32]


@dataclass
class Sight:
    """A frame of a take.

    Parameters
    ----------
    number : counted from 0 in showing order.
    stamp : its time stamp in ticks of the stream, None where it carries none.
    samples : luma, shape (lines, columns), uint8 or uint16 in the full code range of ``depth``; valid while ``frame`` lives.
    frame : as decoded, for measurements that want chroma.
    """

    number: int
    stamp: int | None
    samples: NDArray[Any]
    depth: int = 8
    frame: av.VideoFrame | None = None

    @classmethod
    def of(cls, frame: av.VideoFrame, number: int) -> Sight:
        return cls(number, frame.pts, luma(frame), bits(frame), frame)

    @property
    def scale(self) -> np.float32:
        """From codes of this depth to codes of 8 bits."""
        return np.float32(2.0 ** (8 - self.depth))

    @property
    def column_step(self) -> int:
        """Columns from one that is looked at to the next."""
        return _COLUMN_STEP * max(1, self.samples.shape[1] // _USUAL_WIDTH)

    @cached_property
    def thin(self) -> tuple[Field, Field]:
        """Top and bottom field, one column in eight (or more, of large pictures), in codes of 8 bits."""
        samples = self.samples[: self.samples.shape[0] // 2 * 2, :: self.column_step].astype(np.float32)
        if self.depth > 8:
            samples *= self.scale
        return samples[0::2], samples[1::2]

    @cached_property
    def slopes(self) -> tuple[Field, Field]:
        """How luma rises along the line at the columns of ``thin``, codes a sample."""
        rows = self.samples[: self.samples.shape[0] // 2 * 2]
        step = self.column_step
        right, left = rows[:, 1::step].astype(np.float32), rows[:, step - 1 :: step].astype(np.float32)
        count = self.thin[0].shape[1]
        slope = np.zeros((rows.shape[0], count), np.float32)
        # Of column k the left neighbour stands one before it: the last of the group before.
        inner = min(count - 1, right.shape[1] - 1, left.shape[1])
        if inner > 0:
            slope[:, 1 : inner + 1] = (right[:, 1 : inner + 1] - left[:, :inner]) * np.float32(0.5 * self.scale)
        return slope[0::2], slope[1::2]

    @cached_property
    def codes(self) -> NDArray[np.uint8]:
        """Luma in 8 bits, whole size."""
        return np.ascontiguousarray(as_codes(self.samples, self.depth))

    @cached_property
    def small(self) -> NDArray[np.uint8]:
        """About 240 lines of one field, so that comb teeth do not count as detail, in 8 bits and even sizes."""
        step = 2 * max(1, self.samples.shape[0] // 2 // SMALL_LINES)
        field = np.ascontiguousarray(as_codes(self.samples[::step], self.depth))
        width, height = max(16, self.samples.shape[1] // step // 2 * 2), max(16, field.shape[0] // 2 * 2)
        # Halving by pairs is a plain mean and several times quicker than a mean over an area.
        while field.shape[1] >= 2 * width:
            field = cv2.resize(field, (field.shape[1] // 2, field.shape[0]), interpolation=cv2.INTER_LINEAR)
        return np.asarray(cv2.resize(field, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)

    @cached_property
    def chroma(self) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
        """Cb and Cr in codes of 8 bits, at the size they are stored in; None for grey or RGB material."""
        frame = self.frame
        if frame is None or frame.format.is_rgb or len(frame.planes) < 3:
            return None
        kind: Any = np.uint16 if frame.format.components[1].bits > 8 else np.uint8
        scale = np.float32(2.0 ** (8 - frame.format.components[1].bits))
        cb, cr = (plane_samples(plane, kind).astype(np.float32) * scale for plane in frame.planes[1:3])
        return cb, cr
