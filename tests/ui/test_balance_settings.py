"""All settings by hand: what they come to follows at once, what is not known is tried, and the next time they are offered again."""

from __future__ import annotations

import time
from pathlib import Path

import av
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QInputDialog
from pytestqt.qtbot import QtBot

from tests.making import programme_frames, write_clip
from tests.ui.test_balance_journeys import LONG, in_balance, view_of
from yomikomi.core.recipes.rates import ConstantQuality
from yomikomi.ui.balance.plane import BalancePlane
from yomikomi.ui.balance.scale_menu import ScaleMenu
from yomikomi.ui.balance.settings_box import SettingsBox
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.shell.window import MainWindow

LEFT = Qt.MouseButton.LeftButton

pytestmark = pytest.mark.usefixtures("by_itself")


@pytest.fixture
def station(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> BalanceStation:
    """A clip of a second whose trials are done; its own codec plays at few places, so that a copy is wanted."""
    pictures = programme_frames(25, width=192, height=144, seed=4)
    clip = write_clip(tmp_path / "clip.mkv", pictures, rate=25, codec="ffv1", sound_seconds=1.0, sound_channels=2)
    found = in_balance(window, qtbot, clip)
    qtbot.waitUntil(lambda: found.offer.trials is not None and found.job is None, timeout=LONG)
    return found


def opened(station: BalanceStation) -> SettingsBox:
    QTest.mouseClick(station.settings_button, LEFT)
    box = station.by_hand.box
    assert box is not None
    return box


def put(box: QComboBox, value: object) -> None:
    """By keyboard."""
    box.setFocus()
    way = Qt.Key.Key_Down if box.findData(value) > box.currentIndex() else Qt.Key.Key_Up
    while box.currentData() != value:
        before = box.currentIndex()
        QTest.keyClick(box, way)
        assert box.currentIndex() != before


def test_settings_by_hand_are_told_used_and_offered_again(
    station: BalanceStation, window: MainWindow, qtbot: QtBot, tmp_path: Path
) -> None:
    box = opened(station)
    picked = station.picked
    assert picked is not None
    assert box.form.recipe == picked.prediction.recipe
    put(box.form.codec, "h264")
    assert "no visible" in box.sentence.text or "difference" in box.sentence.text
    longest = 0.0
    sizes = []
    box.form.slider.setFocus()
    for _ in range(4):
        began = time.perf_counter()
        QTest.keyClick(box.form.slider, Qt.Key.Key_Right)
        longest = max(longest, time.perf_counter() - began)
        assert box.told.prediction is not None
        sizes.append(box.told.prediction.size_bytes.expected)
    assert sizes == sorted(sizes, reverse=True)
    assert longest < 0.2  # 50 ms on a quiet machine
    put(box.form.channels, 1)
    box.form.sound_kbps.setValue(96)
    put(box.form.container, "mkv")
    wanted = box.form.recipe
    assert (wanted.sound_channels, wanted.sound_kbps, wanted.container) == (1, 96, "mkv")
    # Beyond what was tried nothing is told, and the next step is to try it.
    put(box.form.speed, "slow")
    assert box.told.prediction is None
    assert not box.use_button.isEnabled()
    assert box.try_button.property("primary")
    QTest.mouseClick(box.try_button, LEFT)
    qtbot.waitUntil(lambda: box.told.prediction is not None, timeout=LONG)
    assert box.told.prediction is not None
    assert box.told.prediction.measured
    put(box.form.speed, wanted.speed)
    QTest.mouseClick(box.use_button, LEFT)
    assert station.picked is not None
    assert station.picked.prediction.recipe == wanted
    chosen = next(card for card in station.cards if card.property("chosen"))
    assert chosen.choice.title == "Set by hand"
    QTest.mouseClick(station.send_button, LEFT)
    qtbot.waitUntil(lambda: any(copy.state == "verified" for copy in view_of(window).copies), timeout=LONG)
    copy = next(one for one in view_of(window).copies if one.state == "verified")
    assert copy.result is not None
    predicted = station.picked.prediction.size_bytes
    assert predicted.low <= copy.result.size_bytes <= predicted.high
    with av.open(str(copy.path)) as container:
        assert (container.streams.audio[0].channels, container.format.name.split(",")[0]) == (1, "matroska")
    # Another take: the same settings are offered again, with what they come to there.
    other = write_clip(tmp_path / "b.mkv", programme_frames(25, width=192, height=144, seed=9), rate=25, codec="ffv1", sound_seconds=1.0)
    again = in_balance(window, qtbot, other)
    qtbot.waitUntil(lambda: again.offer.trials is not None and again.job is None and again.offer.last is not None, timeout=LONG)
    last = next(card for card in again.cards if card.choice.title == "As last time")
    assert last.choice.point.prediction.recipe == wanted
    assert last.choice.point.size != predicted.expected
    assert again.offer.by_hand is None


def test_recipes_are_saved_and_opened_and_what_does_not_go_together_is_said(station: BalanceStation, tmp_path: Path) -> None:
    box = opened(station)
    put(box.form.codec, "hevc")
    put(box.form.rate, "average")
    box.form.kbps.setValue(900)
    kept = box.form.recipe
    box.save_file(tmp_path / "own.json")
    put(box.form.codec, "ffv1")
    assert box.form.recipe.container == "mkv"
    assert not box.form.slider.isVisible()
    box.open_file(tmp_path / "own.json")
    assert box.form.recipe == kept
    (tmp_path / "bad.json").write_text("{")
    box.open_file(tmp_path / "bad.json")
    assert box.form.recipe == kept
    put(box.form.rate, "size")
    box.form.target_size.setText("something")
    QTest.keyClick(box.form.target_size, Qt.Key.Key_Return)
    assert box.form.target_size.text() == "700 MB"
    box.form.target_size.setFocus()
    box.form.target_size.setText("20 kB")
    QTest.keyClick(box.form.target_size, Qt.Key.Key_Return)
    assert "is asked for" in box.told.reason or "cannot hold the sound" in box.told.reason
    put(box.form.rate, "quality")
    assert isinstance(box.form.recipe.rate, ConstantQuality)
    box.reject()


def test_sizes_are_said_as_what_a_person_counts_in(
    station: BalanceStation, window: MainWindow, monkeypatch: pytest.MonkeyPatch
) -> None:
    plane, menu = station.plane, station.scale.menu
    asked: list[bool] = []
    plane.scale_wanted.connect(lambda: asked.append(True))
    QTest.mouseClick(plane, LEFT, pos=QPoint(plane.width() // 2, plane.height() - 8))
    plane.setFocus()
    QTest.keyClick(plane, Qt.Key.Key_X)
    assert len(asked) == 2
    menu.close()
    for words, kind, of in (("10 Mb/s", "upload", 10e6), ("4.38 GiB", "share", 4.38 * 2**30), ("wide", "share", 4.38 * 2**30)):
        monkeypatch.setattr(QInputDialog, "getText", lambda *_args, words=words: (words, True))
        menu.actions()[2 if kind == "upload" else 3].trigger()
        assert plane._scale.kind == kind
        assert plane._scale.of == pytest.approx(of)
    assert "cannot be read" in window.state.notices.history[-1].text
    again = ScaleMenu(window.state, BalancePlane())
    assert again._plane._scale.kind == "share", "it is kept for the next time"
    menu.actions()[0].trigger()
    assert plane._scale.kind == "size"
