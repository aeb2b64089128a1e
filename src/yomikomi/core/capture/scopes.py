"""Waveform, vectorscope and histogram, counted from the samples as they stand: no conversion, no picture for the screen.

Codes are those of 8 bits (deeper samples lose their lowest bits): black 16, white 235, chroma 16…240 around 128
(ITU-R BT.601 and BT.709, limited range).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.planes import bits, plane_samples
from yomikomi.core.video.planes import luma as luma_of

WAVEFORM_COLUMNS = 360
# So many samples make a dot of full brightness, for each column of the waveform; the eye sees single ones too.
_FULL_DOT = 0.12
_MOST_LINES = 540


@dataclass(frozen=True)
class Scopes:
    """Parameters
    ----------
    waveform : ndarray [shape=(256, 360), uint8]: brightness of a dot for each luma code (first axis) along the line.
    vector : ndarray [shape=(256, 256), uint8]: brightness for each Cr code (first axis) and Cb code.
    histogram : ndarray [shape=(256,), float32]: part of all samples with each luma code.
    """

    waveform: NDArray[np.uint8]
    vector: NDArray[np.uint8]
    histogram: NDArray[np.float32]


def as_codes(plane: NDArray[Any], bits: int) -> NDArray[np.uint8]:
    """Samples as codes of 8 bits. ``plane``: shape=(lines, columns), codes of ``bits`` bits; the result has its shape."""
    return plane if plane.dtype == np.uint8 else (plane >> (bits - 8)).astype(np.uint8)


def scopes_of(y: NDArray[Any], u: NDArray[Any], v: NDArray[Any], *, bits: int = 8) -> Scopes:
    """Count a 4:2:2 picture. Large pictures are counted on part of their lines. ``y`` shape=(lines, columns), ``u`` and ``v``
    shape=(lines, columns / 2), codes of ``bits`` bits."""
    step = max(1, -(-y.shape[0] // _MOST_LINES))
    luma, cb, cr = (as_codes(plane[::step], bits) for plane in (y, u, v))
    return Scopes(waveform(luma), vectorscope(cb, cr), histogram(luma))


def scopes_of_frame(frame: av.VideoFrame) -> Scopes | None:
    """Of a decoded frame with planes of luma and chroma; None of any other."""
    if frame.format.is_rgb or len(frame.planes) < 3:
        return None
    kind: Any = np.uint16 if frame.format.components[1].bits > 8 else np.uint8
    cb, cr = (plane_samples(plane, kind) for plane in frame.planes[1:3])
    return scopes_of(luma_of(frame), cb, cr, bits=bits(frame))


def waveform(luma: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """How often each code stands in each of 360 columns, as brightness. ``luma``: shape=(lines, columns), codes; the result has
    shape=(256, 360), a row for each code, 0…255."""
    lines, columns = luma.shape
    place = np.arange(columns, dtype=np.int32) * WAVEFORM_COLUMNS // columns
    counts = np.bincount((luma.astype(np.int32) * WAVEFORM_COLUMNS + place).ravel(), minlength=256 * WAVEFORM_COLUMNS)
    full = _FULL_DOT * lines * columns / WAVEFORM_COLUMNS
    return _bright(counts.reshape(256, WAVEFORM_COLUMNS), full)


def vectorscope(cb: NDArray[np.uint8], cr: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """How often each pair of chroma codes stands in the picture, as brightness. ``cb``, ``cr``: the same shape, codes; the result has
    shape=(256, 256), rows by Cr and columns by Cb, 0…255."""
    counts = np.bincount((cr.astype(np.int32) * 256 + cb).ravel(), minlength=65_536)
    return _bright(counts.reshape(256, 256), 0.004 * cb.size)


def histogram(luma: NDArray[np.uint8]) -> NDArray[np.float32]:
    """How often each code stands in ``luma``, shape=(lines, columns): shape=(256,), parts that add up to 1."""
    return (np.bincount(luma.ravel(), minlength=256) / luma.size).astype(np.float32)


def outside_limits(luma: NDArray[np.uint8]) -> tuple[float, float]:
    """Part of the samples below black (16) and above white (235). ``luma``: shape=(lines, columns), codes; the parts are 0…1."""
    counts = histogram(luma)
    return float(counts[:16].sum()), float(counts[236:].sum())


def _bright(counts: NDArray[np.int64], full: float) -> NDArray[np.uint8]:
    """A square root between nothing and a full dot, never under what can be seen where there is anything at all."""
    shade = np.sqrt(counts / max(1.0, full))
    return np.where(counts > 0, np.clip(40 + 215 * shade, 0, 255), 0).astype(np.uint8)
