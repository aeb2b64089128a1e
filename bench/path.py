"""Planning the path: searching through sixty pieces of equipment, finding causes, and how long the station keeps the window."""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

_PIECES = 60
_TIMES = 5
# What a well-stocked room has: several of most things, and a drawer of cables.
_ROOM = (
    *("vhs_plain", "svhs_deck", "vhs_corrector", "combination", "camcorder_8", "camcorder_8_corrector", "laser_player", "disc_player"),
    *("disc_drive", "card_reader", "camera_clean", "camera_silent", "camera_raw", "camera_action", "console_home", "console_dock"),
    *("console_old", "usb_grabber", "usb_grabber", "hd_box", "loop_recorder", "dongle_2160", "field_recorder", "corrector_box"),
    *("upscaler", "hdmi_splitter", "sound_interface", "microphone_powered", "microphone_usb", "amplifier", "headset_wired"),
    *("headset_optical", "screen", "screen_tube", "computer", "laptop_usb2", "hub_usb3", "ssd", "hard_disk", "drive_slot"),
    *("card_fast", "card_slow", "cable_composite_stereo", "cable_composite_stereo", "cable_stereo", "cable_stereo", "cable_s_video"),
    *("cable_s_video", "cable_component", "cable_hdmi", "cable_hdmi", "cable_hdmi", "cable_hdmi", "cable_usb2", "cable_usb3"),
    *("cable_usb3", "cable_optical", "cable_jack_line", "cable_mic", "cable_jack"),
)


def run() -> Iterator[str]:
    yield from _search()
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", "from bench.path import measure\nif __name__ == '__main__': measure()"]
    yield from subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()


def _search() -> Iterator[str]:
    from yomikomi.core.path.diagnosis import Diagnosis
    from yomikomi.core.path.equipment import equipment_of
    from yomikomi.core.path.improving import improvements
    from yomikomi.core.path.ranking import rank_paths
    from yomikomi.core.path.structure import Task, Wishes
    from yomikomi.core.path.trace import trace

    assert len(_ROOM) == _PIECES
    room = equipment_of(*_ROOM)
    everything = Wishes(watch=True, headphones=True, commentary=True, second=True)
    for task, wishes in (
        (Task("vhs", "525i", "mono"), Wishes()),
        (Task("console", "1080p59.94", "stereo"), everything),
        (Task("camera", "1080i59.94", "stereo"), everything),
    ):
        ranked = rank_paths(room, task, wishes)
        yield (
            f"{task.kind}: {len(ranked)} paths through {_PIECES} pieces found, traced and ranked in "
            f"{_ms(lambda task=task, wishes=wishes: rank_paths(room, task, wishes)):.0f} ms; what would lift the last: "
            f"{_ms(lambda task=task, wishes=wishes, ranked=ranked: improvements(room, task, wishes, ranked, ranked[-1])):.0f} ms"
        )
    setup = rank_paths(room, Task("vhs", "525i", "mono"))[0].trace.setup
    knob = next(knob for knob in setup.knobs() if knob[1] == "input")
    option = setup.kind(knob[0]).options("input")[0][0]
    yield f"one setting changed and traced: {_ms(lambda: trace(setup.changed((knob, option)))):.1f} ms"
    yield f"causes of a symptom, and the first question: {_ms(lambda: Diagnosis(setup, ['no sound']).next_test()):.0f} ms"


def _ms(does: Callable[[], object]) -> float:
    times = []
    for _ in range(_TIMES):
        began = time.perf_counter()
        does()
        times.append(1000 * (time.perf_counter() - began))
    return statistics.median(times)


def measure() -> None:
    """The longest time that the window does not answer."""
    from tests.ui.watch import StallWatch

    from bench.window import pause
    from yomikomi.core.ledger.record import Record
    from yomikomi.core.ledger.workspace import Workspace
    from yomikomi.core.path.equipment import equipment_of
    from yomikomi.demo import scenario
    from yomikomi.ui.app import application, build_window
    from yomikomi.ui.path.station import PathStation

    application()
    with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
        workspace = Workspace(Path(folder) / "w")
        record = Record(workspace)
        record.settings.save_equipment(equipment_of(*_ROOM))
        record.shelf.put([intake for intake, _ in scenario.SHELF], [source for _, source in scenario.SHELF])
        window = build_window(workspace)
        window.show()
        window.make_rest_idly()
        pause(4)
        window.show_station("path")
        station = window.station("path")
        assert isinstance(station, PathStation)
        pause(3)
        for name, does in (
            ("another carrier chosen", lambda view: window.state.choose(view.id)),
            ("a setting turned", lambda _view: station._turn(_first_knob(station), "off")),
            ("a setting ticked", lambda _view: station.tick(_first_knob(station), "done")),
            ("another path chosen", lambda _view: station._choose_row(station.list.paths.index(len(station.list.paths.rows) - 1, 0))),
        ):
            worst = 0.0
            for view in window.state.carriers[:4]:
                with StallWatch() as watch:
                    does(view)
                    pause(1.5)
                worst = max(worst, watch.longest)
            print(f"longest stall, {name}: {1000 * worst:.0f} ms")
        window.hide()
        window.close()
        workspace.close()


def _first_knob(station: object) -> tuple[str, str]:
    return next(item.knob for item in station.planner.sheet.items if item.key == "power")  # type: ignore[attr-defined]
