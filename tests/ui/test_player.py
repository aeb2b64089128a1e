"""The player's window by mouse and keys; the device through a null output of the system's library that keeps what came."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from functools import partial
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.playing.test_player import SECONDS, TurnedOut, flashes  # noqa: F401 (a fixture)
from yomikomi.core.playing.sources import FileSource, TreatedSource
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.sound_out import RATE, DeviceOut, SilentOut, usual_out
from yomikomi.core.video.standards import FieldOrder
from yomikomi.ui.playing.deck import Deck, Named
from yomikomi.ui.playing.window import KEYS, PlayerWindow
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.station import TreatmentStation

_LEFT = Qt.MouseButton.LeftButton


def _opened(qtbot: QtBot, request: pytest.FixtureRequest, sources: tuple[Named, ...]) -> tuple[PlayerWindow, Deck]:
    window = PlayerWindow(sources, "K-001", make=lambda played: Deck(played, SilentOut))
    window.show()
    qtbot.waitUntil(lambda: window.deck is not None and all(pane.view.image is not None for pane in window.panes), timeout=20_000)
    assert window.deck is not None
    request.addfinalizer(lambda: window.close() if window.deck is not None else None)  # also where the test fails
    return window, window.deck


def _has_deck(window: PlayerWindow) -> bool:
    return window.deck is not None


def test_playing_by_mouse_and_keys(flashes: tuple[Path, Reading], qtbot: QtBot, request: pytest.FixtureRequest) -> None:  # noqa: F811
    path, reading = flashes
    double = Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF)
    window, deck = _opened(qtbot, request, (Named("before", FileSource(path)), Named("after", TreatedSource(path, reading, double))))
    qtbot.waitUntil(lambda: window.time.text() == "0:00:00.00 of 0:00:11.29", timeout=5000)
    for _ in range(3):
        QTest.keyClick(window, Qt.Key.Key_Right)
        qtbot.wait(60)
    qtbot.waitUntil(lambda: deck.player.shown_number == 3 and deck.players[1].shown_number == 6, timeout=5000)
    QTest.keyClick(window, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(window, Qt.Key.Key_Home)
    qtbot.waitUntil(lambda: deck.player.shown_number == 0, timeout=5000)
    QTest.mouseClick(window.play_button, _LEFT)
    qtbot.waitUntil(lambda: deck.position > 1.5, timeout=10_000)
    QTest.keyClick(window, Qt.Key.Key_A)
    qtbot.wait(400)
    QTest.keyClick(window, Qt.Key.Key_Space)
    assert not deck.player.playing
    assert deck.heard == 1
    assert window.panes[1].heard.text() == "sound"
    assert deck.position > 1.2, "the moment stays when the other is heard"
    QTest.keyClick(window, Qt.Key.Key_BracketLeft)
    begin = deck.position  # wherever the machine has come to meanwhile
    deck.seek(begin + 1)
    QTest.keyClick(window, Qt.Key.Key_BracketRight)
    words, at = window.loop_words.text().split()[:2]
    assert words == "loop"
    assert begin - 0.5 < float(at.removeprefix("0:00:")) < begin + 0.05, "the picture that is seen, of which the sound is ahead"
    QTest.keyClick(window, Qt.Key.Key_Backspace)
    assert deck.player.loop is None
    QTest.keyClick(window, Qt.Key.Key_M)
    assert (window.volume.value(), deck.player.volume) == (0, 0)
    QTest.keyClick(window, Qt.Key.Key_Period)
    assert deck.player.speed == 2.0
    window._slide(5000)
    assert deck.position == pytest.approx(SECONDS / 2, abs=0.1)
    first, second = window.panes
    whole = first.width()
    QTest.mouseClick(window.flip_button, _LEFT)
    assert (first.isVisible(), second.isVisible()) == (True, False)
    place = first.geometry()
    assert place.width() > 1.8 * whole
    QTest.keyClick(window, Qt.Key.Key_B)
    assert (first.isVisible(), second.isVisible()) == (False, True)
    assert second.geometry() == place, "in the very same place"
    assert deck.players[0].size == deck.players[1].size
    QTest.keyClick(window, Qt.Key.Key_Right)
    qtbot.wait(80)
    QTest.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    assert first.isVisible()
    assert second.isVisible()
    assert abs(deck.players[0].position - deck.players[1].position) < 0.05
    QTest.keyClick(window, Qt.Key.Key_F)
    assert not window.controls.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert window.controls.isVisible()
    QTest.keyClick(window, Qt.Key.Key_Escape)
    assert not window.isVisible()
    assert len({key for key, _name, _words in KEYS}) == len(KEYS)


def test_every_station_with_a_take_opens_it(window: MainWindow, flashes: tuple[Path, Reading], qtbot: QtBot) -> None:  # noqa: F811
    path, reading = flashes
    state = window.state
    state.starts_by_itself = False
    window.show_station("shelf")
    window.do("player")
    carrier, _ = state.record.takes.import_file(path)
    take = state.record.carrier(carrier).take
    assert take is not None
    state.record.readings.save(take.id, reading)
    state.reload()
    for station, count in (("reading", 1), ("treatment", 2), ("shelf", 1)):
        window.show_station(station)
        window.do("player")
        opened = next(one for one in window.findChildren(PlayerWindow) if one.isVisible())
        qtbot.waitUntil(partial(_has_deck, opened), timeout=20_000)
        assert opened.deck is not None
        assert len(opened.deck.players) == count
        opened.close()
    treatment = window.station("treatment")
    assert isinstance(treatment, TreatmentStation)


def test_a_file_that_went_is_told_in_the_window(qtbot: QtBot, tmp_path: Path) -> None:
    window = PlayerWindow((Named("gone", FileSource(tmp_path / "gone.mkv")),), "gone", make=lambda played: Deck(played, TurnedOut))
    window.show()
    qtbot.waitUntil(window.note.isVisible, timeout=10_000)
    assert "There is no file gone.mkv" in window.note.text()
    assert not window.play_button.isEnabled()
    window.close()


_THROUGH_A_DEVICE = """
import sys, time
import numpy as np
from yomikomi.core.video.sound_out import DeviceOut, usual_out
out = usual_out()
if not isinstance(out, DeviceOut):
    print(out.words); raise SystemExit(0)
wave = np.repeat((0.5 * np.sin(np.arange(48000) / 20)).astype(np.float32)[:, None], 2, axis=1)
at = 0
def pull(count):
    global at
    at, begin = min(at + count, len(wave)), at
    return wave[begin:at]
out.start(pull)
while at < len(wave): time.sleep(0.01)
time.sleep(0.2); out.stop(); out.close(); print("played")
"""


def test_without_a_device_it_is_said_and_played_silent(monkeypatch: pytest.MonkeyPatch) -> None:
    def none(_self: DeviceOut) -> None:
        raise OSError("Error querying device -1")

    monkeypatch.setattr(DeviceOut, "__init__", none)
    out = usual_out()
    assert isinstance(out, SilentOut)
    assert out.words == "No sound output on this machine: it plays silent."


def test_what_is_played_reaches_the_device_sample_for_sample(tmp_path: Path) -> None:
    """The system's sound library writes what it would play to a file."""
    came = tmp_path / "came.raw"
    named = f'pcm.!default {{ type plug slave.pcm "kept" }}\npcm.kept {{ type file slave.pcm null file "{came}" format raw }}\n'
    (tmp_path / "asound.conf").write_text(named)
    told = subprocess.run(
        [sys.executable, "-c", _THROUGH_A_DEVICE], capture_output=True, text=True, timeout=60,
        env={**os.environ, "ALSA_CONFIG_PATH": f"/usr/share/alsa/alsa.conf:{tmp_path / 'asound.conf'}"}, check=False,
    )  # fmt: skip
    assert told.stdout.strip() == "played", told.stderr
    samples = np.fromfile(came, np.float32)
    heard = np.flatnonzero(samples)
    played = samples[heard[0] // 2 * 2 : heard[-1] // 2 * 2 + 2].reshape(-1, 2)
    wave = 0.5 * np.sin(np.arange(RATE) / 20)
    assert len(played) == pytest.approx(RATE, abs=3)
    length = min(len(played), RATE) - 2
    assert np.abs(played[:length, 0] - wave[1 : length + 1]).max() < 1e-3 or np.abs(played[:length, 0] - wave[:length]).max() < 1e-3


def test_the_command_opens_a_window_and_tells_what_cannot_be_played(tmp_path: Path, flashes: tuple[Path, Reading]) -> None:  # noqa: F811
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-m", "yomikomi", "play"]
    wrong = subprocess.run([*command, str(tmp_path / "no.mkv")], capture_output=True, text=True, env=environment, check=False, timeout=60)
    assert wrong.returncode == 3
    assert "There is no file no.mkv" in wrong.stderr
    plain = {key: value for key, value in environment.items() if key not in {"QT_QPA_PLATFORM", "DISPLAY", "WAYLAND_DISPLAY"}}
    blind = subprocess.run([*command, str(flashes[0])], capture_output=True, text=True, env=plain, check=False, timeout=60)
    assert blind.returncode == 4
    assert "no display" in blind.stderr
    shown = subprocess.Popen([*command, str(flashes[0])], env=environment)
    time.sleep(4)
    try:
        assert shown.poll() is None, "the window stays open"
    finally:
        shown.terminate()
        shown.wait(10)
