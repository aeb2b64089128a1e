"""How fast a take is read, as a multiple of real time, and what memory it takes."""

from __future__ import annotations

import contextlib
import time
from collections.abc import Iterator

import psutil

from bench import material
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.work import Job


def run() -> Iterator[str]:
    for words, path in (("720x480 FFV1", material.tape(20)), ("1920x1080 H.264", material.high_definition(12))):
        job = Job(read, ReadRequest(path), name="reading").start()
        most, began = 0, time.monotonic()
        while not job.state.ended:
            job.poll()
            with contextlib.suppress(psutil.NoSuchProcess):
                most = max(most, psutil.Process(job.pid or 0).memory_info().rss)
            time.sleep(0.02)
        whole = time.monotonic() - began
        reading = job.wait().answer()
        yield (
            f"{words}: {reading.duration_seconds / reading.read_seconds:.2f} x real time, "
            f"{reading.duration_seconds / whole:.2f} with the worker's start, {most / 1e6:.0f} MB at most"
        )
