"""How fast the simulated tape plays on one processor, as a multiple of real time."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Iterator

_SCRIPT = """
import os, sys, time
os.sched_setaffinity(0, {sorted(os.sched_getaffinity(0))[0]})
import cv2
cv2.setNumThreads(1)
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.core.video.source import SourceEnded
player = TapePlayerSpec(standard=sys.argv[1], seed=5, seconds=15, real_time=False).open()
player.programme.prepare()
began = time.perf_counter()
try:
    while True:
        player.read()
except SourceEnded:
    print(15 / (time.perf_counter() - began))
"""


def run() -> Iterator[str]:
    for standard in ("525i", "625i"):
        found = subprocess.run([sys.executable, "-c", _SCRIPT, standard], capture_output=True, text=True, check=True)
        yield f"{standard}, picture and sound, one processor: {float(found.stdout):.2f} x real time"
