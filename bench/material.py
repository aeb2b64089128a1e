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


def standard_definition() -> Path:
    """The tape again, interlaced H.264 at a usual rate, as a capture box leaves it."""
    path = folder() / "sd.mp4"
    if not path.exists():
        with av.open(str(tape(20))) as source, av.open(str(path), "w") as sink:
            options = {"preset": "superfast", "crf": "21", "x264-params": "tff=1"}
            stream = sink.add_stream("libx264", rate=Fraction(30000, 1001), options=options)
            stream.width, stream.height, stream.pix_fmt = 720, 480, "yuv420p"
            for number, frame in enumerate(source.decode(video=0)):
                made = frame.reformat(format="yuv420p")
                made.pts, made.time_base = number, Fraction(1001, 30000)
                sink.mux(stream.encode(made))
            sink.mux(stream.encode(None))
    return path


def two_hours() -> Path:
    """The same twenty seconds again and again, packets copied."""
    return again(standard_definition(), "two-hours.mkv", 7200)


def small_hour() -> Path:
    """An hour of small pictures."""
    short = folder() / "small.mp4"
    if not short.exists():
        programme = Programme(5, mixture="lively", rate=Fraction(25))
        with av.open(str(short), "w") as sink:
            stream = sink.add_stream("libx264", rate=25, options={"preset": "ultrafast", "crf": "24"})
            stream.width, stream.height, stream.pix_fmt = 176, 144, "yuv420p"
            for number in range(500):
                image = programme.draw(number, Fraction(number, 25), Raster(352, 288))
                planes = (np.ascontiguousarray(image[..., index]) for index in range(3))
                frame = frame_from_planes(*planes, pixel_format="yuv444p").reformat(width=176, height=144, format="yuv420p")
                frame.pts, frame.time_base = number, Fraction(1, 25)
                sink.mux(stream.encode(frame))
            sink.mux(stream.encode(None))
    return again(short, "hour.mkv", 3600)


def again(short: Path, name: str, seconds: float) -> Path:
    """The pictures of a short file again and again until so long, packets copied: takes are long, and what is looked at only so many
    times a take weighs less in them."""
    path = folder() / name
    if path.exists():
        return path
    with av.open(str(path), "w") as sink:
        with av.open(str(short)) as source:
            made = sink.add_stream_from_template(source.streams.video[0])
        at = Fraction(0)
        while at < seconds:
            with av.open(str(short)) as source:
                stream = source.streams.video[0]
                base, last = stream.time_base or Fraction(1, 1000), Fraction(0)
                for packet in source.demux(stream):
                    if packet.pts is None or packet.dts is None:
                        continue
                    last = max(last, (packet.pts + (packet.duration or 0)) * base)
                    packet.pts, packet.dts = packet.pts + round(at / base), packet.dts + round(at / base)
                    packet.stream = made
                    sink.mux(packet)
            at += last
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
