"""Footage for the benchmarks, made once a run."""

from __future__ import annotations

import tempfile
from fractions import Fraction
from functools import lru_cache
from pathlib import Path

import av
import numpy as np

from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.work import SilentReporter
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.sim.canvas import Raster
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.programme import Programme


@lru_cache
def folder() -> Path:
    # Kept alive by the cache, removed with the process.
    keeper = tempfile.TemporaryDirectory(prefix="yomikomi-bench-")
    path = Path(keeper.name)
    _KEPT.append(keeper)
    return path


_KEPT: list[tempfile.TemporaryDirectory[str]] = []


def tape(seconds: float, *, seed: int = 21) -> Path:
    """A VHS tape of mixed scenes, 525 lines, as the recorder writes it."""
    path = folder() / f"tape-{seconds:g}-{seed}.mkv"
    if not path.exists():
        simulate_to(SimulateRequest(TapePlayerSpec(seed=seed, seconds=seconds, real_time=False), path), SilentReporter())
    return path


def high_definition(seconds: int) -> Path:
    """1920x1080 at 25, H.264: what a camera leaves."""
    path = folder() / f"hd-{seconds}.mp4"
    if path.exists():
        return path
    programme = Programme(5, mixture="lively", rate=Fraction(25))
    raster = Raster(960, 540)
    with av.open(str(path), "w") as sink:
        stream = sink.add_stream("libx264", rate=25, options={"preset": "superfast", "crf": "20"})
        stream.width, stream.height, stream.pix_fmt = 1920, 1080, "yuv420p"
        for number in range(25 * seconds):
            image = programme.draw(number, Fraction(number, 25), raster)
            planes = (np.ascontiguousarray(image[..., index]) for index in range(3))
            frame = frame_from_planes(*planes, pixel_format="yuv444p").reformat(width=1920, height=1080, format="yuv420p")
            frame.pts, frame.time_base = number, Fraction(1, 25)
            sink.mux(stream.encode(frame))
        sink.mux(stream.encode(None))
    return path
