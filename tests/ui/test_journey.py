"""The main job by mouse and keyboard, from an empty shelf to a verified line in the ledger."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path

import pytest
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.recipe import usual_recipes
from yomikomi.core.video.media import probe
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.ledger.model import HEADS
from yomikomi.ui.ledger.station import LedgerStation
from yomikomi.ui.reading.station import ReadingStation
from yomikomi.ui.run.station import RunStation
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.station import TreatmentStation

LONG = 300_000  # a machine that others use too may take several times as long as an idle one


def press(window: MainWindow, keys: str) -> None:
    QTest.keySequence(window, keys)


def click(widget: object) -> None:
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)  # type: ignore[call-overload]


def now(window: MainWindow) -> CarrierView:
    assert window.state.current is not None
    return window.state.current


def choose_effort(balance: BalanceStation, effort: str) -> None:
    balance.effort.setCurrentIndex(balance.effort.findData(effort))


def take_way(station: TreatmentStation, number: int) -> None:
    """Another way of the first card, as a person picks it from the list."""
    ways = station.cards[0].ways
    ways.setCurrentIndex(number)
    ways.activated.emit(number)


def from_reading_to_ledger(
    window: MainWindow, qtbot: QtBot, order: str, codecs: Collection[str]
) -> None:  # fmt: skip
    """The part of the journey that a tape and a file share."""
    reading = window.station("reading")
    assert isinstance(reading, ReadingStation)
    press(window, "Ctrl+4")
    click(reading.go_button)
    qtbot.waitUntil(lambda: now(window).reading is not None, timeout=LONG)
    assert {"tff": "Interlaced, top field first", "bff": "Interlaced, bottom field first"}[order] in reading.sentence.text
    assert reading.cards[0].finding.topic == "scan"
    qtbot.waitUntil(lambda: reading.viewer.whole.image is not None, timeout=10_000)
    before = reading.strips.frame
    place = QPoint(round(reading.strips.width() * 0.3), round(reading.strips.height() * 0.45))
    QTest.mouseClick(reading.strips, Qt.MouseButton.LeftButton, pos=place)
    assert reading.strips.frame != before  # the strip leads to the frame
    QTest.keyClick(reading.strips, Qt.Key.Key_Right)
    click(reading.viewer._modes.button(1))
    qtbot.waitUntil(lambda: reading.viewer.top.image is not None and reading.viewer.bottom.image is not None, timeout=10_000)
    height = now(window).judged.geometry.height  # type: ignore[union-attr]
    assert reading.viewer.top.image is not None
    assert reading.viewer.top.image.height() == height // 2

    press(window, "Ctrl+Return")
    treatment = window.station("treatment")
    assert isinstance(treatment, TreatmentStation)
    assert window.current_key == "treatment"
    qtbot.waitUntil(lambda: treatment.looking.loop is not None, timeout=LONG)
    qtbot.waitUntil(lambda: treatment.looking.player.after.view.image is not None, timeout=5000)
    take_way(treatment, 1)  # the single rate: fewer frames to encode in this test
    click(treatment.use_button)

    balance = window.station("balance")
    assert isinstance(balance, BalanceStation)
    assert window.current_key == "balance"
    choose_effort(balance, "low")
    click(balance.try_button)
    qtbot.waitUntil(lambda: now(window).trials is not None, timeout=LONG)
    assert set(balance.plane_data) == set(codecs)
    point = balance.plane_data["h264"][-1]
    for _ in range(20):  # the plane is laid out when there is time; and of moves that follow at once it drops the second
        for away in (QPoint(40, 40), QPoint()):
            QTest.mouseMove(balance.plane, balance.plane.place_of(point).toPoint() + away)
            qtbot.wait(60)
        if "H.264 29" in balance.plane.told:
            break
    assert "H.264 29" in balance.plane.told  # hovering tells the numbers
    QTest.mouseClick(balance.plane, Qt.MouseButton.LeftButton, pos=balance.plane.place_of(point).toPoint())
    assert balance.picked is point  # clicking picks
    press(window, "Ctrl+Return")

    assert window.current_key == "run"
    qtbot.waitUntil(lambda: any(c.state == "verified" for c in now(window).copies), timeout=LONG)
    run = window.station("run")
    assert isinstance(run, RunStation)
    qtbot.waitUntil(lambda: [one.state for one in run.model.rows] == ["verified"], timeout=5000)
    press(window, "Ctrl+8")
    ledger = window.station("ledger")
    assert isinstance(ledger, LedgerStation)
    ledger.sections.turn("copies")
    assert ledger.copies.model.rowCount() == 1
    cells = [str(ledger.copies.model.index(0, column).data()) for column in range(len(HEADS))]
    assert cells[0] == "verified"
    assert cells[3] == "H.264 29 superfast"
    assert cells[6].endswith("%")  # the size against what was foretold
    copy = ledger.copies.shown
    assert copy is not None
    assert copy.result is not None
    assert copy.result.verified
    assert copy.predicted is not None
    assert copy.predicted.size_bytes.low <= copy.result.size_bytes <= copy.predicted.size_bytes.high
    assert "checks passed" in ledger.copies.checks_head.text()
    assert probe(copy.path).codec == "h264"


def _try_only(monkeypatch: pytest.MonkeyPatch, *codecs: str) -> None:
    """Trials of so many codecs, at full size; each is tried in one of the journeys."""
    monkeypatch.setattr(
        "yomikomi.core.balance.serving.usual_recipes",
        lambda **how: [one for one in usual_recipes(**how) if one.codec in codecs and one.lines is None],
    )


@pytest.mark.journey
def test_a_tape_from_the_shelf_to_the_ledger(window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    _try_only(monkeypatch, "h264", "av1")
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    assert "Add a carrier" in shelf.sentence.text
    press(window, "Ctrl+N")
    QTest.keyClicks(shelf.form.title_line, "Lantern parade")
    shelf.form.kind.setCurrentIndex(shelf.form.kind.findData("vhs"))
    QTest.keyClick(shelf.form.title_line, Qt.Key.Key_Return)
    assert (now(window).label, now(window).title) == ("K-001", "Lantern parade")
    click(shelf.onward)
    assert window.current_key == "path"  # nothing is known of the equipment yet; the tape can be captured all the same
    press(window, "Ctrl+3")

    capture = window.station("capture")
    assert isinstance(capture, CaptureStation)
    press(window, "F9")
    qtbot.waitUntil(lambda: capture.picture.image is not None, timeout=20_000)
    qtbot.waitUntil(lambda: "0:00:02" in capture.bar.state.text(), timeout=30_000)
    assert capture.bar.isVisible()
    assert capture.bar.rate.text().endswith("Mb/s")
    assert capture.bar.left.text() not in {"", "– left"}
    assert capture.bar.lost.text() == "0 lost"
    click(capture.start_button)
    qtbot.waitUntil(lambda: now(window).take is not None and now(window).take.state == "whole", timeout=20_000)
    take = now(window).take
    assert take is not None
    assert 1.4 < (take.seconds or 0) < 5
    assert take.dropped == 0
    assert take.path.exists()
    assert "captured, nothing lost" in window.notice_bar.text
    from_reading_to_ledger(window, qtbot, "bff", codecs={"h264", "av1"})
    assert probe(take.path).flagged_field_order == "bff"


@pytest.mark.journey
def test_a_real_file_dropped_on_the_shelf(
    window: MainWindow, qtbot: QtBot, real_clip_interlaced: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Cyclists as a development package ships them, interlaced by the test."""
    _try_only(monkeypatch, "h264")
    before = real_clip_interlaced.read_bytes()
    shelf = window.station("shelf")
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(real_clip_interlaced))])
    place, act, button, key = QPoint(300, 300), Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    enter = QDragEnterEvent(place, act, data, button, key)
    QApplication.sendEvent(shelf, enter)
    assert enter.isAccepted()
    drop = QDropEvent(QPointF(place), act, data, button, key)
    QApplication.sendEvent(shelf, drop)
    qtbot.waitUntil(lambda: window.state.current is not None, timeout=20_000)
    assert (now(window).label, now(window).title) == ("F-001", "cyclists")
    from_reading_to_ledger(window, qtbot, "tff", codecs={"h264"})
    assert real_clip_interlaced.read_bytes() == before
    copy = now(window).copies[0].path
    assert copy.parent.name == "copies"
