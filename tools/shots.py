"""Makes the pictures in docs/screenshots/ from the demo workspace: ``make shots``. Nothing in them is real footage."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import numpy as np
from PySide6.QtCore import QTime
from PySide6.QtWidgets import QApplication, QWidget

from yomikomi.core.capture.recorder import Recorder
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.video.source import Picture
from yomikomi.core.work import SilentReporter
from yomikomi.demo import scenario
from yomikomi.demo.maker import fill
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui.app import application, build_window
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.ledger.station import LedgerStation
from yomikomi.ui.path.station import PathStation
from yomikomi.ui.reading.station import ReadingStation
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.station import TreatmentStation

_FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"


def wait(until: Callable[[], object], seconds: float) -> None:
    """Run the event loop until something is so; stops the whole program if it does not come."""
    end = time.monotonic() + seconds
    while not until():
        QApplication.processEvents()
        time.sleep(0.005)
        if time.monotonic() > end:
            sys.exit("shots: the demo did not come as far as expected")


def pause(seconds: float) -> None:
    end = time.monotonic() + seconds
    wait(lambda: time.monotonic() > end, seconds + 5)


class Photographer:
    def __init__(self, window: MainWindow, folder: Path) -> None:
        self.window, self.folder = window, folder
        folder.mkdir(parents=True, exist_ok=True)

    def shoot(self, name: str) -> None:
        self.window.notice_bar.hide()
        QApplication.processEvents()
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def save(self, widget: QWidget, name: str) -> None:
        widget.grab().save(str(self.folder / f"{name}.png"))

    def station(self, key: str, *, after: float = 1.0) -> None:
        self.window.show_station(key)
        pause(after)
        self.shoot(key)


def shoot_shelf(window: MainWindow, camera: Photographer, home: Path) -> None:
    """The shelf with its forecast, a disc's titles, the Reckoner."""
    window.state.upkeep.measure_machine()
    wait(lambda: window.state.machine is not None and not window.state.jobs.jobs, 90)
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    shelf.outlook.until.setTime(QTime(23, 30))
    camera.station("shelf")
    shelf.bringing.bring([next((home / "Kamome Bay" / "disc K-003").iterdir())])
    wait(lambda: shelf.bringing.box is not None, 10)
    pause(0.3)
    assert shelf.bringing.box is not None
    camera.save(shelf.bringing.box, "disc")
    shelf.bringing.box.reject()
    reckoner = window.open_reckoner()
    reckoner.form("size").put("time", "1:58:00")
    reckoner.form("size").put("size", "4.7GB")
    reckoner.show_sheet("crop")
    reckoner.form("crop").put("target", "9:16")
    pause(0.3)
    camera.save(reckoner, "reckoner")
    reckoner.close()


def shoot_path(window: MainWindow, camera: Photographer, carriers: dict[str, int]) -> None:
    """A path that breaks, the equipment, the choices, and the way back from a symptom."""
    station = window.station("path")
    assert isinstance(station, PathStation)
    window.state.choose(carriers["K-002"])
    window.show_station("path")
    wait(lambda: station.planner.found is not None, 20)
    camera.station("path")
    station.boxes.open_equipment()
    station.boxes.equipment.mine.setCurrentItem(station.boxes.equipment.mine.topLevelItem(0).child(1))
    pause(0.3)
    camera.save(station.boxes.equipment, "equipment")
    station.boxes.equipment.accept()
    window.state.choose(carriers["K-001"])
    wait(lambda: station.planner.view == window.state.current and station.planner.found is not None, 20)
    station.boxes.open_schools()
    assert station.boxes.schools is not None
    pause(0.3)
    camera.save(station.boxes.schools, "schools")
    station.boxes.schools.accept()
    window.state.choose(carriers["K-005"])
    wait(lambda: station.planner.view == window.state.current and station.planner.found is not None, 20)
    for knob in [*station.planner.sheet.options] if station.planner.sheet else ():
        station.planner.tick(knob, "open")
        station.planner.set_option(knob, "off" if knob[1] == "protection" else "hdmi")
    station.boxes.open_diagnosis()
    assert station.boxes.diagnosis is not None
    station.boxes.diagnosis.boxes["no sound"].setChecked(True)
    pause(0.3)
    camera.save(station.boxes.diagnosis, "where")
    station.boxes.diagnosis.reject()


def main(folder: Path = _FOLDER) -> None:
    application()
    home = Path(tempfile.mkdtemp(prefix="yomikomi-shots-"))
    workspace = Workspace(home / "Kamome Bay")
    try:
        window = build_window(workspace)
        window.show()
        maker = fill(window.state)
        assert maker is not None
        wait(lambda: maker.done and not window.state.jobs.jobs, 900)
        camera = Photographer(window, folder)
        carriers = {view.label: view.id for view in window.state.carriers}
        shoot_shelf(window, camera, home)
        shoot_path(window, camera, carriers)
        window.state.choose(carriers["K-001"])
        # The loop of the treatment is made in a worker.
        window.show_station("treatment")
        treatment = window.station("treatment")
        assert isinstance(treatment, TreatmentStation)
        wait(lambda: treatment.looking.player.after.view.image is not None, 60)
        for key in ("reading", "treatment", "balance", "ledger"):
            camera.station(key, after=2.0)
        shoot_ledger(window, camera)
        shoot_player(window, camera)
        shoot_readings(window, camera, carriers, home)
        window.state.choose(carriers["K-002"])
        window.show_station("capture")
        window.do("record")
        capture = window.station("capture")
        assert isinstance(capture, CaptureStation)
        wait(lambda: len(capture.strip.rows) >= 6, 60)
        camera.shoot("capture")
        window.do("record")
        wait(lambda: not window.state.jobs.jobs, 20)
        shoot_proving(window, camera, carriers)
        window.state.choose(carriers["K-001"])
        window.show_station("shelf")
        box = window.open_goto()
        box.line.setText("k")
        pause(0.3)
        camera.save(box, "go-to")
        box.reject()
        camera.station("run", after=8.0)  # last, since the copies that wait are made once it is shown
        window.close()
    finally:
        workspace.close()
        shutil.rmtree(home, ignore_errors=True)


def shoot_ledger(window: MainWindow, camera: Photographer) -> None:
    """Its files hashed, and the rules for raw takes."""
    ledger = window.station("ledger")
    assert isinstance(ledger, LedgerStation)
    hashed: list[bool] = []
    ledger.keeper.hash_all(lambda: hashed.append(True))
    wait(lambda: bool(hashed), 60)
    window.show_station("ledger")
    ledger.sections.turn("raw")
    pause(1.0)
    camera.shoot("ledger-raw")
    ledger.sections.turn("copies")
    ledger.copies.table.selectRow(0)


def shoot_player(window: MainWindow, camera: Photographer) -> None:
    """The copy of K-001 beside what it was made from, playing."""
    player = window.station("ledger").open_player()
    assert player is not None
    player.resize(1280, 760)
    wait(lambda: player.deck is not None and all(pane.view.image is not None for pane in player.panes), 60)
    player.toggle()
    pause(3.0)
    player.toggle()
    pause(0.5)
    camera.save(player, "player")
    player.close()


def shoot_readings(window: MainWindow, camera: Photographer, carriers: dict[str, int], home: Path) -> None:
    """Two more conditions: a camera's film in fields, and a tape that holds both, with frames repeated and a stray end."""
    record = window.state.record
    film, mixed = home / "curator interview.mkv", home / "lantern parade, second tape.mkv"
    frames = simulate_to(SimulateRequest(replace(scenario.K006, seconds=5.0, real_time=False), film), SilentReporter())
    record.takes.add_copied(carriers["K-006"], film, seconds=5.0, frames=frames, words="five seconds to look at")
    make_mixed(mixed)
    second, _warning = record.takes.import_file(mixed, title="Lantern parade 1993, second tape", kind="vhs", label="K-001b")
    window.state.reload()
    station = window.station("reading")
    assert isinstance(station, ReadingStation)
    for carrier, name, topic in ((carriers["K-006"], "reading-film", "scan"), (second, "reading-mixed", "losses")):
        window.state.choose(carrier)
        window.show_station("reading")
        station.read()
        wait(lambda: station.job is None, 240)
        station.choose_card(next(card for card in station.cards if card.finding.topic == topic))
        pause(0.5)
        wait(lambda: station.viewer.whole.image is not None, 60)
        pause(1.5)
        camera.shoot(name)


def make_mixed(path: Path) -> None:
    """Eight seconds of tape, six of film in fields, seven of tape with three frames repeated, black, and a stray end."""
    rate = Fraction(30000, 1001)
    tape = TapePlayerSpec(seed=7, mixture="lively", real_time=False).open()
    film = FeedSpec(720, 480, rate, interlaced=True, seed=9, mixture="lively", cadence="film", real_time=False).open()
    grain = np.random.default_rng(1)
    repeats = {301: 300, 302: 300, 371: 370}
    recorder = Recorder(path, tape.format, RecordAs())
    grey = np.full((480, 360), 128, np.uint8)
    for number in range(885):
        if 240 <= number < 420:
            picture = film.picture(number - 240)
        elif 630 <= number < 840:
            black = np.clip(17 + grain.normal(0, 1.2, (480, 720)), 0, 255).astype(np.uint8)
            picture = Picture(number, black, grey, grey, 0)
        else:
            place = number if number < 240 else number - 180 if number < 630 else number - 240
            picture = tape.picture(repeats.get(place, place))
        recorder.write_picture(replace(picture, number=number))
        recorder.write_sound(tape.read()[1])
    recorder.close()


def shoot_proving(window: MainWindow, camera: Photographer, carriers: dict[str, int]) -> None:
    """K-006 before its sound is put right: 220 ms early."""
    window.state.choose(carriers["K-006"])
    window.show_station("capture")
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    for key in ("rehearse", "sync", "levels"):
        station.show_page("prove")
        station.proving.start(key)
        wait(lambda: not station.proving.doing, 120)
    station.look()
    wait(lambda: station.picture.image is not None, 30)
    camera.shoot("prove")
    station.look()
    wait(lambda: not window.state.jobs.jobs, 20)
    station.show_page("watch")


if __name__ == "__main__":
    main(*(Path(argument) for argument in sys.argv[1:]))
