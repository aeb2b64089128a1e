"""The Shelf with a thousand carriers: opening, a change, narrowing, ordering, scrolling; the forecast; the Reckoner; a disc."""

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
    from yomikomi.ui.shelf.station import ShelfStation

_CARRIERS = 1000


def run() -> Iterator[str]:
    """In a process of its own, offscreen."""
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", "from bench.shelf import measure\nif __name__ == '__main__': measure()"]
    yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def measure() -> None:
    from tests.ui.watch import StallWatch

    from bench.window import pause
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
    from yomikomi.sim.player import stand_in
    from yomikomi.ui.app import application, build_window
    from yomikomi.ui.shelf.station import ShelfStation

    application()
    kinds = ("vhs", "video8", "hi8", "laserdisc")
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        details = CarrierDetails(tags=("parade", "1993"), condition=Condition(looked=True), wanted=("archive",))
        intakes = [
            Intake(label=f"K-{n:04d}", title=f"Harbour meeting {n}", kind=kinds[n % 4], format="525i", seconds=3600 + n, details=details)
            for n in range(_CARRIERS)
        ]
        record = Record(workspace)
        _say(
            f"{_CARRIERS} carriers put on the shelf",
            lambda: record.shelf.put(intakes, [stand_in(i.kind, i.format, seed=1, seconds=60) for i in intakes]),
        )
        _say("all of them read", Record(workspace).carriers)
        began = time.perf_counter()
        window = build_window(workspace)
        window.show()
        window.grab()
        print(f"window over them, drawn: {1000 * (time.perf_counter() - began):.0f} ms")
        shelf = window.station("shelf")
        assert isinstance(shelf, ShelfStation)
        window.make_rest_idly()
        pause(1.5)
        state = window.state
        first = state.carriers[0]
        for words, does in (
            ("one carrier changed", lambda: (record_change(state, first.id), state.reload())),
            ("another one chosen", lambda: state.choose(state.carriers[500].id)),
            ("narrowed by a word", lambda: shelf.search.setText("meeting 77")),
            ("shown whole again", shelf.search.clear),
            ("ordered by label", lambda: shelf.order_box.setCurrentIndex(1)),
            ("forecast made anew", shelf.outlook.refresh),
            ("Reckoner opened", window.open_reckoner),
        ):
            with StallWatch() as watch:
                pause(0.05)
                does()
                pause(0.4)
            print(f"{words}: longest stall {1000 * watch.longest:.0f} ms")
        _drop_a_disc(shelf, Path(folder))
        bar = shelf.list.verticalScrollBar()
        with StallWatch() as watch:
            for step in range(60):
                bar.setValue(bar.maximum() * step // 60)
                pause(0.02)
        print(f"scrolled through: longest stall {1000 * watch.longest:.0f} ms")
        window.hide()
        window.close()
        workspace.close()


def _drop_a_disc(shelf: ShelfStation, folder: Path) -> None:
    """From the drop to the list of titles, and from there to the takes."""
    from tests.ui.watch import StallWatch

    from bench.window import pause, wait
    from yomikomi.sim.disc.maker import make_disc
    from yomikomi.sim.disc.spec import lessons
    from yomikomi.ui.shelf.discs import DiscBox

    make_disc(lessons(seconds=1.0), folder / "disc")
    with StallWatch() as watch:
        shelf.bringing.bring([folder / "disc"])
        wait(lambda: shelf.bringing.box is not None)
        pause(0.3)
    print(f"disc dropped, titles listed: longest stall {1000 * watch.longest:.0f} ms")
    box = shelf.bringing.box
    assert isinstance(box, DiscBox)
    with StallWatch() as watch:
        box.take.click()
        wait(lambda: not shelf.state.jobs.jobs)
        pause(0.2)
    print(f"three titles copied: longest stall {1000 * watch.longest:.0f} ms")


def disc() -> Iterator[str]:
    """A simulated disc made, its tables read, a title joined."""
    from yomikomi.core.disc.contents import read_contents
    from yomikomi.core.disc.joining import JoinRequest, join_title
    from yomikomi.core.disc.titles import judge_titles
    from yomikomi.core.work import SilentReporter
    from yomikomi.sim.disc.maker import make_disc
    from yomikomi.sim.disc.spec import feature

    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as name:
        folder = Path(name) / "disc"
        began = time.perf_counter()
        titles = make_disc(feature(seconds=30), folder)
        made = time.perf_counter() - began
        seconds = sum(title.seconds for title in titles)
        yield f"disc of {seconds:.0f} s made in {made:.1f} s: {seconds / made:.1f} x real time"
        began = time.perf_counter()
        judge_titles(read_contents(folder).titles)
        yield f"tables read and titles judged: {1000 * (time.perf_counter() - began):.0f} ms"
        began = time.perf_counter()
        done = join_title(JoinRequest(folder, 2, Path(name) / "t.mkv"), SilentReporter())
        took = time.perf_counter() - began
        size = done.path.stat().st_size
        yield f"title of {size / 1e6:.0f} MB joined at {size / 1e6 / took:.0f} MB/s, {done.seconds / took:.0f} x real time"


def record_change(state: object, carrier_id: int) -> None:
    from yomikomi.ui.state import AppState

    assert isinstance(state, AppState)
    view = state.record.carrier(carrier_id)
    state.record.shelf.change(carrier_id, view.intake.model_copy(update={"note": view.note + "."}))


def _say(words: str, does: Callable[[], object]) -> None:
    began = time.perf_counter()
    does()
    print(f"{words}: {1000 * (time.perf_counter() - began):.0f} ms")
