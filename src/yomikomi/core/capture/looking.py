"""Showing the newest frame while recording: the picture in several ways, and the scopes. First to give way when time is short."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.health import Looks, Preview
from yomikomi.core.capture.scopes import as_codes, outside_limits, scopes_of
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.planes import frame_from_planes, native_format, rgb
from yomikomi.core.video.source import Picture, SourceFormat

View = Literal["shape", "samples", "fields"]
# Where codes lie outside the limits, stripes and dots cover the picture: to be told apart without colour.
_STRIPE, _DOT = 6, 4


@dataclass(frozen=True)
class LookAs:
    """What to look at; can be changed while recording.

    Parameters
    ----------
    preview, scopes : whether they are made at all.
    height : lines of the picture at its right shape.
    view : at its right shape; sample by sample; or both fields one above the other.
    clip_map : stripes where luma is above white, dots where it is below black.
    """

    preview: bool = True
    scopes: bool = True
    height: int = 480
    view: View = "shape"
    clip_map: bool = False

    @property
    def anything(self) -> bool:
        return self.preview or self.scopes


def look_of(picture: Picture, source: SourceFormat, look: LookAs) -> Looks:
    """Make what was asked for of one frame."""
    y, u, v = picture.y, picture.u, picture.v
    scopes = scopes_of(y, u, v, bits=source.bits) if look.scopes else None
    below, above = outside_limits(as_codes(y[::4, ::2], source.bits)) if look.scopes else (0.0, 0.0)
    preview = None
    if look.preview:
        if look.view == "fields":
            y, u, v = (np.concatenate([plane[0::2], plane[1::2]]) for plane in (y, u, v))
        frame = frame_from_planes(y, u, v, pixel_format=native_format(source.bits))
        frame.colorspace, frame.color_range = source.standard.colour.matrix, source.standard.colour.range
        width, height = _size(source, look)
        shown = rgb(frame, width=width, height=height)
        if look.clip_map:
            shown = _with_clip_map(shown, as_codes(y, source.bits))
        preview = Preview(width, height, shown.tobytes(), square=look.view != "samples")
    return Looks(picture.number, preview, scopes, below, above)


def _size(source: SourceFormat, look: LookAs) -> tuple[int, int]:
    standard = source.standard
    if look.view == "samples":
        return standard.width, standard.height
    shape = Geometry(standard.width, standard.height, source.sample_aspect)
    return shape.fit(10_000, min(look.height, standard.height))


def _with_clip_map(shown: NDArray[np.uint8], luma: NDArray[np.uint8]) -> NDArray[np.uint8]:
    height, width = shown.shape[:2]
    codes = cv2.resize(luma, (width, height), interpolation=cv2.INTER_NEAREST)
    rows, columns = np.ogrid[:height, :width]
    stripes = (rows + columns) // _STRIPE % 2 == 0
    dots = (rows % _DOT < 2) & (columns % _DOT < 2)
    out = shown.copy()
    out[(codes > 235) & stripes] = (24, 24, 24)
    out[(codes < 16) & dots] = (230, 230, 230)
    return out


class Looker(threading.Thread):
    """Looks at the newest frame offered, at most so often a second; ``offer`` never waits, and nothing is kept for later."""

    def __init__(self, source: SourceFormat, look: LookAs, *, period_s: float = 0.03) -> None:
        super().__init__(name="looking", daemon=True)
        self.look = look
        self._source, self._period = source, period_s
        self._fresh = threading.Condition()
        self._picture: Picture | None = None
        self._going = True
        self._made: Looks | None = None
        self._next = 0.0

    @property
    def wants_one(self) -> bool:
        return self.look.anything and self._picture is None and time.monotonic() >= self._next

    def offer(self, picture: Picture) -> None:
        with self._fresh:
            self._picture = picture
            self._fresh.notify()

    @property
    def newest(self) -> Looks | None:
        """What was made last. It is told again until there is something newer: a status may be passed over for a later one."""
        return self._made

    def finish(self) -> None:
        with self._fresh:
            self._going = False
            self._fresh.notify()
        self.join(2)

    def run(self) -> None:
        while True:
            with self._fresh:
                self._fresh.wait_for(lambda: self._picture is not None or not self._going)
                picture = self._picture
            if not self._going or picture is None:
                return
            began = time.monotonic()
            self._made = look_of(picture, self._source, self.look)
            # Slow looks come less often: they may take three quarters of the time, no more.
            taken = time.monotonic() - began
            self._next = began + max(self._period, 1.3 * taken)
            self._picture = None
