"""The Path station by mouse and keyboard, on the demo's carriers: paths, breaks, remedies, sheets, equipment, diagnosis."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QPushButton
from pytestqt.qtbot import QtBot

from yomikomi.core.path.equipment import Equipment, read_equipment
from yomikomi.core.path.structure import Knob
from yomikomi.core.video.delivery import SYMPTOMS
from yomikomi.demo import scenario
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.path.kind_form import KindForm
from yomikomi.ui.path.station import PathStation
from yomikomi.ui.shell.window import MainWindow

LONG = 12_000


@pytest.fixture
def station(window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> PathStation:
    """The demo's shelf and equipment, at the Path station, on a machine with room enough."""
    monkeypatch.setattr(window.state, "free_bytes", lambda: 4_000_000_000_000)
    record = window.state.record
    record.settings.save_equipment(scenario.EQUIPMENT)
    record.shelf.put([intake for intake, _ in scenario.SHELF], [source for _, source in scenario.SHELF])
    window.state.reload()
    with qtbot.waitActive(window):
        window.activateWindow()
    QTest.keySequence(window, "Ctrl+2")
    found = window.station("path")
    assert isinstance(found, PathStation)
    qtbot.waitUntil(lambda: found.planner.found is not None, timeout=LONG)
    return found


@pytest.fixture
def take(window: MainWindow, station: PathStation, qtbot: QtBot) -> Callable[[str], None]:
    """Make a carrier the current one and wait for its paths."""

    def choose(label: str) -> None:
        view = next(view for view in window.state.carriers if view.label == label)
        window.state.choose(view.id)
        qtbot.waitUntil(lambda: station.planner.found is not None and station.planner.view == window.state.current, timeout=LONG)

    return choose


def click(widget: object) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)  # type: ignore[call-overload]


def links_of(station: PathStation) -> list[QPushButton]:
    return [one for one in station.findChildren(QPushButton) if one.text() == "Set it so" and one.isVisible()]


def turn(station: PathStation, knob: Knob, option: str) -> None:
    """Set a knob with the keyboard, as a person does in the sheet."""
    box = station.sheet_panel.cards[knob].option
    box.setFocus()
    box.setCurrentIndex(box.findData(option))
    box.activated.emit(box.currentIndex())


@pytest.mark.journey
@pytest.mark.alone  # played in real time
def test_a_tape_from_the_list_of_paths_to_a_proven_one(station: PathStation, window: MainWindow, qtbot: QtBot) -> None:
    """K-001: the best path is drawn, a wrong input breaks it, its remedy mends it, a look proves it and ticks what it shows."""
    assert [one.place for one in station.list.paths.rows] == list(range(1, 13))
    assert station.sentence.text.startswith("The path is whole.")
    knob = ("hd_box-1", "input")
    turn(station, knob, "composite_in")
    assert station.sentence.text == "The picture is lost at the HD box."
    assert station.list.paths.mark_of(station.list.paths.rows[0]) == "fault"
    assert "BREAKS" not in station.text.toPlainText()
    assert "breaks: The HD box is set to its input composite" in station.text.toPlainText()
    assert window.state.current is not None
    assert window.state.current.path is not None
    assert window.state.current.path.delivery.picture == "blue", "the simulation will obey"
    click(station.prove_button)
    qtbot.waitUntil(lambda: station.proof is not None, timeout=LONG)
    assert station.proof is not None
    assert station.proof.seen == {"blue"}
    assert not station.proof.holds
    qtbot.waitUntil(lambda: bool(links_of(station)), timeout=LONG)
    click(links_of(station)[0])
    assert station.sentence.text.startswith("The path is whole.")
    assert not window.state.current.path.options
    click(station.prove_button)
    qtbot.waitUntil(lambda: station.proof is not None and station.proof.holds, timeout=LONG)
    states = {item.knob: item.state for item in station.planner.sheet.items}  # type: ignore[union-attr]
    assert states[knob] == "done"
    assert states["hd_box-1", "range"] == "open", "a look cannot show the range"
    assert station.sheet_panel.count.text().startswith(f"{sum(state == 'done' for state in states.values())} of ")
    assert window.state.current.progress == 2
    assert window.state.current.next_station == "capture"
    assert station.prove_button.text() == "Go on to Capture"
    QTest.keySequence(window, "Ctrl+Return")
    assert window.current_key == "capture"
    capture = window.station("capture")
    assert isinstance(capture, CaptureStation)
    assert "S-VHS deck → S-Video + stereo line → HD box" in capture.how.source_words.text()
    spec = capture.setup.spec
    assert isinstance(spec, OnPathSpec)
    assert spec.delivery == window.state.current.path.delivery


@pytest.mark.journey
def test_a_camcorder_without_a_sound_cable_and_what_lifts_it(station: PathStation, take: Callable[[str], None], qtbot: QtBot) -> None:
    """K-002: every path lacks its sound; the cable that is said to lift it is added, and does."""
    take("K-002")
    assert station.sentence.text == "The sound is lost between the visitors' camcorder and the HD box."
    assert {one.mark for one in station.list.paths.rows} == {"fault"}
    assert station.could_be.text().startswith("A 3.5 mm to stereo cable would ")
    click(station.equipment_button)
    box = station.boxes.equipment
    QTest.keyClicks(box.search, "3.5 mm to")
    item = box.catalogue.topLevelItem(0).child(0)
    box.catalogue.setCurrentItem(item)
    QTest.keyClick(box.catalogue, Qt.Key.Key_Return)
    box.accept()
    qtbot.waitUntil(lambda: station.list.paths.rows[0].mark != "fault", timeout=LONG)
    assert "3.5 mm jack" in station.planner.sheet.route or "+" in station.planner.sheet.route  # type: ignore[union-attr]
    assert station.sentence.text.startswith("The path is whole.")
    assert station.state.record.settings.equipment().by_id["cable_jack_line-1"]


@pytest.mark.journey
def test_a_console_as_the_condition_check_left_it(station: PathStation, take: Callable[[str], None], window: MainWindow) -> None:
    """K-005: protected, headphones in the wrong place; both are mended in the sheet, and the loop-through shows it all the while."""
    take("K-005")
    assert station.sentence.text == "The picture and the sound are lost at the home console."
    assert station.planner.traced is not None
    assert station.planner.traced.delivery.screen == "at once"
    assert station.planner.wishes.watch
    knob = ("console_home-1", "protection")
    card = station.sheet_panel.cards[knob]
    assert card.state.text() == "set otherwise"
    card.box.setFocus()
    QTest.keyClick(card.box, Qt.Key.Key_Space)
    assert card.item.state == "done"
    assert station.sentence.text == "The sound is lost at the home console."
    QTest.keyClick(station.sheet_panel.cards["console_home-1", "sound_to"].box, Qt.Key.Key_Space)
    assert not station.planner.traced.breaks
    for expected in ("unsure", "open", "done"):
        QTest.keyClick(card.box, Qt.Key.Key_Space)
        assert card.item.state == expected
    kept = window.state.record.carrier(window.state.current.id).path  # type: ignore[union-attr]
    assert kept is not None
    assert kept.done == 2
    assert not kept.options


@pytest.mark.journey
@pytest.mark.alone  # played in real time
def test_a_live_camera_proven_through_its_stand_in(station: PathStation, take: Callable[[str], None], qtbot: QtBot) -> None:
    """K-006: information in the picture is told; proving works with a stand-in camera too."""
    take("K-006")
    assert station.planner.traced is not None
    assert any("23.976" in one.cause for one in station.planner.traced.findings)
    turn(station, ("camera_clean-1", "information"), "on")
    assert "information over the picture" in station.sentence.text
    qtbot.waitUntil(lambda: bool(links_of(station)), timeout=LONG)
    click(links_of(station)[0])
    click(station.prove_button)
    qtbot.waitUntil(lambda: station.proof is not None, timeout=LONG)
    assert station.proof is not None
    assert station.proof.holds
    assert station.prove_button.text() == "Go on to Capture"


@pytest.mark.journey
def test_a_card_limited_camera_is_told_when_it_stops(station: PathStation, take: Callable[[str], None]) -> None:
    """K-008: the raw recording stops after a few seconds; another path is chosen from the list with the keyboard."""
    take("K-008")
    rows = station.list.paths.rows
    card = next(number for number, one in enumerate(rows) if one.path.store == "card_slow-1")
    station.list.setFocus()
    station.list.setCurrentIndex(station.list.paths.index(card, 0))
    QTest.keyClick(station.list, Qt.Key.Key_Return)
    assert station.planner.ranked is rows[card]
    assert station.sentence.text == "The recording stops by itself: at the ordinary memory card."
    assert "stops after about 4 s" in station.text.toPlainText()
    assert station.list.paths.chosen_key == rows[card].path.key


@pytest.mark.journey
def test_a_raw_feed_over_two_links(station: PathStation, take: Callable[[str], None], qtbot: QtBot) -> None:
    """K-008 with a field recorder borrowed, video instead of raw: two links are drawn, planned and told to be merged; one alone is
    too narrow."""
    more = station.equipment
    for kind in ("field_recorder", "drive_slot", "cable_sdi", "cable_sdi"):
        more = more.with_piece(kind)
    station.boxes.take_equipment(more)
    take("K-008")
    qtbot.waitUntil(lambda: any(one.path.recorder == "field_recorder-1" for one in station.list.paths.rows), timeout=LONG)
    rows = station.list.paths.rows
    over_sdi = (one.path.recorder == "field_recorder-1" and one.path.picture[0].out == "sdi_3g_out" for one in rows)
    station.list.setCurrentIndex(station.list.paths.index(list(over_sdi).index(True), 0))
    station.list.setFocus()
    QTest.keyClick(station.list, Qt.Key.Key_Return)
    assert station.sheet_panel.cards["camera_raw-1", "signal"].item.option == "raw"
    station.boxes.open_schools()
    assert station.boxes.schools is not None
    click(station.boxes.schools.cards["signal", "video"])
    qtbot.waitUntil(lambda: station.planner.ranked is not None and bool(station.planner.ranked.path.twin), timeout=LONG)
    assert station.sheet_panel.cards["camera_raw-1", "signal"].item.option == "video"
    assert "alternate frames on two drives" in station.text.toPlainText()
    knob = ("field_recorder-1", "links")
    assert station.sheet_panel.cards[knob].item.option == "two"
    turn(station, knob, "one")
    assert station.planner.traced is not None
    assert {one.rule for one in station.planner.traced.breaks} == {"too narrow"}
    qtbot.waitUntil(lambda: bool(links_of(station)), timeout=LONG)
    click(links_of(station)[0])
    assert not station.planner.traced.breaks


@pytest.mark.journey
def test_a_disc_and_tape_combination(station: PathStation, qtbot: QtBot) -> None:
    """K-001 in a combination deck: component is no better than S-Video there, and a dub to disc costs a generation."""
    more = station.equipment
    for kind in ("combination", "cable_component"):
        more = more.with_piece(kind)
    station.boxes.take_equipment(more)
    qtbot.waitUntil(lambda: any(one.path.source == "combination-1" for one in station.list.paths.rows), timeout=LONG)
    mine = {}
    for one in station.list.paths.rows:
        if one.path.source == "combination-1" and one.path.recorder == "hd_box-1":
            mine.setdefault(one.trace.setup.port_out(one.path.picture[0]).connector, one)
    assert mine["component"].sides["picture"].value == mine["s_video"].sides["picture"].value
    station._choose_row(station.list.paths.index(station.list.paths.rows.index(mine["component"]), 0))
    assert "carries what S-Video would" in station.text.toPlainText()
    turn(station, ("combination-1", "dub"), "disc")
    assert "a generation is lost" in station.sentence.text
    card = station.sheet_panel.cards["combination-1", "dub"]
    QTest.keyClick(card.box, Qt.Key.Key_Space)
    assert "generation" not in station.sentence.text


def test_the_drawing_is_read_out_and_walked_through_by_keyboard(station: PathStation, window: MainWindow) -> None:
    words = station.drawing.accessibleDescription()
    for part in ("Picture:", "Sound:", "Power:", "S-VHS deck, S-Video → HD box", "No time-base corrector"):
        assert part in words
    station.drawing.setFocus()
    QTest.keyClick(station.drawing, Qt.Key.Key_Right)
    assert station.drawing.accessibleDescription().startswith("S-VHS deck, mains.")
    QTest.keyClick(station.drawing, Qt.Key.Key_Right)
    assert "by the S-Video cable" in station.drawing.accessibleDescription()
    assert "S-Video cable" in station.sentence.text
    QTest.keyClick(station.drawing, Qt.Key.Key_Left)
    QTest.mouseClick(station.drawing, Qt.MouseButton.LeftButton, pos=station.drawing.sites[-1].place.center().toPoint())
    assert station.drawing.site is not None
    QTest.keySequence(window, "Ctrl+D")
    assert station.stack.currentWidget() is station.text
    assert station.text.toPlainText() == words
    index = station.list.paths.index(0, 0)
    assert index.data(Qt.ItemDataRole.AccessibleTextRole).startswith("1, check, chosen: S-VHS deck")
    assert "picture: " in index.data(Qt.ItemDataRole.ToolTipRole)


@pytest.mark.journey
def test_from_a_symptom_to_its_cause(station: PathStation, take: Callable[[str], None], window: MainWindow) -> None:
    """K-005 again: the sound is gone; the questions are answered as somebody whose console sends it to the headset would."""
    take("K-005")
    for key in ("protection", "sound_to"):
        station.planner.tick(("console_home-1", key), "done")
    QTest.keySequence(window, "F4")
    box = station.boxes.diagnosis
    assert box is not None
    assert box.diagnosis is None
    assert set(box.boxes) == set(SYMPTOMS)
    box.boxes["no sound"].setChecked(True)
    hunt = box.diagnosis
    assert hunt is not None
    fault = next(cause for cause in hunt.causes if cause.knob == ("console_home-1", "sound_to"))
    asked = 0
    while box._test is not None and hunt.sure is None:
        click(box.yes if box._test.outcome_of[fault.key] == "yes" else box.no)
        asked += 1
    assert asked <= 6
    assert box.sentence.text == fault.words
    assert hunt.suspects()[0].cause.knob == fault.knob
    click(next(one for one in box.findChildren(QPushButton) if one.text() == "That was it"))
    assert any("found on the path" in words for _, _, words in window.state.record.history.events())
    assert not box.isVisible()


def test_a_question_that_cannot_be_answered_is_left(station: PathStation) -> None:
    station.boxes.open_diagnosis()
    box = station.boxes.diagnosis
    assert box is not None
    box.boxes["no picture"].setChecked(True)
    first = box._test
    click(box.skip)
    assert box._test is not first
    box._begin()
    assert box._test is not None
    assert box._test.key == first.key  # type: ignore[union-attr]
    box.reject()


def test_the_sheet_is_saved_kept_with_the_take_and_brought_back(
    station: PathStation, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    turn(station, ("hd_box-1", "level"), "professional")
    for name in ("sheet.pdf", "sheet.md"):
        monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, name=name: (str(tmp_path / name), ""))
        QTest.keySequence(window, "Ctrl+P")
    assert (tmp_path / "sheet.pdf").read_bytes().startswith(b"%PDF")
    assert "(now: +4 dBu (professional, less sensitive))" in (tmp_path / "sheet.md").read_text()
    station.boxes.save_to(tmp_path / "no folder" / "sheet.pdf")
    assert "is not there" in window.state.notices.history[-1].text
    record, view = window.state.record, window.state.current
    assert view is not None
    take_id, _ = record.takes.begin(view.id)
    turn(station, ("hd_box-1", "level"), "consumer")
    kept = record.paths.of_take(take_id)
    assert kept is not None
    assert kept.options == {("hd_box-1", "level"): "professional"}, "a take keeps the sheet it was made with"
    assert not record.carrier(view.id).path.options  # type: ignore[union-attr]
    QTest.keySequence(window, "Ctrl+T")
    told = window.state.notices.history[-1]
    assert told.text.startswith("As for K-001 on ")
    assert "HD box, sound level: +4 dBu (professional, less sensitive) then, −10 dBV (consumer, more sensitive) now" in told.text
    assert station.planner.sheet is not None
    assert station.planner.sheet.options == kept.options
    record.settings.save_equipment(Equipment())
    station.boxes.take_equipment(Equipment())
    qtbot.waitUntil(lambda: not station.list.paths.rows, timeout=LONG)
    assert station.sentence.text == "No path for VHS through this equipment."
    assert "would make a path at all" in station.could_be.text()
    station.boxes.as_last_time()
    assert "not possible now" in window.state.notices.history[-1].text


def test_wishes_and_weights_turn_the_list_at_once(station: PathStation, take: Callable[[str], None], qtbot: QtBot) -> None:
    take("K-006")
    station.boxes.open_wishes()
    box = station.boxes.wishes
    box.boxes["fast_sport"].setChecked(True)
    qtbot.waitUntil(lambda: station.planner.sheet.wishes.fast_sport, timeout=LONG)  # type: ignore[union-attr]
    send = next(item for item in station.planner.sheet.items if item.key == "send")  # type: ignore[union-attr]
    assert send.option == "720p59.94"
    before = station.list.paths.rows[0].score
    box.sliders["margin"].setValue(0)
    qtbot.waitUntil(lambda: station.list.paths.rows[0].score != before, timeout=LONG)
    box.accept()


def test_a_school_is_followed_and_seen_in_the_sheet(station: PathStation, window: MainWindow, qtbot: QtBot) -> None:
    QTest.keySequence(window, "Ctrl+H")
    box = station.boxes.schools
    assert box is not None
    card = box.cards["fields", "finished"]
    assert "half of the motion is lost" in card.accessibleName()
    QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=QPoint(20, 20))
    qtbot.waitUntil(lambda: station.planner.sheet.wishes.fields == "finished", timeout=LONG)  # type: ignore[union-attr]
    item = next(item for item in station.planner.sheet.items if item.key == "deinterlace")  # type: ignore[union-attr]
    assert item.option == "blend"
    assert station.planner.traced.delivery.fields == "blended"  # type: ignore[union-attr]
    station.boxes.open_schools()
    assert station.boxes.schools is not None
    click(station.boxes.schools.cards["connector", "composite"])
    qtbot.waitUntil(lambda: "composite" in station.planner.sheet.route, timeout=LONG)  # type: ignore[union-attr]


def test_equipment_is_named_copied_changed_and_exchanged(
    station: PathStation, window: MainWindow, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    QTest.keySequence(window, "Ctrl+M")
    box = station.boxes.equipment
    count = len(box.equipment.pieces)
    box.mine.setCurrentItem(box.mine.topLevelItem(0).child(0))
    box.name.setText("the grey deck")
    box.name.editingFinished.emit()
    assert box.equipment.words_of("vhs_plain-1") == "the grey deck"
    with qtbot.waitActive(box):
        box.activateWindow()
    box.again()
    assert len(box.equipment.pieces) == count + 1
    box.mine.setFocus()
    qtbot.waitUntil(box.mine.hasFocus)
    assert box._piece() == "vhs_plain-2"
    QTest.keyClick(box.mine, Qt.Key.Key_Delete)
    assert len(box.equipment.pieces) == count
    QTest.keyClicks(box.search, "USB grabber")
    box.catalogue.setCurrentItem(box.catalogue.topLevelItem(0).child(0))
    box.copy_kind()
    form = next(one for one in box.findChildren(KindForm) if one.isVisible())
    form.words.setText("")
    click(form.keep)
    assert form.sentence.text == "This kind is not whole yet."
    form.words.setText("grabber of the attic")
    form.numbers["compresses_to_mbps"].setText("lots")
    click(form.keep)
    assert form.isVisible()
    form.numbers["compresses_to_mbps"].setText("30")
    form._new_port()
    click(form.keep)
    made = box.equipment.kinds[-1]
    assert (made.words, made.compresses_to_mbps, len(made.ports)) == ("grabber of the attic", 30.0, 5)
    assert set(made.settings) == set(box.equipment.known["usb_grabber"].settings)
    box.search.clear()
    QTest.keyClicks(box.search, "stereo cable")
    box.catalogue.setCurrentItem(box.catalogue.topLevelItem(0).child(1))
    box.copy_kind()
    cable = next(one for one in box.findChildren(KindForm) if one.isVisible())
    cable.quirks.setText("long; from the attic")
    cable._new_port()
    click(cable.keep)
    own = box.equipment.kinds[-1]
    assert (own.role, own.ends[-1], own.quirks) == ("cable", ("line", "line"), ("long", "from the attic"))
    file = tmp_path / "mine.json"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a: (str(file), ""))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_a: (str(file), ""))
    box._ask_export()
    assert read_equipment(file) == box.equipment == window.state.record.settings.equipment()
    file.write_text(json.dumps({"pieces": [{"kind": "computer"}]}))
    box._ask_import()
    assert [piece.kind for piece in box.equipment.pieces] == ["computer"]
    file.write_text("{")
    box._ask_import()
    assert "no list of equipment" in box.sentence.text
    assert [piece.kind for piece in box.equipment.pieces] == ["computer"], "a bad file changes nothing"
    box.accept()


def test_a_carrier_that_must_not_be_played_is_not_proven(station: PathStation, window: MainWindow) -> None:
    view = window.state.current
    assert view is not None
    intake = view.intake
    condition = intake.details.condition.model_copy(update={"ticked": ("mould",)})
    window.state.record.shelf.change(
        view.id, intake.model_copy(update={"details": intake.details.model_copy(update={"condition": condition})})
    )
    window.state.reload()
    station.primary()
    assert "must not be played" in window.state.notices.history[-1].text
    assert not window.state.jobs.jobs
