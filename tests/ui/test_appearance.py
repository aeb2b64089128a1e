"""Forms of the theme, how large everything is, small windows, and the shortcuts."""

from __future__ import annotations

import itertools
import json
import os
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from platformdirs import user_config_path
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractSpinBox, QApplication, QComboBox, QPushButton, QWidget
from pytestqt.qtbot import QtBot

from tests.making import programme_frames, write_clip
from yomikomi.core.capture.health import HealthRow
from yomikomi.core.capture.scopes import scopes_of
from yomikomi.ui import theme
from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.appearance import SCALES, Appearance, keep_appearance, read_appearance
from yomikomi.ui.capture.health_strip import HealthStrip
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.capture.watch_page import RingBar
from yomikomi.ui.reading.station import ReadingStation
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.widgets.meters import LevelMeter
from yomikomi.ui.widgets.pictures import PictureView
from yomikomi.ui.widgets.scopes import HistogramView, VectorView, WaveformView
from yomikomi.ui.widgets.speaking import Voice


def _luminance(colour: str) -> float:
    """Relative luminance, 0…1. Source: WCAG 2.1, "relative luminance" (from memory)."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def _contrast(one: str, two: str) -> float:
    light, dark = sorted((_luminance(one), _luminance(two)), reverse=True)
    return (light + 0.05) / (dark + 0.05)


@pytest.mark.parametrize("key", theme.FORMS)
def test_every_form_can_be_read(key: str) -> None:
    """WCAG 2.1, success criteria 1.4.3 and 1.4.6 (from memory): text 4.5 to 1; the high-contrast form 7 to 1."""
    form = theme.FORMS[key]
    least = 7.0 if key == "contrast" else 4.5
    for text, ground in itertools.product((form.ink, form.muted), (form.paper, form.raised, form.rail)):
        assert _contrast(text, ground) >= least, (text, ground)
    for text, ground in (
        (form.on_accent, form.accent), (form.on_accent, form.madder), (form.accent, form.raised), (form.madder, form.madder_soft),
        (form.ink, form.accent_soft), (form.ink, form.bright), (form.well_text, form.well), (form.well_muted, form.well),
    ):  # fmt: skip
        assert _contrast(text, ground) >= least, (text, ground)
    for mark in (form.pine, form.amber, form.madder):
        assert _contrast(mark, form.raised) >= 3.0  # shapes: 1.4.11


@pytest.mark.parametrize("content", ["", "[]", "{", '{"form": "pink", "scale": 17}', '{"form": 3, "scale": "large"}', '{"scale": null}'])
def test_a_damaged_file_of_choices_is_the_usual_look(content: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("YOMIKOMI_FORM")
    monkeypatch.delenv("YOMIKOMI_SCALE")
    path = user_config_path("yomikomi") / "appearance.json"
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(content)
    try:
        assert read_appearance() == Appearance()
    finally:
        path.unlink()


def test_what_was_kept_is_read_again(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("YOMIKOMI_FORM")
    monkeypatch.delenv("YOMIKOMI_SCALE")
    keep_appearance(Appearance("contrast", 1.75))
    try:
        assert read_appearance() == Appearance("contrast", 1.75)
    finally:
        (user_config_path("yomikomi") / "appearance.json").unlink()


def test_steps_end_at_both_ends() -> None:
    assert Appearance().larger(99).scale == SCALES[-1] == 2.0
    assert Appearance().larger(-99).scale == SCALES[0]
    assert Appearance().next_form().next_form().next_form() == Appearance()


def test_a_key_keeps_the_choice_and_opens_the_window_anew(window: MainWindow, qtbot: QtBot) -> None:
    path = user_config_path("yomikomi") / "appearance.json"
    with qtbot.waitActive(window):
        window.activateWindow()
    try:
        for _ in range(3):
            QTest.keyClick(window, Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
        window.do("form")
        assert json.loads(path.read_text()) == {"form": "dark", "scale": 1.5}
        qtbot.waitUntil(lambda: window.reopens and not window.isVisible(), timeout=5000)
    finally:
        path.unlink(missing_ok=True)


def test_nothing_that_runs_is_ended_for_a_look(window: MainWindow, qtbot: QtBot) -> None:
    path = user_config_path("yomikomi") / "appearance.json"
    job = window.state.jobs.start(_wait, 30.0, name="waiting")
    try:
        window.do("form")
        assert "from the next start" in window.notice_bar.text
        qtbot.wait(1000)
        assert window.isVisible()
        assert not window.reopens
    finally:
        window.state.jobs.cancel(job)
        path.unlink(missing_ok=True)


def _wait(seconds: float, reporter: object) -> None:
    import time

    end = time.monotonic() + seconds
    while time.monotonic() < end:
        reporter.check()  # type: ignore[attr-defined]
        time.sleep(0.05)


@pytest.mark.parametrize("form", ["dark", "contrast"])
def test_every_station_is_drawn_in_other_forms(form: str, tmp_path: Path) -> None:
    """In a process of its own, since a form is chosen once. The paper is dark where it is to be, and nothing is said on stderr."""
    code = (
        "import sys\n"
        "from pathlib import Path\n"
        "from yomikomi.core.ledger.workspace import Workspace\n"
        "from yomikomi.ui.app import application, build_window, MAKERS\n"
        "application()\n"
        "workspace = Workspace(Path(sys.argv[1])); window = build_window(workspace); window.show()\n"
        "shades = []\n"
        "for key in MAKERS:\n"
        "    window.show_station(key)\n"
        "    shades.append(window.grab().toImage().pixelColor(2 * 94, 2 * 66).name())\n"
        "print(' '.join(shades)); window.hide(); window.close(); workspace.close()\n"
    )
    environment = {**os.environ, "YOMIKOMI_FORM": form, "YOMIKOMI_SCALE": "2.0", "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", code, str(tmp_path / "w")]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, timeout=120, check=True)
    assert set(done.stdout.split()) == {theme.FORMS[form].paper.lower()}
    assert "Traceback" not in done.stderr


def test_every_filled_button_can_be_reached_in_a_small_window(window: MainWindow, qtbot: QtBot) -> None:
    """960 x 540: what does not fit is scrolled to, never sideways; nothing asks for more of the screen."""
    window.resize(960, 540)
    qtbot.wait(50)
    assert (window.width(), window.height()) == (960, 540)
    for entry in STATIONS:
        window.show_station(entry.key)
        qtbot.wait(30)
        assert (window.width(), window.height()) == (960, 540)
        station = window.station(entry.key)
        page = window._stack.currentWidget()
        qtbot.waitUntil(lambda page=page: page.horizontalScrollBar().maximum() == 0, timeout=5000)  # type: ignore[attr-defined, misc]
        for made in station.findChildren(QPushButton):
            if made.isVisibleTo(station) and made.property("primary"):
                page.ensureWidgetVisible(made)  # type: ignore[attr-defined]
                corner = made.mapTo(page, made.rect().center())
                assert page.rect().contains(corner), (entry.key, made.text())


def test_shortcuts_are_grouped_and_searched(window: MainWindow) -> None:
    box = window.open_keys()
    assert box.height() <= window.height()
    assert len(box.shown) == len(STATIONS) + len(ACTIONS)
    QTest.keyClicks(box.line, "clip")
    assert {words for _, words in box.shown} == {"Clip in point", "Clip out point"}
    box.line.setText("ctrl+k")
    assert box.shown == [("Ctrl+K", "Go to a carrier, station or command")]
    box.line.setText("zzz")
    assert box.shown == []
    assert all(head.isHidden() for head in box._heads.values())


def test_a_take_that_was_not_read_shows_its_first_picture_and_its_tracks(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = write_clip(tmp_path / "walk.mkv", programme_frames(50, width=176, height=144, seed=3), sound_seconds=2)
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    shelf.bringing.bring([path])
    qtbot.waitUntil(lambda: len(window.state.carriers) == 1, timeout=20_000)
    window.show_station("reading")
    station = window.station("reading")
    assert isinstance(station, ReadingStation)
    qtbot.waitUntil(lambda: station.viewer.whole.image is not None, timeout=20_000)
    assert "176 × 144" in station.detail.argues.text()
    assert "48000 Hz" in station.detail.argues.text()
    assert not station.strips.isVisibleTo(station)  # no bare axes
    image = station.viewer.whole.image
    assert image is not None
    assert len({image.pixelColor(x, 70).name() for x in range(0, 170, 10)}) > 3


def test_widgets_of_the_window_have_accessible_names_or_texts(window: MainWindow) -> None:
    """What can be worked with says what it is."""
    for entry in STATIONS:
        window.show_station(entry.key)
        nameless = [
            f"{type(one).__name__} {one.objectName()}"
            for one in window.station(entry.key).findChildren(QWidget)
            if one.focusPolicy() & Qt.FocusPolicy.TabFocus and one.isVisibleTo(window) and not _says(one)
        ]
        assert not nameless, (entry.key, nameless)


def _says(widget: QWidget) -> bool:
    """What a screen reader reads out; parts inside of other controls are named by those."""
    inner = isinstance(widget.parentWidget(), QComboBox | QAbstractSpinBox) or "QComboBoxPrivateContainer" in str(
        widget.parentWidget().metaObject().className() if widget.parentWidget() else ""
    )
    face = QAccessible.queryAccessibleInterface(widget)
    return inner or bool(face is not None and face.text(QAccessible.Text.Name))


def test_nothing_has_to_be_scrolled_to_in_the_usual_window(window: MainWindow, qtbot: QtBot) -> None:
    """1280 x 800, also while the large bar of a recording stands over everything: the button that ends it is on screen."""
    for entry in STATIONS:
        window.show_station(entry.key)
        qtbot.wait(30)
        page = window._stack.currentWidget()
        assert not page.verticalScrollBar().isVisible(), entry.key  # type: ignore[attr-defined]
        assert not page.horizontalScrollBar().isVisible(), entry.key  # type: ignore[attr-defined]
    window.show_station("capture")
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    station.bar.setVisible(True)
    qtbot.wait(100)
    page = window._stack.currentWidget()
    assert page.rect().contains(station.start_button.mapTo(page, station.start_button.rect().bottomRight()))
    texts = [station.watch.arm_button, station.watch.keep_button, station.watch.keep_on_button]
    assert all(one.width() >= one.sizeHint().width() for one in texts)  # nothing is cut off


@pytest.mark.parametrize("box", ["keys", "goto", "equipment"])
def test_after_a_box_closes_the_keys_work(window: MainWindow, qtbot: QtBot, box: str) -> None:
    """Whatever had the keyboard, and also where nothing had it, the next shortcut arrives."""
    for focused in (window.station("shelf").search, None):  # type: ignore[attr-defined]
        window.show_station("path" if box == "equipment" else "shelf")
        if focused is not None and box != "equipment":
            focused.setFocus()
        elif (now := QApplication.focusWidget()) is not None:
            now.clearFocus()
        window.do(box)
        qtbot.waitUntil(lambda: QApplication.activeModalWidget() is not None)
        opened = QApplication.activeModalWidget()
        assert opened is not None
        qtbot.keyClick(opened, Qt.Key.Key_Escape)
        qtbot.waitUntil(lambda: QApplication.activeModalWidget() is None)
        qtbot.waitUntil(lambda: QApplication.focusWidget() is not None and QApplication.focusWidget().window() is window)
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_4, Qt.KeyboardModifier.ControlModifier)
        assert window.current_key == "reading"


def test_what_is_drawn_is_also_said_but_not_all_the_time(qapp: QApplication) -> None:
    """Every widget that draws what is measured describes it; one that moves does so at intervals."""
    scopes = scopes_of(np.full((48, 64), 90, np.uint8), np.full((48, 32), 110, np.uint8), np.full((48, 32), 150, np.uint8))
    meter, strip, ring, picture = LevelMeter(), HealthStrip(), RingBar(), PictureView(empty="Nothing yet")
    meter.show_level(-6.0, -20.0)
    strip.show_rows([HealthRow(at=61, frames=30, lost=2), HealthRow(at=62, frames=30, repeated=1)])
    ring.show_ring(30, 5, "30 s kept")
    picture.show_image(QImage(720, 480, QImage.Format.Format_RGB888))
    wave, vector, histogram = WaveformView(), VectorView(), HistogramView()
    wave.show_scopes(scopes)
    vector.show_scopes(scopes)
    histogram.show_scopes(scopes, (0.012, 0.0))
    assert [one.accessibleDescription() for one in (meter, strip, ring, picture, wave, vector, histogram)] == [
        "peak -6.0 dB, mean -20.0 dB below full scale", "0:01:02: 2 frames lost, 0 late, 1 repeated", "30 s kept", "720 × 480",
        "luma from 90 to 90 code values, but for 1 % at each end", "Cb from 110 to 110, Cr from 150 to 150; 128 is no colour",
        "below black 1.2 %, above white 0.0 %",
    ]  # fmt: skip
    assert all(one.accessibleName() for one in (meter, strip, ring, picture, wave, vector, histogram))
    now = [100.0]
    quiet = QWidget()
    voice = Voice(quiet, pause_s=2.0, now=lambda: now[0])
    for step in range(50):
        now[0] = 100 + step / 10
        voice.say(f"at {step}")
    assert quiet.accessibleDescription() == "at 40"
