"""A run of hundreds and thousands of copies in the window: what asking, ordering and an ending cost."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yomikomi.core.balance.models import Prediction
    from yomikomi.core.ledger.record import Record

# Copies of a carrier, and how long the window may take to be whole, and to have read them, s.
_COPIES_EACH = 10
_WHOLE_S = 30


def run() -> Iterator[str]:
    """In processes of their own, offscreen."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    for copies in (500, 5000):
        command = [sys.executable, "-c", f"from bench.night import measure\nif __name__ == '__main__': measure({copies})"]
        yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def measure(count: int) -> None:
    from yomikomi.core.copying.result import CopyResult
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.run_queue import ask_copy
    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.core.recipes.recipe import recipe_for
    from yomikomi.core.run.keeping import Ended
    from yomikomi.core.run.scheduler import State
    from yomikomi.ui.app import application, build_window
    from yomikomi.ui.run.station import RunStation

    app = application()
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        record, told = Record(workspace), _told()
        _fill(record, count // _COPIES_EACH)
        views = record.carriers()
        began = time.perf_counter()
        for number in range(count):
            ask_copy(record, views[number % len(views)], recipe_for("h264", 18 + number % 20), told)
        print(f"{count} copies asked for by a script: {1000 * (time.perf_counter() - began) / count:.1f} ms each")
        window = build_window(workspace)
        window.show()
        window.make_rest_idly()
        _wait(lambda: window.whole, app)
        station = window.station("run")
        assert isinstance(station, RunStation)
        _say("Run shown first", lambda: window.show_station("run"), app)
        _wait(lambda: len(station.outlook.live) == count, app)
        queue, view = station.queue, window.state.carriers[0]
        _say("nothing changed, shown again", queue._reload, app, times=5)
        copies = [row.copy for row in station.outlook.live]
        numbers = iter(range(10_000))

        def more() -> None:
            queue.ask(view, recipe_for("h264", 20), told)

        def sooner() -> None:
            queue.do(lambda driver: driver.place_before(copies[-1 - next(numbers)], copies[5]))

        def ended() -> None:
            """As the driver does when a check is done."""
            copy = copies[next(numbers)]
            jobs = [one for one in queue.driver.scheduler.entries.values() if one.copy == copy]
            for job in jobs:
                queue.driver.scheduler._set(job, State.DONE)
            result = CopyResult(
                file="x.mp4", size_bytes=99_000_000, frames=10, duration_seconds=1, encode_seconds=61, verified=True, checks=[]
            )  # fmt: skip
            record_jobs = window.state.record.jobs
            record_jobs.write(queue.driver.scheduler.take_changed(), Ended(jobs[-1].id, "done", result))
            queue._reload()

        for name, what in (("one more asked for", more), ("one moved to the front", sooner), ("one ended", ended)):
            _say(name, what, app, times=5)
        _say("the clock goes on", station._look, app, times=5)
        window.hide()
        window.close()
        workspace.close()


def _told() -> Prediction:
    from yomikomi.core.balance.models import Estimate, Prediction, Quality
    from yomikomi.core.recipes.recipe import recipe_for

    return Prediction(
        recipe=recipe_for("h264", 20), deinterlace="leave", size_bytes=Estimate(expected=1e8, low=9e7, high=1.1e8),
        quality=Quality(value=17.0), psnr_db=40.0, encode_seconds=Estimate(expected=60, low=50, high=80), measured=True,
    )  # fmt: skip


def _fill(record: Record, carriers: int) -> None:
    """Carriers with a take that is read and treated; the run is paused."""
    from bench import material
    from yomikomi.core.capture.result import CaptureResult
    from yomikomi.core.reading.scanner import ReadRequest, read
    from yomikomi.core.run.rules import RunRules
    from yomikomi.core.treatment.model import Treatment
    from yomikomi.core.work import SilentReporter

    reading = read(ReadRequest(material.tape(2)), SilentReporter())
    record.jobs.save_rules(RunRules(paused=True))
    for number in range(carriers):
        carrier = record.shelf.add(label=f"K-{number:03d}", title=f"Harbour meeting {number}", kind="vhs", standard="525i")
        take, path = record.takes.begin(carrier)
        path.write_bytes(b"x")
        record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 1))
        record.readings.save(take, reading)
        record.readings.choose_treatment(take, Treatment())


def _wait(holds: Callable[[], bool], app: object) -> None:
    until = time.monotonic() + _WHOLE_S
    while not holds() and time.monotonic() < until:
        app.processEvents()  # type: ignore[attr-defined]


def _say(what: str, does: Callable[[], object], app: object, times: int = 1) -> None:
    """The longest of some times: what is done at once, and what the window draws in its next turn."""
    took = []
    for _ in range(times):
        began = time.perf_counter()
        does()
        done = time.perf_counter()
        app.processEvents()  # type: ignore[attr-defined]
        took.append((1000 * (done - began), 1000 * (time.perf_counter() - done)))
    most, least = ([pick(one[part] for one in took) for part in (0, 1)] for pick in (max, min))
    best = f" ({least[0]:.0f} and {least[1]:.0f} at best)" if times > 1 else ""
    print(f"{what}: {most[0]:.0f} ms, then {most[1]:.0f} ms to draw{best}")
