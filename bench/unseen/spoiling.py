"""What recording and compression do to frames; made apart from the simulation."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.unseen.pictures import Luma

RATE = Fraction(30000, 1001)
CODECS: dict[str, tuple[str, dict[str, str]]] = {
    "lossless": ("ffv1", {}),
    "mpeg2": ("mpeg2video", {"b": "5000000", "maxrate": "8000000", "bufsize": "1835008", "g": "15", "bf": "2"}),
    "h264": ("libx264", {"preset": "medium", "crf": "26"}),
}


def grain(frames: Sequence[Luma], sigma: float, seed: int, *, along: float = 0.0) -> list[Luma]:
    """Noise of a standard deviation in code values, fresh in every frame; ``along``: how far it holds along a line, samples."""
    rng = np.random.default_rng(seed)
    out = []
    for frame in frames:
        noise = rng.standard_normal(frame.shape).astype(np.float32)
        if along:
            noise = cv2.GaussianBlur(noise, (0, 0), sigmaX=along, sigmaY=0.01)
            noise /= noise.std()
        out.append(np.asarray(np.clip(np.round(frame + sigma * noise), 0, 255), np.uint8))
    return out


def wobbled(frames: Sequence[Luma], size: float, seed: int) -> list[Luma]:
    """Lines that stand off sideways, each field for itself, slowly from line to line; then noise."""
    rng = np.random.default_rng(seed)
    out: list[Luma] = []
    columns = np.arange(frames[0].shape[1], dtype=np.float32)
    for frame in frames:
        made = frame.copy()
        for parity in (0, 1):
            field = frame[parity::2]
            path = cv2.GaussianBlur(rng.standard_normal((field.shape[0], 1)).astype(np.float32), (1, 0), sigmaX=0.01, sigmaY=6)
            shift = size * path / max(float(path.std()), 1e-6) + 0.3 * size * rng.standard_normal(path.shape).astype(np.float32)
            across = columns[None, :] + shift
            down = np.broadcast_to(np.arange(field.shape[0], dtype=np.float32)[:, None], across.shape)
            made[parity::2] = cv2.remap(
                field, across.astype(np.float32), np.ascontiguousarray(down), cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE
            )  # fmt: skip
        out.append(made)
    return grain(out, 3.0, seed + 1, along=0.8)


def write(path: Path, frames: Sequence[Luma], how: str, *, fields: str | None = None, rate: Fraction = RATE) -> Path:
    """Frames as a file: by a row of ``CODECS``; ``fields``: coded in fields, that one first."""
    height, width = frames[0].shape
    codec, given = CODECS[how]
    options = dict(given)
    if fields and how == "mpeg2":
        options["flags"] = "+ildct+ilme"
    if fields and how == "h264":
        options["x264-params"] = f"{fields}=1"
    with av.open(str(path), "w") as sink:
        stream = sink.add_stream(codec, rate=rate, options=options)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        marked = _marked(width, height, fields, 1 / rate)
        for number, luma in enumerate(frames):
            frame = av.VideoFrame(width, height, "yuv420p")
            for plane, samples in zip(frame.planes, (luma, None, None), strict=True):
                view: NDArray[np.uint8] = np.frombuffer(memoryview(plane), np.uint8).reshape(plane.height, -1)
                view[:, : plane.width] = 128 if samples is None else samples
            frame.pts, frame.time_base = number, 1 / rate
            marked.push(frame)
            sink.mux(stream.encode(marked.pull()))
        sink.mux(stream.encode(None))
    return path


def _marked(width: int, height: int, fields: str | None, base: Fraction) -> av.filter.Graph:
    graph = av.filter.Graph()
    into = graph.add_buffer(width=width, height=height, format="yuv420p", time_base=base)
    mark, out = graph.add("setfield", fields or "prog"), graph.add("buffersink")
    into.link_to(mark)
    mark.link_to(out)
    graph.configure()
    return graph
