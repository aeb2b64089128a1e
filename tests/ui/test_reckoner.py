"""The Reckoner by keyboard and mouse: live arithmetic, pins, history, copying, sending to the carrier."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QLineEdit
from pytestqt.qtbot import QtBot

from yomikomi.core.planning.intake import Intake
from yomikomi.core.planning.machine import MachineSpeeds, Speed
from yomikomi.core.reckoner.sheets import SHEETS
from yomikomi.ui.reckoner.window import ReckonerWindow
from yomikomi.ui.shell.window import MainWindow


@pytest.fixture
def reckoner(window: MainWindow, qtbot: QtBot) -> ReckonerWindow:
    with qtbot.waitActive(window):
        window.activateWindow()
    qtbot.keyClick(window, Qt.Key.Key_R, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window._reckoner is not None and window._reckoner.isVisible())
    assert window._reckoner is not None
    return window._reckoner


def retype(qtbot: QtBot, reckoner: ReckonerWindow, key: str, words: str) -> None:
    side = reckoner.current.sides[key]
    assert isinstance(side, QLineEdit)
    side.setFocus()
    side.selectAll()
    qtbot.keyClicks(side, words)


@pytest.mark.journey
def test_rate_size_and_time_by_keyboard(window: MainWindow, reckoner: ReckonerWindow, qtbot: QtBot) -> None:
    retype(qtbot, reckoner, "time", "2h")
    form = reckoner.current
    assert form.sides["time"].text() == "2h"  # type: ignore[union-attr]  what is being typed stays as typed
    qtbot.keyClick(form.sides["time"], Qt.Key.Key_Return)
    assert form.sides["time"].text() == "2:00:00"  # type: ignore[union-attr]
    form.pins["time"].click()
    retype(qtbot, reckoner, "size", "4.7GB")
    qtbot.keyClick(form.sides["size"], Qt.Key.Key_Return)
    assert form.reckoning.text("time") == "2:00:00"
    assert form.reckoning.text("video") == "5.05 Mb/s"
    assert "÷ 8 bits a byte" in form.words.text()
    assert reckoner.answer == "Video rate 5.05 Mb/s"
    # Live: half-typed words are told and change nothing; the side is put right when it is left.
    retype(qtbot, reckoner, "size", "4.7 parsecs")
    assert form.trouble.isVisible()
    assert "is no size" in form.trouble.text()
    qtbot.keyClick(form.sides["size"], Qt.Key.Key_Return)
    assert form.sides["size"].text() != "4.7 parsecs"  # type: ignore[union-attr]
    reckoner.copy_button.click()
    assert QGuiApplication.clipboard().text().startswith("Rate, size and time: Video rate 5.05 Mb/s\n")


def test_history_survives_and_brings_a_sheet_back(window: MainWindow, reckoner: ReckonerWindow) -> None:
    reckoner.form("size").put("time", "1h")
    reckoner.form("size").put("video", "40M")
    reckoner.show_sheet("crop")
    reckoner.form("crop").put("target", "9:16")
    assert [reckoner.history.item(n).text() for n in range(reckoner.history.count())] == [
        "Crop and bars: Crop width 607, Crop height 1080   (Wanted shape 9:16)",
        "Rate, size and time: File size 18.08 GB   (Length 1h, Video rate 40M)",
    ]
    again = ReckonerWindow(window.state, window)
    again._bring_back(again.history.item(1))
    assert again.current.sheet.key == "size"
    assert again.current.reckoning.text("video") == "40 Mb/s"
    again.deleteLater()


def test_results_go_to_the_carrier_where_it_has_a_place(window: MainWindow, reckoner: ReckonerWindow) -> None:
    reckoner.send()
    assert "no carrier" in window.notice_bar.text
    window.state.record.shelf.put([Intake(label="K-001", title="Parade", kind="vhs", note="box 3")], [None])
    window.state.reload()
    assert reckoner.send_button.text() == "Send to K-001"
    reckoner.show_sheet("tape")
    reckoner.form("tape").put("marked", "120")
    reckoner.form("tape").put("speed", "third")
    reckoner.send_button.click()
    assert window.state.carriers[0].nominal_seconds == 6 * 3600
    reckoner.show_sheet("shape")
    reckoner.form("shape").put("pixel", "32/27")
    reckoner.send_button.click()
    assert window.state.carriers[0].details.shape == "16:9"
    reckoner.show_sheet("card")
    reckoner.form("card").put("needs", "60")
    reckoner.send_button.click()
    assert window.state.carriers[0].note == "box 3; Card-limited recording: Stops after 20 s, Compression needed 1.5"
    assert window.state.carriers[0].title == "Parade"


def test_every_sheet_shows_and_the_drive_knows_what_was_measured(window: MainWindow, reckoner: ReckonerWindow) -> None:
    for key, sheet in SHEETS.items():
        reckoner.show_sheet(key)
        assert reckoner.current.sheet is sheet
        assert reckoner.current.words.text()
        assert all(side.accessibleName() for side in reckoner.current.sides.values())
    speed = Speed(low=1e8, usual=1.5e8, high=2e8)
    window.state.machine = MachineSpeeds(made_at="2026-11-25", processors=2, write_bytes_per_second=speed, encoders={})
    window.state.machine_changed.emit()
    reckoner.show_sheet("drive")
    assert reckoner.current.reckoning.text("measured") == "150 MB/s"
    assert reckoner.current.reckoning.text("free") != "500 GB"
    assert window.open_reckoner() is reckoner


def test_it_goes_with_the_window(window: MainWindow, reckoner: ReckonerWindow) -> None:
    window.close()
    assert not reckoner.isVisible()
