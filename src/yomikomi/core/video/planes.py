"""Between frames of the library and plain arrays."""

from __future__ import annotations

from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

# shape=(lines, columns), 8-bit codes.
Plane = NDArray[np.uint8]


def luma(frame: av.VideoFrame) -> NDArray[Any]:
    """The luma samples as they stand in the frame, without any range conversion.

    Returns
    -------
    ndarray [shape=(lines, columns)] : a view where the format is planar or semi-planar: uint8, or uint16 for deeper
        formats; else a converted copy (8 bits). The frame must outlive the view.
    """
    components = frame.format.components
    planar = len(frame.planes) > 1 or len(components) == 1
    if not planar or frame.format.is_rgb or frame.format.is_big_endian or components[0].plane != 0:
        frame = frame.reformat(format="yuv444p")
    plane = frame.planes[0]
    return plane_samples(plane, np.uint16 if frame.format.components[0].bits > 8 else np.uint8)


def plane_samples(plane: av.video.plane.VideoPlane, kind: Any = np.uint8) -> NDArray[Any]:
    """The samples of a plane as a writable view, shape (lines, columns), the padding of lines left out."""
    samples = np.frombuffer(memoryview(plane), dtype=kind).reshape(plane.height, -1)
    return samples[:, : plane.width]


def bits(frame: av.VideoFrame) -> int:
    """Bits of a luma sample as :func:`luma` gives it."""
    depth = int(frame.format.components[0].bits)
    return depth if not frame.format.is_rgb else 8


def frame_from_planes(y: NDArray[Any], u: NDArray[Any], v: NDArray[Any], *, pixel_format: str = "yuv422p") -> av.VideoFrame:
    """Three planes to a frame of the library; copies. ``pixel_format`` must have the depth of the samples. Shape=(lines, columns) each,
    as the format subsamples them. Raises ValueError for a format that has others."""
    frame = av.VideoFrame(y.shape[1], y.shape[0], pixel_format)
    for plane, samples in zip(frame.planes, (y, u, v), strict=True):
        plane_samples(plane, samples.dtype)[...] = samples
    return frame


def native_format(bits: int) -> str:
    """The planar 4:2:2 format of the library that holds what sources give."""
    return "yuv422p" if bits == 8 else f"yuv422p{bits}le"


def rgb(frame: av.VideoFrame, *, width: int | None = None, height: int | None = None) -> NDArray[np.uint8]:
    """A frame for the screen, shape (lines, columns, 3), scaled if asked; range and matrix as the frame is tagged."""
    shown = frame.reformat(width=width or frame.width, height=height or frame.height, format="rgb24", interpolation="BILINEAR")
    plane = shown.planes[0]
    samples: Plane = np.frombuffer(memoryview(plane), dtype=np.uint8).reshape(plane.height, plane.line_size)
    return np.ascontiguousarray(samples[:, : shown.width * 3].reshape(shown.height, shown.width, 3))
