"""How fast a take is read against decoding alone, what memory it takes, and how long a quick reading of two hours lasts."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Literal

import av
import psutil

from bench import material
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.work import Job


def run() -> Iterator[str]:
    for words, path in (
        ("720x480 FFV1", material.again(material.tape(20), "tape-60.mkv", 60)),
        ("720x480 H.264", material.again(material.standard_definition(), "sd-120.mkv", 120)),
        ("1920x1080 H.264", material.again(material.high_definition(12), "hd-60.mkv", 60)),
    ):  # fmt: skip
        decoded = _decode_seconds(path)
        for mode in ("full", "quick"):
            reading, whole, most = _read(path, mode)  # type: ignore[arg-type]
            frames = reading.frames_looked_at
            yield (
                f"{words}, {mode}: {reading.duration_seconds / reading.read_seconds:.2f} x real time, "
                f"{reading.duration_seconds / whole:.2f} with the worker's start, {decoded / reading.read_seconds:.2f} of the speed of "
                f"decoding all of it, {frames} frames looked at, {most[-1] / 1e6:.0f} MB at most"
            )
    long = material.two_hours()
    reading, whole, most = _read(long, "quick")
    yield f"two hours of 720x480 H.264, quick: {whole:.0f} s, {reading.frames_looked_at} frames looked at, {max(most) / 1e6:.0f} MB at most"


def memory() -> Iterator[str]:
    """An hour of small pictures, every frame: memory at a quarter, at half and at the end."""
    reading, whole, most = _read(material.small_hour(), "full")
    quarter, half = most[len(most) // 4], most[len(most) // 2]
    yield (
        f"an hour of 176x144, {reading.frames} frames in {whole:.0f} s: {quarter / 1e6:.0f} MB at a quarter, "
        f"{half / 1e6:.0f} at half, {most[-1] / 1e6:.0f} at the end"
    )


def _decode_seconds(path: Path) -> float:
    """Decoding all pictures and doing nothing with them, as many threads as the library likes."""
    began = time.monotonic()
    with av.open(str(path)) as container:
        container.streams.video[0].thread_type = "AUTO"
        for _ in container.decode(video=0):
            pass
    return time.monotonic() - began


def _read(path: Path, mode: Literal["full", "quick"]) -> tuple[Reading, float, list[int]]:
    job = Job(read, ReadRequest(path, mode=mode), name="reading").start()
    most, began = [0], time.monotonic()
    while not job.state.ended:
        job.poll()
        with contextlib.suppress(psutil.NoSuchProcess):
            most.append(max(most[-1], psutil.Process(job.pid or 0).memory_info().rss))
        time.sleep(0.02)
    whole = time.monotonic() - began
    return job.wait().answer(), whole, most
