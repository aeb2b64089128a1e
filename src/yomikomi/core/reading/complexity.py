"""How hard each part of a take is to encode: the bytes of a small, fast encode of everything.

It shares the reading pass and steers which parts the trials look at. One field of each frame is used, so that comb teeth do not
count as detail, and every second frame: the bytes are spread over a take as those of all frames are, at half the cost. The preset
was chosen for how evenly the bytes of full encodes go with those of the small one (docs/science.md).
"""

from __future__ import annotations

from fractions import Fraction

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.planes import plane_samples

_OPTIONS = {"preset": "superfast", "crf": "23", "x264-params": "bframes=0:rc-lookahead=10:keyint=infinite"}


_EVERY = 2


class ComplexityMeter:
    """Fed with small pictures (``Sight.small``); afterwards ``finish`` gives bytes a frame."""

    def __init__(self, rate: int = 30) -> None:
        self._rate = rate
        self._encoder: av.VideoCodecContext | None = None
        self._bytes: list[int] = []
        self._key: list[bool] = []
        self._fed = 0

    def feed(self, small: NDArray[np.uint8]) -> None:
        """One picture of 8-bit luma, even sizes; every second one is encoded. ``small``: shape=(lines, columns)."""
        self._fed += 1
        if self._fed % _EVERY != 1:
            return
        if self._encoder is None:
            self._encoder = self._open(small.shape[1], small.shape[0])
        elif (self._encoder.width, self._encoder.height) != (small.shape[1], small.shape[0]):
            small = cv2.resize(small, (self._encoder.width, self._encoder.height))
        frame = av.VideoFrame(small.shape[1], small.shape[0], "gray")
        plane_samples(frame.planes[0])[...] = small
        frame.pts = self._fed // _EVERY
        self._take(self._encoder.encode(frame))

    def finish(self) -> list[int]:
        """Bytes of each frame fed, in showing order; of an encoded one half counts for the next."""
        if self._encoder is not None:
            self._take(self._encoder.encode(None))
        return [self._bytes[number // _EVERY] // _EVERY for number in range(min(self._fed, _EVERY * len(self._bytes)))]

    def keys(self) -> list[bool]:
        """After ``finish``, of the same frames: whether their bytes are those of a key picture, which only a cut brings here."""
        return [self._key[number // _EVERY] for number in range(min(self._fed, _EVERY * len(self._bytes)))]

    def _take(self, packets: list[av.Packet]) -> None:
        # Without B-frames packets come in showing order.
        self._bytes.extend(packet.size for packet in packets)
        self._key.extend(packet.is_keyframe for packet in packets)

    def _open(self, width: int, height: int) -> av.VideoCodecContext:
        context = av.CodecContext.create("libx264", "w")
        assert isinstance(context, av.VideoCodecContext)
        context.width, context.height, context.pix_fmt = width, height, "gray"
        context.framerate = Fraction(self._rate, _EVERY)
        context.options = dict(_OPTIONS)
        context.thread_count = 1
        return context
