"""The Shelf by mouse and keyboard: series, conditions, filters, files, discs, tables, labels, the forecast."""

from __future__ import annotations

import csv
import io
import shutil
from collections.abc import Callable
from functools import partial
from pathlib import Path

import pytest
from pypdfium2 import PdfDocument
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QTime, QUrl
from PySide6.QtGui import QDropEvent
from PySide6.QtWidgets import QApplication, QFileDialog
from pytestqt.qtbot import QtBot

from tests.conftest import Disc
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.planning.machine import MachineSpeeds, Speed
from yomikomi.core.planning.machine_trial import MachineTrialRequest
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.sim.disc.maker import make_image
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.shelf.discs import DiscBox
from yomikomi.ui.shelf.model import natural, state_of
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shelf.tables import TableBox
from yomikomi.ui.shell.window import MainWindow


@pytest.fixture
def shelf(window: MainWindow) -> ShelfStation:
    found = window.station("shelf")
    assert isinstance(found, ShelfStation)
    return found


def shown(shelf: ShelfStation) -> list[str]:
    return [view.label for view in shelf.model.views()]


def put(window: MainWindow, *rows: Intake) -> None:
    window.state.record.shelf.put(rows, [None] * len(rows))
    window.state.reload()


def focus_name() -> str:
    widget = QApplication.focusWidget()
    return widget.accessibleName() if widget is not None else ""


@pytest.mark.journey
def test_a_series_of_twelve_is_taken_in_by_keyboard_alone(window: MainWindow, shelf: ShelfStation, qtbot: QtBot) -> None:
    with qtbot.waitActive(window):
        window.activateWindow()
    form = shelf.form
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(form.title_line.hasFocus)

    def to(name: str) -> None:
        """Tab on until a field has the keyboard, as a person does."""
        for _ in range(40):
            if focus_name() == name:
                return
            qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        raise AssertionError(f"{name} is not reached by Tab")

    qtbot.keyClicks(form.title_line, "Harbour meeting")
    to("Kind")
    qtbot.keyClicks(QApplication.focusWidget(), "Video8")
    to("Standard")
    qtbot.keyClicks(QApplication.focusWidget(), "625i")
    to("Marked minutes")
    qtbot.keyClicks(QApplication.focusWidget(), "90")
    to("Speed")
    qtbot.keyClicks(QApplication.focusWidget(), "LP")
    assert form.length.text() == "3:00:00"
    while not form.condition.looked.hasFocus():
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
    qtbot.keyClick(form.condition.looked, Qt.Key.Key_Space)
    while not form.rights.hasFocus():
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
    qtbot.keyClick(form.rights, Qt.Key.Key_Space)
    to("Tags")
    qtbot.keyClicks(QApplication.focusWidget(), "meeting, 1994")
    for _ in range(40):  # back to the beginning, for the number of tapes
        if focus_name() == "How many":
            break
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Backtab)
    form.count.selectAll()
    qtbot.keyClicks(form.count, "12")
    assert form.series.text() == "K-001 to K-012"
    assert form.put.text() == "Put 12 on the shelf"
    qtbot.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    views = window.state.carriers
    assert [view.label for view in views] == [f"K-{n:03d}" for n in range(1, 13)]
    one = views[0]
    assert (one.title, one.kind, one.standard, one.nominal_seconds) == ("Harbour meeting", "video8", "625i", 10_800.0)
    assert one.details.condition == Condition(looked=True)
    assert (one.details.marked_minutes, one.details.speed, one.details.rights) == (90, "LP", True)
    assert one.details.tags == ("meeting", "1994")
    assert one.details.wanted == ("viewing", "archive")
    assert len({(view.source or {})["seed"] for view in views}) == 12  # a tape of its own in each
    # What was taken in last is the beginning of the next.
    assert (form.label_line.text(), form.kind.currentData(), form.speed.currentText(), form.count.value()) == ("K-013", "video8", "LP", 1)
    assert not form.condition.looked.isChecked()


def test_the_last_entry_is_remembered_over_a_restart(open_window: Callable[[Path], MainWindow], tmp_path: Path) -> None:
    first = open_window(tmp_path / "w")
    put(first, Intake(label="A-7", kind="hi8", format="625i", details=CarrierDetails(speed="LP", wanted=("upload",), tags=("x",))))
    first.close()
    first.state.workspace.close()
    again = open_window(tmp_path / "w").station("shelf")
    assert isinstance(again, ShelfStation)
    assert (again.form.kind.currentData(), again.form.standard.currentData(), again.form.speed.currentText()) == ("hi8", "625i", "LP")
    assert again.form.wanted["upload"].isChecked()
    assert not again.form.wanted["archive"].isChecked()


def test_lengths_follow_in_both_directions_and_wrong_ones_are_told(window: MainWindow, shelf: ShelfStation, qtbot: QtBot) -> None:
    form = shelf.form
    form.kind.setCurrentIndex(form.kind.findData("vhs"))
    form.marked.setCurrentText("120")
    form.speed.setCurrentText("EP")
    assert form.length.text() == "6:00:00"
    form.length.clear()
    qtbot.keyClicks(form.length, "3h")
    form.length.editingFinished.emit()
    assert (form.length.text(), form.marked.currentText()) == ("3:00:00", "60")
    form.length.setText("quite long")
    form.submit()
    assert "no running time" in window.notice_bar.text
    form.length.clear()
    form.marked.setCurrentText("many")
    form.submit()
    assert "no marked minutes" in window.notice_bar.text
    assert window.state.carriers == []
    form.kind.setCurrentIndex(form.kind.findData("camera"))
    assert not form.marked.isVisible()
    assert form.standard.currentData() == "1080i59.94"


def test_mould_is_cautioned_at_once_and_keeps_the_tape_from_being_played(window: MainWindow, shelf: ShelfStation, qtbot: QtBot) -> None:
    form = shelf.form
    form.title_line.setText("Attic find")
    form.condition.box("mould").setChecked(True)
    assert "conservator" in form.condition.caution.text()
    assert form.condition.mark.mark == "fault"
    form.submit()
    view = window.state.carriers[0]
    assert state_of(view)[0] == "fault"
    assert "must not be played" in shelf.sentence.text
    shelf.onward.click()
    assert "unfit" in window.notice_bar.text
    assert window.current_key == "shelf"
    window.do("record")
    capture = window.station("capture")
    assert isinstance(capture, CaptureStation)
    assert not capture.start_button.isEnabled()
    assert not capture.look_button.isEnabled()
    assert not capture.recording
    assert "must not be played" in capture.sentence.text
    # Judged anew, with the change kept, it can be played.
    window.show_station("shelf")
    window.do("change")
    assert form.changing
    form.condition.box("mould").setChecked(False)
    form.condition.looked.setChecked(True)
    form.submit()
    assert not form.changing
    assert window.state.carriers[0].next_station == "path"
    window.show_station("capture")
    assert capture.start_button.isEnabled()
    assert "stored charge" in capture.how.caution.text()


def test_changing_keeps_what_the_form_does_not_ask(window: MainWindow, shelf: ShelfStation) -> None:
    player = {**TapePlayerSpec(tape="laserdisc", wide=True, mixture="lively", seed=7).to_json()}
    window.state.record.shelf.put([Intake(label="K-007", kind="laserdisc", format="525i", seconds=600)], [player])
    window.state.reload()
    window.do("change")
    shelf.form.seed.setValue(9)
    shelf.form.title_line.setText("Aquarium")
    shelf.form.submit()
    source = window.state.carriers[0].source
    assert source is not None
    assert (source["seed"], source["wide"], source["mixture"]) == (9, True, "lively")
    assert TapePlayerSpec.from_json(source).wide


def test_changing_can_be_left_and_removing_keeps_what_has_takes(window: MainWindow, shelf: ShelfStation) -> None:
    put(window, Intake(label="K-001", title="Parade", kind="vhs", format="525i", note="box 3"))
    window.do("change")
    assert (shelf.form.label_line.text(), shelf.form.note_line.text()) == ("K-001", "box 3")
    shelf.form.title_line.setText("else")
    shelf.form.give_up.click()
    assert window.state.carriers[0].title == "Parade"
    assert shelf.form.label_line.text() == "K-002"
    window.state.record.takes.begin(window.state.carriers[0].id)
    window.state.reload()
    window.do("remove")
    assert "has takes" in window.notice_bar.text
    put(window, Intake(label="K-009", kind="vhs"))
    window.state.choose(window.state.carriers[1].id)
    window.do("remove")
    assert [view.label for view in window.state.carriers] == ["K-001"]


def test_the_shelf_narrows_and_orders(window: MainWindow, shelf: ShelfStation, qtbot: QtBot) -> None:
    put(
        window,
        Intake(
            label="K-10", title="Parade", kind="vhs", format="525i", seconds=600, details=CarrierDetails(tags=("lantern",), rights=True)
        ),
        Intake(label="K-9", title="kiln", kind="video8", format="625i", seconds=7200, note="the great kiln"),
        Intake(label="K-2", title="Aquarium", kind="laserdisc", details=CarrierDetails(condition=Condition(ticked=("disc_warp",)))),
    )
    qtbot.keyClick(window, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert shelf.search.hasFocus()
    for words, labels in (("lantern", ["K-10"]), ("kiln great", ["K-9"]), ("625i", ["K-9"]), ("nothing", [])):
        shelf.search.setText(words)
        assert shown(shelf) == labels
        assert shelf.found.text() == f"{len(labels)} of 3"
    assert "Nothing" in shelf.empty.text()
    shelf.search.clear()
    for key, labels in (
        ("label", ["K-2", "K-9", "K-10"]), ("title", ["K-2", "K-9", "K-10"]), ("length", ["K-9", "K-10", "K-2"]),
        ("taken in", ["K-10", "K-9", "K-2"]), ("kind", ["K-2", "K-10", "K-9"]),
    ):  # fmt: skip
        shelf.order_box.setCurrentIndex(shelf.order_box.findData(key))
        assert shown(shelf) == labels, key
    shelf.order_box.setCurrentIndex(shelf.order_box.findData("taken in"))
    for key, labels in (("trouble", ["K-2"]), ("rights", ["K-9", "K-2"]), ("done", []), ("capture", ["K-10", "K-9", "K-2"])):
        shelf.state_box.setCurrentIndex(shelf.state_box.findData(key))
        assert shown(shelf) == labels, key
    shelf.state_box.setCurrentIndex(0)
    shelf.kind_box.setCurrentIndex(shelf.kind_box.findData("vhs"))
    assert shown(shelf) == ["K-10"]
    assert natural("K-9") < natural("K-10")
    # A change of one carrier shows while the shelf is narrowed.
    view = window.state.carriers[0]
    window.state.record.shelf.change(view.id, view.intake.model_copy(update={"title": "Parade, second"}))
    window.state.reload()
    assert shelf.model.views()[0].title == "Parade, second"


def test_the_forecast_follows_every_change(window: MainWindow, shelf: ShelfStation, qtbot: QtBot) -> None:
    put(window, *(Intake(label=f"K-{n}", kind="vhs", format="525i", seconds=3600) for n in range(1, 4)))
    outlook = shelf.outlook
    assert outlook.forecast is not None
    qtbot.waitUntil(lambda: outlook.forecast is not None and outlook.forecast.capture.usual == 3 * 3600)
    ffv1 = outlook.forecast.room.usual
    outlook.capture_codec.setCurrentIndex(outlook.capture_codec.findData("h264_high"))
    assert outlook.forecast.room.usual < ffv1 / 5
    assert outlook.forecast.encode is None
    assert "measure" in outlook._figures["encode"][2].text()
    speed = Speed(low=2e7, usual=2e7, high=2e7)
    window.state.machine = MachineSpeeds(
        made_at="2026-11-25T10:00:00+00:00",
        processors=2,
        write_bytes_per_second=speed,
        encoders={"h264": speed, "hevc": speed.model_copy(update={"usual": 5e6})},
    )
    window.state.machine_changed.emit()
    assert outlook.forecast.encode is not None
    quick = outlook.forecast.encode.usual
    outlook.copy_codec.setCurrentIndex(outlook.copy_codec.findData("hevc"))
    assert outlook.forecast.encode.usual == pytest.approx(4 * quick)
    outlook.until.setTime(QTime.currentTime().addSecs(5400))
    assert [bar.fit for bar in outlook.forecast.bars if bar.lane == "capture"] == ["fits", "not today", "not today"]
    shelf.form.title_line.setText("one more")
    shelf.form.length.setText("2h")
    shelf.form.submit()
    qtbot.waitUntil(lambda: outlook.forecast is not None and outlook.forecast.capture.usual == 5 * 3600)
    # Three tapes of an hour and one of two, each within 5 %: the root of 3 x 180^2 + 360^2 is 476 s on either side of five hours.
    assert "4 h 52 min to 5 h 8 min" in outlook._figures["capture"][2].toolTip()
    assert "usually takes" in outlook._figures["room"][2].toolTip()
    put(
        window,
        Intake(label="K-8", kind="vhs", details=CarrierDetails(condition=Condition(ticked=("mould",)))),
        Intake(label="K-9", kind="disc"),
    )
    qtbot.waitUntil(lambda: "set aside as unfit: K-8" in outlook._figures["capture"][2].toolTip())
    assert "1 disc or card to be copied" in outlook._figures["room"][2].toolTip()
    assert outlook.clock.accessibleDescription().startswith("K-1, capture")
    assert not outlook.clock.grab().isNull()


def test_this_machine_is_measured_and_remembered(
    window: MainWindow, shelf: ShelfStation, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("yomikomi.core.balance.machine.MachineTrialRequest", partial(MachineTrialRequest, encoder_seconds=0.1))
    monkeypatch.setattr("yomikomi.core.balance.machine.TRIED", {"h264": CODECS["h264"]})  # the quick one
    put(window, Intake(label="K-1", kind="vhs", format="525i", seconds=3600))
    shelf.outlook.measure_button.click()
    qtbot.waitUntil(lambda: window.state.machine is not None, timeout=60_000)
    assert window.state.record.settings.machine_speeds() == window.state.machine
    assert {"ffv1", "h264"} <= set(window.state.machine.encoders)
    assert shelf.outlook.forecast is not None
    assert shelf.outlook.forecast.write_margin is not None
    assert "written" in shelf.outlook._figures["drive"][1].text()


def drop(shelf: ShelfStation, *paths: Path) -> None:
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(path)) for path in paths])
    keys = Qt.KeyboardModifier.NoModifier
    shelf.dropEvent(QDropEvent(QPointF(QPoint(50, 50)), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, keys))


@pytest.mark.journey
def test_a_dropped_disc_becomes_readable_takes(
    window: MainWindow, shelf: ShelfStation, qtbot: QtBot, lessons_disc: Disc, tmp_path: Path
) -> None:
    image = tmp_path / "Ferry school.iso"
    make_image(lessons_disc[0], image, "FERRY SCHOOL")
    drop(shelf, image)
    qtbot.waitUntil(lambda: isinstance(shelf.bringing.box, DiscBox), timeout=10_000)
    box = shelf.bringing.box
    assert isinstance(box, DiscBox)
    assert "3 episodes, 1 extra, 1 menu" in box.sentence.text
    assert [box.boxes[n].isChecked() for n in range(1, 6)] == [True, True, True, False, False]
    box.boxes[3].click()
    assert box.take.text() == "Take in 2 titles"
    box.take.click()
    views = window.state.carriers
    assert [view.label for view in views] == ["D-001-1", "D-001-2"]
    assert views[0].details.shape == "16:9 squeezed"
    qtbot.waitUntil(lambda: all(view.take is not None for view in window.state.carriers), timeout=30_000)
    take = window.state.carriers[0].take
    assert take is not None
    assert take.frames == lessons_disc[1][0].frames
    assert take.path.parent == window.state.workspace.folder / "takes"
    assert image.exists()
    window.state.choose(views[0].id)
    shelf.onward.click()
    assert window.current_key == "reading"
    window.do("read")
    qtbot.waitUntil(lambda: window.state.current is not None and window.state.current.reading is not None, timeout=60_000)
    assert window.state.current is not None
    reading = window.state.current.reading
    assert reading is not None
    assert (reading.geometry.shape, reading.rate.nominal, len(reading.sound)) == ("16:9", "30000/1001", 2)


def test_a_title_whose_disc_went_away_is_told_and_can_be_copied_later(
    window: MainWindow, shelf: ShelfStation, qtbot: QtBot, lessons_disc: Disc, tmp_path: Path
) -> None:
    folder = tmp_path / "disc"
    shutil.copytree(lessons_disc[0], folder)
    drop(shelf, folder)
    qtbot.waitUntil(lambda: isinstance(shelf.bringing.box, DiscBox), timeout=10_000)
    box = shelf.bringing.box
    assert isinstance(box, DiscBox)
    away = tmp_path / "away"
    folder.rename(away)
    box.boxes[1].setChecked(True)
    for n in (2, 3, 4, 5):
        box.boxes[n].setChecked(False)
    box.take.click()
    qtbot.waitUntil(lambda: "There is no disc" in window.notice_bar.text, timeout=20_000)
    view = window.state.carriers[0]
    assert (view.label, view.take, state_of(view)[1]) == ("D-001", None, "waits to be copied")
    away.rename(folder)
    shelf.onward.click()
    qtbot.waitUntil(lambda: window.state.carriers[0].take is not None, timeout=20_000)
    drop(shelf, tmp_path)  # a folder with nothing but the disc in it asks for its titles again
    qtbot.waitUntil(lambda: isinstance(shelf.bringing.box, DiscBox), timeout=10_000)
    shelf.bringing.box.reject()
    broken = tmp_path / "broken.iso"
    broken.write_bytes(b"no disc")
    drop(shelf, broken)
    qtbot.waitUntil(lambda: "not a readable image" in window.notice_bar.text, timeout=10_000)


def test_an_inventory_is_matched_shown_and_taken_in(
    window: MainWindow, shelf: ShelfStation, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "inventory.csv"
    path.write_text("Where;Content;Medium;Lines;Duration\nA-1;Parade;VHS;525;1:58:00\nA-2;Kiln;Video8;625;42\nA-3;?;wax;;\n")
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    window.do("import_table")
    qtbot.waitUntil(lambda: isinstance(shelf.bringing.box, TableBox), timeout=5000)
    box = shelf.bringing.box
    assert isinstance(box, TableBox)
    assert "labels" in box.sentence.text  # no heading says label: it is asked for
    assert not box.take.isEnabled()
    box.columns["label"].setCurrentIndex(1)
    assert "2 of 3 rows" in box.sentence.text
    assert "row 4: kind 'wax' not known" in box.problems.toPlainText()
    assert box.rows.item(0, 1).text() == "Parade"
    box.take.click()
    assert [view.label for view in window.state.carriers] == ["A-1", "A-2"]
    assert "1 rows were not understood" in window.notice_bar.text
    assert window.state.carriers[0].has_player


def test_what_is_shown_is_exported_and_labelled(
    window: MainWindow, shelf: ShelfStation, qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    put(window, Intake(label="K-1", title="Parade", kind="vhs", format="525i"), Intake(label="K-2", kind="video8"))
    shelf.search.setText("parade")
    target = tmp_path / "out.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(target), ""))
    window.do("export_table")
    rows = list(csv.reader(io.StringIO(target.read_text("utf-8-sig"))))
    assert [row[0] for row in rows] == ["label", "K-1"]
    sheet = tmp_path / "labels.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(sheet), ""))
    window.do("labels")
    box = shelf.bringing.box
    assert box is not None
    box.findChildren(type(shelf.onward))[-1].click()
    qtbot.waitUntil(sheet.exists, timeout=10_000)
    qtbot.waitUntil(lambda: "Labels for 1 carriers" in window.notice_bar.text)
    document = PdfDocument(sheet)
    assert len(document) == 1
    document.close()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(tmp_path / "no" / "x.csv"), ""))
    window.do("export_table")
    assert "is not there" in window.notice_bar.text
    shelf.search.setText("nothing like it")
    window.do("labels")
    assert "no carriers to print" in window.notice_bar.text
