"""Time to a usable window, and how long its thread is kept from its events while a tape is captured and read."""

from __future__ import annotations

import gc
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

_START = """
import gc, sys, time
began = float(sys.argv[2])
gc.disable()
from pathlib import Path
import yomikomi.cli.main
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.ui.app import Opening, application, first_window
from PySide6.QtWidgets import QApplication
workspace = Workspace(Path(sys.argv[1]))
app = application()
window = first_window(workspace)
window.show()
app.processEvents()
window.grab()
first = time.time() - began
opening = Opening(window)
while not opening.done:
    app.processEvents()
    time.sleep(0.001)
print(first, time.time() - began, flush=True)
window.close()
workspace.close()
"""


def start() -> Iterator[str]:
    """From the call of the program to a drawn window that takes input, and until all of it is loaded: a new workspace, then the same
    one again."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        for words, runs in (("first start (makes the workspace)", 1), ("later starts, median of 5", 5)):
            times = []
            for _ in range(runs):
                command = [sys.executable, "-c", _START, str(Path(folder) / "w"), str(time.time())]
                told = subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout
                times.append([float(one) for one in told.split()])
                time.sleep(2)  # its helper for workers leaves
            first, whole = (statistics.median(column) for column in zip(*times, strict=True))
            yield f"{words}: usable after {first:.2f} s, all loaded after {whole:.2f} s"


def stall() -> Iterator[str]:
    """In a process of its own, offscreen, with all stations made."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", "from bench.window import measure_stall\nif __name__ == '__main__': measure_stall()"]
    yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def measure_stall() -> None:
    from tests.ui.watch import StallWatch

    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.sim.player import TapePlayerSpec
    from yomikomi.ui.actions import STATIONS
    from yomikomi.ui.app import Opening, application, first_window

    gc.disable()  # as the program does until its window is whole
    application()
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        window = first_window(workspace)
        window.show()
        state = window.state
        pause(0.1)  # the first picture of the window is counted as starting
        with StallWatch() as making:
            opening = Opening(window)
            wait(lambda: opening.done)
        state.record.shelf.add(
            label="K-001", title="x", kind="vhs", standard="525i", source=TapePlayerSpec(seed=3, mixture="lively").to_json()
        )
        state.reload()
        with StallWatch() as opened:
            window.show_station("capture")
            pause(0.5)
        with StallWatch() as capturing:
            window.do("record")
            pause(12)
            window.do("record")
            wait(lambda: not state.jobs.jobs)
        assert state.current is not None
        take = state.current.take
        assert take is not None
        with StallWatch() as reading:
            window.do("read")
            wait(lambda: not state.jobs.jobs)
        trying = _watch_trials(window)
        with StallWatch() as walking:
            for entry in [*STATIONS] * 3:
                window.show_station(entry.key)
                pause(0.15)
        print(f"loading the rest and making all stations after the start: longest stall {1000 * making.longest:.0f} ms")
        print(f"opening Capture for the first time: longest {_told(opened)}")
        print(f"capture of 12 s: longest {_told(capturing)}; {take.dropped} lost, {take.late} late of {take.frames} frames")
        print(f"reading of it: longest {_told(reading)}")
        print(f"half a minute of its trials, with the pointer on the plane: longest {_told(trying)}")
        print(f"walking through the stations: longest {_told(walking)}")
        window.hide()
        window.close()
        workspace.close()


def _watch_trials(window: Any) -> Any:
    """Half a minute of them, then the pointer over the points of the plane."""
    from PySide6.QtTest import QTest
    from tests.ui.watch import StallWatch

    jobs = window.state.jobs
    window.show_station("balance")
    pause(0.5)
    with StallWatch() as trying:
        if not jobs.jobs:
            window.do("try")
        pause(30)
        station = window.station("balance")
        told = [point for curve in station.offer.served.plane.values() for point in curve]
        for point in told[:40]:
            QTest.mouseMove(station.plane, station.plane.place_of(point).toPoint())
            pause(0.05)
    for job in list(jobs.jobs):
        jobs.cancel(job)
    wait(lambda: not jobs.jobs)
    return trying


def _told(watch: Any) -> str:
    return f"stall {1000 * watch.longest:.0f} ms, {len(watch.gaps)} over 20 ms"


def wait(until: Callable[[], object], seconds: float = 60) -> None:
    """Run the real event loop until something is so."""
    from PySide6.QtCore import QEventLoop, QTimer

    loop, look = QEventLoop(), QTimer()
    look.timeout.connect(lambda: loop.quit() if until() else None)
    look.start(5)
    QTimer.singleShot(round(1000 * seconds), loop.quit)
    loop.exec()
    look.stop()
    if not until():
        raise TimeoutError


def pause(seconds: float) -> None:
    end = time.monotonic() + seconds
    wait(lambda: time.monotonic() > end, seconds + 5)
