"""What has only one next step begins by itself, can be stopped, and stays out of a recording's way; the filled button is the next step."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton, QWidget
from pytestqt.qtbot import QtBot

from tests.making import interlace, programme_frames, write_clip
from tests.ui.conftest import Opener
from tests.ui.test_capture import CAMERA
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.house.rules import HouseRules, keep_rules
from yomikomi.core.ledger.views import CarrierView, TakeView
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.sheet import make_sheet
from yomikomi.core.path.structure import Task, Wishes
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.sets.model import SetCopy
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.standards import FieldOrder
from yomikomi.demo import scenario
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.reading.work import ReadingWork
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.window import MainWindow

LONG = 60_000


@pytest.fixture
def window(window: MainWindow) -> MainWindow:
    window.state.starts_by_itself = True
    return window


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    frames = interlace(programme_frames(80, width=176, height=144, seed=3), FieldOrder.TFF)
    return write_clip(tmp_path_factory.mktemp("clips") / "walk.mkv", frames, sound_seconds=1.5, codec="ffv1")


def _bring(window: MainWindow, qtbot: QtBot, *paths: Path) -> None:
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    before = len(window.state.carriers)
    shelf.bringing.bring(list(paths))
    qtbot.waitUntil(lambda: len(window.state.carriers) == before + len(paths), timeout=LONG)


def _bring_and_read(window: MainWindow, qtbot: QtBot, clip: Path) -> tuple[Reading, TakeView]:
    _bring(window, qtbot, clip)
    qtbot.waitUntil(lambda: _view(window).reading is not None, timeout=LONG)
    reading, take = _view(window).judged, _view(window).take
    assert reading is not None
    assert take is not None
    return reading, take


def _filled(station: QWidget) -> list[str]:
    """The texts of the filled buttons that can be seen."""
    return [one.text() for one in station.findChildren(QPushButton) if one.property("primary") and one.isVisibleTo(station)]


def _view(window: MainWindow) -> CarrierView:
    assert window.state.current is not None
    return window.state.current


def test_what_is_imported_is_read_without_a_press(window: MainWindow, qtbot: QtBot, clip: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.mkv"
    other.write_bytes(clip.read_bytes())
    _bring(window, qtbot, clip, other)
    qtbot.waitUntil(lambda: all(view.reading is not None for view in window.state.carriers), timeout=LONG)
    assert _view(window).reading is not None


def test_a_carrier_of_a_kind_with_rules_is_prepared_when_its_path_is_opened(window: MainWindow) -> None:
    """By the path and the codec of the first of its kind; only once, and not against a person's own plan."""
    record = window.state.record
    intake = Intake(label="K-001", kind="vhs", format="525i")
    sheet = make_sheet(rank_paths(scenario.EQUIPMENT, Task.of(intake), Wishes.usual(intake))[0].trace, carrier="K-001")
    how = RecordAs(codec="h264_high", mbps=20)
    copies = (SetCopy(name="viewing", recipe=recipe_for("h264", 20)),)
    keep_rules(HouseRules(key="tapes", words="Tapes", kind="vhs", copies=copies, sheet=sheet, record_as=how, automatic=True))
    second = record.shelf.add(label="K-002", title="Kiln opening", kind="vhs", standard="525i")
    window.state.reload()
    window.state.choose(second)
    window.show_station("path")
    planned = record.carrier(second).path
    assert planned is not None
    assert (planned.route, planned.carrier) == (sheet.route, "K-002 Kiln opening")
    assert record.settings.capture().record_as == how
    assert "goes by “Tapes”" in window.state.notices.history[-1].text
    count = len(window.state.notices.history)
    window.show_station("shelf")
    window.show_station("capture")
    assert len(window.state.notices.history) == count


def test_what_a_person_stopped_is_not_begun_again(window: MainWindow, qtbot: QtBot, clip: Path) -> None:
    _bring(window, qtbot, clip)
    work = ReadingWork.of(window.state)
    qtbot.waitUntil(lambda: work.job is not None, timeout=LONG)
    window.strip._doing._stop.click()
    qtbot.waitUntil(lambda: work.job is None, timeout=LONG)
    window.state.jobs.changed.emit()
    window.show_station("reading")
    qtbot.wait(200)
    assert work.job is None
    assert _view(window).reading is None
    assert _filled(window.station("reading")) == ["Read the take"]


def test_what_an_earlier_session_left_unread_is_read_unless_it_was_stopped_or_is_away(
    open_window: Opener, qtbot: QtBot, clip: Path, tmp_path: Path
) -> None:
    files = [tmp_path / name for name in ("left.mkv", "stopped.mkv", "away.mkv")]
    for file in files:
        file.write_bytes(clip.read_bytes())
    first = open_window(tmp_path / "archive")
    _bring(first, qtbot, *files)
    stopped = next(view for view in first.state.carriers if view.title == "stopped")
    work = ReadingWork.of(first.state)
    assert work.read(stopped)
    first.strip._doing._stop.click()
    qtbot.waitUntil(lambda: work.job is None, timeout=LONG)
    first.close()
    first.state.workspace.close()
    files[2].unlink()
    second = open_window(tmp_path / "archive")
    second.state.starts_by_itself = True
    second.read_left()
    qtbot.waitUntil(lambda: any(view.reading is not None for view in second.state.carriers), timeout=LONG)
    qtbot.waitUntil(lambda: ReadingWork.of(second.state).job is None, timeout=LONG)
    qtbot.wait(200)
    assert [view.title for view in second.state.carriers if view.reading is not None] == ["left"]
    assert ReadingWork.of(second.state).job is None


def test_an_unasked_reading_gives_way_to_a_recording_and_comes_back(window: MainWindow, qtbot: QtBot, clip: Path) -> None:
    window.state.record.shelf.add(
        label="K-2", title="camera", kind="camera", standard="1080i59.94", source=CAMERA.to_json(),
        details=CarrierDetails(condition=Condition(looked=True), sound="stereo and commentary"), nominal_seconds=None,
    )  # fmt: skip
    window.state.reload()
    camera = _view(window).id
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    work = ReadingWork.of(window.state)
    _bring(window, qtbot, clip)
    imported = _view(window).id
    qtbot.waitUntil(lambda: work.job is not None or _view(window).reading is not None, timeout=LONG)
    window.state.choose(camera)
    window.show_station("capture")
    assert _filled(station) == ["Start the take"]
    QTest.mouseClick(station.start_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: station.recording and station.passing.frame > 5, timeout=LONG)
    assert work.job is None or work.job.name != "reading walk"
    assert work.job is None
    assert _filled(station) == []  # while it is recorded there is no next step but the end, which is red
    QTest.mouseClick(station.start_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not station.recording, timeout=LONG)
    # The same finger on the same place begins no second recording.
    assert _filled(station) == ["Read this take"]
    assert station.start_button.text() == "New take"
    qtbot.waitUntil(lambda: all(view.reading is not None for view in window.state.carriers), timeout=LONG)
    assert {view.id for view in window.state.carriers} == {camera, imported}
    window.do("primary")
    assert window.current_key == "reading"
    assert len(window.state.record.carrier(camera).label) > 0


def test_a_reading_that_is_asked_for_comes_before_the_unasked(window: MainWindow, qtbot: QtBot, clip: Path, tmp_path: Path) -> None:
    longer = write_clip(
        tmp_path / "longer.mkv", interlace(programme_frames(400, width=352, height=288, seed=9), FieldOrder.TFF), sound_seconds=6
    )
    window.state.starts_by_itself = False
    _bring(window, qtbot, clip)
    first = _view(window)
    window.state.starts_by_itself = True
    _bring(window, qtbot, longer)
    second = _view(window).id
    work = ReadingWork.of(window.state)
    qtbot.waitUntil(lambda: work.job is not None, timeout=LONG)
    assert work.read(first)
    qtbot.waitUntil(lambda: window.state.record.carrier(first.id).reading is not None, timeout=LONG)
    assert window.state.record.carrier(second).reading is None
    qtbot.waitUntil(lambda: window.state.record.carrier(second).reading is not None, timeout=LONG)


def test_trials_begin_on_entering_balance_once(window: MainWindow, qtbot: QtBot, clip: Path) -> None:
    reading, take = _bring_and_read(window, qtbot, clip)
    station = window.station("balance")
    assert isinstance(station, BalanceStation)
    window.show_station("balance")
    assert station.job is None  # no treatment yet: nothing to try
    assert not station.plane.isVisibleTo(station)  # no bare axes
    window.show_station("treatment")
    window.state.record.readings.choose_treatment(take.id, fields_treatment(reading))
    window.state.reload()
    window.show_station("balance")
    assert station.job is not None
    window.strip._doing._stop.click()
    qtbot.waitUntil(lambda: station.job is None, timeout=LONG)
    assert _filled(station) == ["Run trials"]
    window.show_station("shelf")
    window.show_station("balance")
    assert station.job is None
    window.do("primary")
    assert station.job is not None
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=2 * LONG)
    assert _filled(station) == ["Add to the run"]
    assert station.plane.isVisibleTo(station)
    assert np.isfinite([[one.low, one.high] for one in station.plane.spans]).all()


def test_whoever_has_seen_enough_of_the_trials_need_not_wait_for_the_rest(window: MainWindow, qtbot: QtBot, clip: Path) -> None:
    reading, take = _bring_and_read(window, qtbot, clip)
    window.state.record.readings.choose_treatment(take.id, fields_treatment(reading))
    window.state.reload()
    window.show_station("balance")
    station = window.station("balance")
    assert isinstance(station, BalanceStation)
    qtbot.waitUntil(station.send_button.isEnabled, timeout=LONG)
    assert station.job is not None, "the first recipe is shown before the others are tried"
    assert "trials running" in station.sentence.basis
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: station.job is None, timeout=LONG)
    qtbot.waitUntil(lambda: [copy.state for copy in _view(window).copies] == ["verified"], timeout=2 * LONG)
    trials = _view(window).trials
    assert trials is not None
    assert not trials.complete
    assert 0 < len(trials.points) < 12
    window.show_station("balance")
    assert station.job is None, "what was stopped is not begun again"
    assert "trials stopped early" in station.sentence.basis
    assert station.try_button.text() == "Run trials again"
