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
_COLUMN_STEP, _USUAL_WIDTH = 8, 720
# Lines of the small copy: enough for motion and for the cost of encoding.
SMALL_LINES = 240

# No tape holds more lines.
LARGEST_TAPED = 608
# A block is 16 columns of the picture wide (of large ones more), of which two are looked at, and 8 field lines high.
BLOCK_LINES, BLOCK_COLUMNS = 8, 2

# shape=(lines, columns) of one field, luma in 8-bit codes.
Field = NDArray[np.float32]
# Top and bottom, shape (2, lines, columns).
Fields = NDArray[np.float32]


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
        return _COLUMN_STEP * max(1, round(self.samples.shape[1] / _USUAL_WIDTH))

    @cached_property
    def _thin_samples(self) -> NDArray[Any]:
        return self._every_column(0)

    @cached_property
    def thin_codes(self) -> NDArray[np.uint8]:
        """``thin`` in whole codes. Shape=(2, lines, columns)."""
        return as_codes(self._thin_samples, self.depth)

    @cached_property
    def thin(self) -> Fields:
        """Top and bottom field, one column in eight (or more, of large pictures), in codes of 8 bits; as much as fills whole blocks."""
        return self._thin_samples.astype(np.float32) * self.scale if self.depth > 8 else self._thin_samples.astype(np.float32)

    @cached_property
    def slopes(self) -> Fields:
        """How luma rises along every second line of ``thin``, codes a sample; 0 in the first column, which has but one neighbour."""
        step = self.column_step
        fields, lines, columns = self.thin_codes.shape
        slopes = np.empty((fields, lines // 2, columns), np.float32)
        slopes[:, :, :1] = 0
        # Of column k the left neighbour is the last of the group before it.
        right, left = self._every_column(step + 1, lines=2), self._every_column(step - 1, lines=2)
        inner = min(columns - 1, right.shape[2], left.shape[2])
        slopes[:, :, inner + 1 :] = 0
        rise = slopes[:, :, 1 : inner + 1]
        np.subtract(right[:, :, :inner].astype(np.int16 if self.depth == 8 else np.int32), left[:, :, :inner], out=rise, casting="unsafe")
        rise *= np.float32(0.5 * self.scale)
        return slopes

    def _every_column(self, first: int, *, lines: int = 1) -> NDArray[Any]:
        """Top and bottom field, every eighth column from ``first``, all lines or every second; a copy, quicker to reckon with than
        the view."""
        height, columns = self.samples.shape
        height = height // (2 * BLOCK_LINES) * BLOCK_LINES
        blocks = -(-columns // self.column_step) // BLOCK_COLUMNS
        columns = min(columns, blocks * BLOCK_COLUMNS * self.column_step)
        by_field = self.samples[: 2 * height, :columns].reshape(height, 2, columns).transpose(1, 0, 2)
        return np.ascontiguousarray(by_field[:, ::lines, first :: self.column_step])

    @cached_property
    def codes(self) -> NDArray[np.uint8]:
        """Luma in 8 bits, whole size. Shape=(lines, columns)."""
        return np.ascontiguousarray(as_codes(self.samples, self.depth))

    @cached_property
    def small(self) -> NDArray[np.uint8]:
        """About 240 lines of one field, so that comb teeth do not count as detail, in 8 bits and even sizes. Shape=(lines, columns)."""
        step = 2 * max(1, self.samples.shape[0] // 2 // SMALL_LINES)
        field = as_codes(self.samples[::step], self.depth)
        width, height = max(16, self.samples.shape[1] // step // 2 * 2), max(16, field.shape[0] // 2 * 2)
        # Halving by pairs is a plain mean and several times quicker than a mean over an area.
        while field.shape[1] >= 2 * width:
            field = cv2.resize(field, (field.shape[1] // 2, field.shape[0]), interpolation=cv2.INTER_LINEAR)
        return np.asarray(cv2.resize(field, (width, height), interpolation=cv2.INTER_LINEAR), np.uint8)

    @cached_property
    def chroma(self) -> tuple[NDArray[np.float32], NDArray[np.float32]] | None:
        """Cb and Cr in codes of 8 bits, at the size they are stored in; None for grey or RGB material. Shape=(lines, columns) each."""
        frame = self.frame
        if frame is None or frame.format.is_rgb or len(frame.planes) < 3:
            return None
        kind: Any = np.uint16 if frame.format.components[1].bits > 8 else np.uint8
        scale = np.float32(2.0 ** (8 - frame.format.components[1].bits))
        cb, cr = (plane_samples(plane, kind).astype(np.float32) * scale for plane in frame.planes[1:3])
        return cb, cr
