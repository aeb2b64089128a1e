"""Makers of what the measurements look at: frames with known faults."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tests.making import Luma
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.planes import frame_from_planes, luma

Plane = NDArray[np.uint8]


def textured(**what: Any) -> Luma:
    """A picture with detail of all sizes, as filmed things have; to be written on."""
    return _textured(**what).copy()


@lru_cache(maxsize=16)
def _textured(*, width: int = 720, height: int = 480, seed: int = 1, low: int = 30, high: int = 220, fine: float = 4.0) -> Luma:
    rng = np.random.default_rng(seed)
    down, across = np.fft.fftfreq(height)[:, None], np.fft.rfftfreq(width)[None, :]
    frequency = np.hypot(down, across) + 2 / width
    # A spectrum that falls with frequency, as that of filmed things does, and some fine detail of its own.
    shape = frequency**-1.4 * np.exp(-((frequency / 0.3) ** 2))
    coarse = np.fft.irfft2(shape * np.fft.rfft2(rng.normal(0, 1, (height, width))), (height, width))
    detail = cv2.GaussianBlur(rng.normal(0, 1, (height, width)), (5, 5), 1.0)
    picture = 35 * coarse / coarse.std() + fine * detail / detail.std()
    return np.clip(125 + picture, low, high).astype(np.uint8)


def sight(y: Luma, number: int = 0, *, cb: Plane | None = None, cr: Plane | None = None) -> Sight:
    """4:2:2, grey chroma if none is given."""
    grey = np.full((y.shape[0], y.shape[1] // 2), 128, np.uint8)
    frame = frame_from_planes(y, cb if cb is not None else grey, cr if cr is not None else grey)
    frame.pts = number
    return Sight(number, number, luma(frame), 8, frame)


def sights(pictures: Sequence[Luma]) -> list[Sight]:
    return [sight(picture, number) for number, picture in enumerate(pictures)]


def grainy(picture: Luma, sigma: float, seed: int) -> Luma:
    return np.clip(np.round(picture + np.random.default_rng(seed).normal(0, sigma, picture.shape)), 0, 255).astype(np.uint8)


def displaced(picture: Luma, shift: NDArray[np.float64]) -> Luma:
    """Each line moved to the right by its own amount, samples."""
    lines, columns = picture.shape
    x = np.arange(columns, dtype=np.float32)[None, :] - shift[:, None].astype(np.float32)
    y = np.broadcast_to(np.arange(lines, dtype=np.float32)[:, None], (lines, columns))
    moved = cv2.remap(picture.astype(np.float32), x, np.ascontiguousarray(y), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.clip(np.round(moved), 0, 255).astype(np.uint8)


def caption_line(pair: int, *, width: int = 720) -> Plane:
    """A line 21 waveform (CEA-608, from memory): seven cycles of run-in, a start bit, sixteen bits, at 503.5 kb/s."""
    bit = 13.5e6 / 503_496.5
    t = np.arange(width, dtype=float)
    wave = np.zeros(width)
    start = 22.0
    run_in = (t >= start) & (t < start + 7 * bit)
    wave[run_in] = 0.5 - 0.5 * np.cos(2 * np.pi * (t[run_in] - start) / bit)
    bits = [0, 0, 1]
    for byte in (pair >> 8 & 0x7F, pair & 0x7F):
        seven = [byte >> at & 1 for at in range(7)]
        bits += [*seven, 1 - sum(seven) % 2]
    for number, value in enumerate(bits):
        first = start + (7 + number) * bit
        wave[(t >= first) & (t < first + bit)] = value
    soft = np.convolve(wave, np.hanning(9) / np.hanning(9).sum(), mode="same")
    return np.asarray(np.round(16 + 0.5 * 219 * soft), np.uint8)


def timecode_line(hours: int, minutes: int, seconds: int, frames: int, *, width: int = 720) -> Plane:
    """A line of vertical-interval timecode (SMPTE ST 12-1, from memory): ninety bits, nine groups each led by 1 0, cyclic check."""
    groups = [frames % 10, frames // 10, seconds % 10, seconds // 10, minutes % 10, minutes // 10, hours % 10, hours // 10]
    bits: list[int] = []
    for digit in groups:
        bits += [1, 0, *(digit >> at & 1 for at in range(4)), 0, 0, 0, 0]
    bits += [1, 0]
    bits += [sum(bits[place] for place in range(len(bits)) if place % 8 == (82 + at) % 8) % 2 for at in range(8)]
    length = 13.5e6 / (115 * 15_734.264)
    t = np.arange(width, dtype=float)
    wave = np.zeros(width)
    for number, value in enumerate(bits):
        first = 24 + number * length
        wave[(t >= first) & (t < first + length)] = value
    return np.asarray(np.round(16 + 0.8 * 219 * wave), np.uint8)
