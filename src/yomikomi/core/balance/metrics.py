"""How near an encode is to the treated source sample for sample: SSIM and PSNR of luma, by the library's filters.

On tape both reward noise that is kept; what is shown first is the detail kept (``detail.py``), these are for comparison.

SSIM here is the library's: 8 x 8 windows, every fourth sample (Wang et al. 2004 defines it with a Gaussian window of
11); it is shown in decibels, −10·log10(1 − SSIM), which spreads the good end out. PSNR: ITU-T J.247's definition, peak 255.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

import av
import av.filter
import numpy as np


@dataclass(frozen=True)
class Compared:
    """Of one frame: luma SSIM (0…1) and mean squared error (squared 8-bit codes)."""

    ssim: float
    mse: float


def ssim_db(ssim: float) -> float:
    """SSIM in decibels; an exact match is held at 60 dB."""
    return float(min(60.0, -10 * np.log10(max(1e-6, 1 - ssim))))


def psnr_db(mse: float, *, peak: float = 255.0) -> float:
    """Peak signal-to-noise ratio; an exact match is held at 100 dB."""
    return float(min(100.0, 10 * np.log10(peak * peak / mse))) if mse > 0 else 100.0


class SampleMeter:
    """Compares pairs of frames of one size and format."""

    def __init__(self, template: av.VideoFrame, *, rate: Fraction) -> None:
        graph = av.filter.Graph()
        args = (
            f"video_size={template.width}x{template.height}:pix_fmt={template.format.name}"
            f":time_base={rate.denominator}/{rate.numerator}:pixel_aspect=1/1"
        )
        self._rate = rate
        self._depth = template.format.components[0].bits
        self._copy, self._source = graph.add("buffer", args), graph.add("buffer", args)
        split, ssim, psnr = graph.add("split", "2"), graph.add("ssim"), graph.add("psnr")
        self._sink = graph.add("buffersink")
        self._source.link_to(split)
        self._copy.link_to(ssim, 0, 0)
        split.link_to(ssim, 0, 1)
        ssim.link_to(psnr, 0, 0)
        split.link_to(psnr, 1, 1)
        psnr.link_to(self._sink)
        graph.configure()
        self._graph = graph
        self._fed = 0

    def feed(self, source: av.VideoFrame, copy: av.VideoFrame) -> Iterator[Compared]:
        """Give a pair; results come in order, with a delay of a few pairs."""
        for node, frame in ((self._copy, copy), (self._source, source)):
            kept = frame.pts, frame.time_base
            frame.pts, frame.time_base = self._fed, 1 / self._rate
            node.push(frame)
            frame.pts = kept[0]
            if kept[1] is not None:
                frame.time_base = kept[1]
        self._fed += 1
        yield from self._pull()

    def finish(self) -> Iterator[Compared]:
        self._copy.push(None)
        self._source.push(None)
        yield from self._pull()

    def _pull(self) -> Iterator[Compared]:
        scale = 4.0 ** (self._depth - 8)
        while True:
            try:
                frame = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            values = frame.metadata
            yield Compared(float(values["lavfi.ssim.Y"]), float(values["lavfi.psnr.mse.y"]) / scale)
