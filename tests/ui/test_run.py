"""An evening: ten copies, one that fails, another order, a pause, and the machine off at the end."""

from __future__ import annotations

from datetime import timedelta
from itertools import pairwise
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.conftest import Shared
from tests.ledger.test_workspace_and_record import _prediction
from tests.making import programme_frames, write_clip
from yomikomi.core.balance.models import Estimate, Prediction
from yomikomi.core.house.rules import all_rules
from yomikomi.core.ledger.run_queue import ask_copy
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.run.desktop.standin import StandInDesktop
from yomikomi.core.run.hours import Hours
from yomikomi.core.run.rules import RunRules
from yomikomi.core.treatment.model import Treatment
from yomikomi.ui.run.house_box import HouseBox
from yomikomi.ui.run.house_keeper import HouseKeeper
from yomikomi.ui.run.night_watch import NightWatch
from yomikomi.ui.run.rules_box import RulesBox
from yomikomi.ui.run.station import RunStation
from yomikomi.ui.shell.window import MainWindow

LONG = 90_000


def predicted(seconds: float, size: float) -> Prediction:
    def around(value: float) -> Estimate:
        return Estimate(expected=value, low=0.8 * value, high=1.3 * value)

    return _prediction().model_copy(update={"size_bytes": around(size), "encode_seconds": around(seconds)})


@pytest.fixture
def evening(window: MainWindow, shared: Shared, tmp_path: Path) -> tuple[MainWindow, RunStation, list[int]]:
    """Ten copies wait; the run is not begun."""
    clip = shared.file("evening.mkv", lambda part: write_clip(part, programme_frames(25, width=160, height=120), sound_seconds=1))
    record = window.state.record
    carrier, _ = record.takes.import_file(clip, title="Lantern parade", kind="card", label="K-001")
    view = record.carrier(carrier)
    assert view.take is not None
    told = shared.reading(clip)  # too small for its scan type to be told by itself
    told = told.model_copy(update={"scan": told.scan.model_copy(update={"kind": "progressive", "confidence": 0.97})})
    record.readings.save(view.take.id, told)
    record.readings.choose_treatment(view.take.id, Treatment())
    window.state.reload()
    view = record.carrier(carrier)
    copies = [ask_copy(record, view, recipe_for("h264", 30 + n, speed="ultrafast"), predicted(2.0 + n, 20_000.0)) for n in range(10)]
    window.state.reload()
    record.jobs.save_rules(RunRules(paused=True))
    window.show_station("run")
    station = window.station("run")
    assert isinstance(station, RunStation)
    return window, station, copies


def test_an_evening(
    evening: tuple[MainWindow, RunStation, list[int]], qtbot: QtBot, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    window, station, copies = evening
    closed: list[str] = []
    monkeypatch.setattr(NightWatch, "_wish_to_quit", lambda _watch: closed.append("closed"))
    record = window.state.record
    assert station.sentence.text == "The run is paused: 10 copies to make."
    assert station.next_button.text() == "Resume the run"

    # The last comes first by key, the second is taken out by a click, the third stands still, and the fourth finds its name taken.
    station.choose(copies[9])
    for _ in range(9):
        QTest.keyClick(station.table, Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
    assert [row.copy for row in station.model.rows][:2] == [copies[9], copies[0]]
    assert station.selected == copies[9]
    station.choose(copies[1])
    QTest.mouseClick(station.details.buttons["stop"], Qt.MouseButton.LeftButton)
    station.choose(copies[2])
    QTest.mouseClick(station.details.buttons["hold"], Qt.MouseButton.LeftButton)
    record.copies.all()[3].path.write_bytes(b"somebody's")
    data = station.model.mimeData([station.model.index(station.model.row_of(copies[8]), 0)])
    station.model.dropMimeData(data, Qt.DropAction.MoveAction, station.model.row_of(copies[0]), 0, station.model.index(-1, -1))
    assert [row.copy for row in station.model.rows][:3] == [copies[9], copies[8], copies[0]]

    desktop = StandInDesktop(frozenset({"power off"}), awake=True)
    station.queue.watch.use(desktop)
    station.queue.watch.ending.countdown_s = 600
    station.open_rules()
    box = window.findChild(RulesBox)
    assert box is not None
    box.at_end.setCurrentIndex(box.at_end.findData("power off"))
    QTest.mouseClick(box.use, Qt.MouseButton.LeftButton)
    assert "then powers off the machine" in station.note.whole
    QTest.mouseClick(station.next_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: bool(desktop.holds), timeout=LONG)  # the machine is kept awake
    assert station.sentence.text.startswith("9 copies to make; all done about") or not station.outlook.live
    qtbot.waitUntil(lambda: station.queue.watch.box is not None, timeout=LONG)

    states = {copy.id: copy.state for copy in record.copies.all()}
    assert [states[one] for one in copies] == ["verified", "cancelled", "waiting", "failed", *["verified"] * 6]
    assert "exists already" in next(copy.trouble for copy in record.copies.all() if copy.id == copies[3])
    assert desktop.told[0][1].startswith("7 of 8 copies verified; 1 needs a person (K-001: ")
    (report,) = (window.state.workspace.folder / "reports").glob("run-*.html")
    assert "exists already" in report.read_text()
    qtbot.waitUntil(lambda: not desktop.holds, timeout=5000)

    # Somebody is still there.
    assert station.queue.watch.box is not None
    QTest.mouseClick(station.queue.watch.box.stop_button, Qt.MouseButton.LeftButton)
    assert desktop.done == []
    station.filter.setCurrentIndex(station.filter.findData("attention"))
    assert {row.copy for row in station.model.rows} == {copies[1], copies[2], copies[3]}
    station.choose(copies[3])
    assert "exists already" in station.details.trouble.text()
    record.copies.all()[3].path.unlink()
    station.queue.watch.ending.countdown_s = 0.1
    QTest.mouseClick(station.details.buttons["retry"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: desktop.done == ["power off"], timeout=LONG)
    assert closed == ["closed"]
    assert record.copies.all()[3].state == "verified"
    assert record.copies.all()[2].state == "waiting"  # a person holds it, and it holds nobody up


def test_the_clock_says_when(evening: tuple[MainWindow, RunStation, list[int]], qtbot: QtBot) -> None:
    _, station, copies = evening
    bars = station.outlook.bars
    assert list(bars) == copies
    assert all(bars[one].end <= bars[other].begin for one, other in pairwise(copies))
    assert all(bar.earliest <= bar.end <= bar.latest for bar in bars.values())
    middle = bars[copies[5]].begin + (bars[copies[5]].end - bars[copies[5]].begin) / 2
    place = QPoint(round(station.clock.place(middle)), station.clock.height() // 3)
    QTest.mouseClick(station.clock, Qt.MouseButton.LeftButton, pos=place)
    assert station.selected == copies[5]
    assert "between" in station.details.now.text()
    now = station.outlook.now
    assert now is not None
    closed = Hours(begin=(now + timedelta(hours=2)).time(), end=(now + timedelta(hours=5)).time())
    station.queue.do(lambda driver: driver.set_rules(RunRules(hours=closed)))
    station.queue.start_next()
    assert station.sentence.text == f"10 copies to make, from {closed.begin:%H:%M}."
    assert station.queue.driver.running == {}
    assert min(bar.begin for bar in station.outlook.bars.values()) > now
    QTest.qWait(50)
    assert "K-001" in station.clock.accessibleDescription()


def test_house_rules_take_the_next_carriers_through_and_bring_the_exceptions(
    evening: tuple[MainWindow, RunStation, list[int]], qtbot: QtBot, shared: Shared, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Rules made from a carrier by a click; of the next four, two are taken through as soon as they are read, and two wait."""
    window, station, copies = evening
    state, record = window.state, window.state.record
    station.queue.stop(copies[2:])
    QTest.mouseClick(station.house_button, Qt.MouseButton.LeftButton)
    box = window.findChild(HouseBox)
    assert box is not None
    monkeypatch.setattr("yomikomi.ui.run.house_box.QInputDialog.getText", lambda *_a, **_k: ("Cards for the family", True))
    QTest.mouseClick(box.make_button, Qt.MouseButton.LeftButton)
    assert box.rules is not None
    assert [one.recipe.level for one in box.rules.copies] == [30, 31]
    box.by_itself.click()
    assert all_rules()["cards-for-the-family"].automatic
    box.close()

    clip, reading = state.current.take.path, state.current.reading  # type: ignore[union-attr]
    assert reading is not None
    spoilt = reading.model_copy(update={"sound": [one.model_copy(update={"clipped": 3}) for one in reading.sound]})
    for number, found in enumerate((reading, spoilt, reading, spoilt), 2):
        mine = tmp_path / f"card-{number}.mkv"
        mine.write_bytes(clip.read_bytes())
        carrier, _ = record.takes.import_file(mine, title="Lantern parade", kind="card", label=f"K-00{number}")
        view = record.carrier(carrier)
        assert view.take is not None
        record.readings.save(view.take.id, found)
        state.reload()
        HouseKeeper(state, station.queue.start_next).read(carrier)
    assert {view.label: len(view.copies) for view in record.carriers()} == {"K-001": 10, "K-002": 2, "K-003": 0, "K-004": 2, "K-005": 0}
    assert station.house_button.text() == "House rules (2)…"
    QTest.mouseClick(station.house_button, Qt.MouseButton.LeftButton)
    box = next(one for one in window.findChildren(HouseBox) if one.isVisible())
    assert box.head.text() == "2 carriers wait for you"
    assert "sound clipped" in box.list.item(0).text()
    QTest.keyClick(box.list, Qt.Key.Key_A)
    QTest.keyClick(box.list, Qt.Key.Key_L)
    assert box.head.text() == "No carrier waits for you"
    assert {view.label: len(view.copies) for view in record.carriers()}["K-003"] == 2
    assert [case.state for case in record.house.cases()] == ["applied", "accepted", "applied", "left out"]
    box.close()
