"""Copies compared moving, with sound: what is shown is what was picked, of the part that was asked for, and nothing is left behind."""

from __future__ import annotations

import os
from pathlib import Path

import av
import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QInputDialog
from pytestqt.qtbot import QtBot

from tests.making import decode_luma
from tests.ui.test_balance_journeys import LONG, view_of
from tests.ui.test_balance_settings import station  # noqa: F401 (a fixture)
from yomikomi.core.copying.stretches import STRETCH_S, only, stretch_at
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Fade, Size, Trim
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import luma
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.playing.window import PlayerWindow
from yomikomi.ui.shell.window import MainWindow

LEFT = Qt.MouseButton.LeftButton

pytestmark = pytest.mark.usefixtures("by_itself")


def test_copies_are_watched_side_by_side_divided_and_by_turns(
    station: BalanceStation, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    asked: list[float] = []

    def at(middle: float, length: float) -> tuple[float, float]:
        asked.append(middle)
        return stretch_at(middle, length)

    monkeypatch.setattr("yomikomi.ui.balance.comparing.stretch_at", at)
    curve = station.plane_data["h264"]
    best, small = curve[0], curve[-1]
    QTest.mouseClick(station.plane, LEFT, pos=station.plane.place_of(small).toPoint())
    assert station.picked is not None
    assert station.picked.prediction.recipe == small.prediction.recipe
    QTest.mouseClick(station.plane, LEFT, Qt.KeyboardModifier.ControlModifier, station.plane.place_of(best).toPoint())
    assert station.picked.prediction.recipe == small.prediction.recipe, "marking picks nothing"
    station.comparing.button.menu().actions()[0].trigger()
    trials = station.offer.trials
    assert trials is not None
    assert asked == [pytest.approx((trials.hardest.first_frame + trials.hardest.frames / 2) / 25)], "of the hardest part"
    qtbot.waitUntil(lambda: bool(station.comparing.windows), timeout=LONG)
    (folder, shown), = station.comparing.windows.items()
    assert isinstance(shown, PlayerWindow)
    qtbot.waitUntil(lambda: shown.deck is not None and all(pane.view.image is not None for pane in shown.panes), timeout=LONG)
    assert shown._named[0] == "treated take"
    # The first is the treated take sample for sample, the others what was picked and marked.
    carrier = view_of(window)
    assert carrier.take is not None
    assert carrier.judged is not None
    assert carrier.treatment is not None
    wanted = [luma(frame) for frame in TreatedFrames(carrier.take.path, carrier.judged, carrier.treatment)]
    files = sorted(folder.iterdir())
    assert [file.name[0] for file in files] == ["0", "1", "2"]
    source, one, two = (decode_luma(file) for file in files)
    assert all(np.array_equal(a, b) for a, b in zip(source, wanted, strict=True))
    errors = [float(np.mean([(a.astype(int) - b) ** 2 for a, b in zip(copy, wanted, strict=True)])) for copy in (one, two)]
    assert errors[0] > errors[1] > 0
    with av.open(str(files[1])) as container:
        assert len(container.streams.audio) == 1
    # Divided: the line follows the mouse; the next key takes the other copy, then all are there again.
    QTest.keyClick(shown, Qt.Key.Key_W)
    assert [pane.isVisible() for pane in shown.panes] == [True, False, False]
    area = shown.panes[0].view.picture_area()
    for part in (0.25, 0.75):
        place = QPointF(area.left() + part * area.width(), area.center().y())
        none, view = Qt.MouseButton.NoButton, shown.panes[0].view
        keys = Qt.KeyboardModifier.NoModifier
        QApplication.sendEvent(view, QMouseEvent(QEvent.Type.MouseMove, place, view.mapToGlobal(place), none, none, keys))
        assert abs(shown.panes[0].view._wipe_at - part) < 0.02
    QTest.keyClick(shown, Qt.Key.Key_W)
    QTest.keyClick(shown, Qt.Key.Key_W)
    assert all(pane.isVisible() for pane in shown.panes)
    for visible in ([True, False, False], [False, True, False], [False, False, True], [True, False, False]):
        QTest.keyClick(shown, Qt.Key.Key_B)
        assert [pane.isVisible() for pane in shown.panes] == visible
    QTest.keyClick(shown, Qt.Key.Key_B, Qt.KeyboardModifier.ShiftModifier)
    QTest.keyClick(shown, Qt.Key.Key_P)
    qtbot.waitUntil(lambda: shown.panes[0].view.image is not None, timeout=LONG)
    QTest.mouseClick(shown.play_button, LEFT)
    qtbot.waitUntil(lambda: shown.deck is not None and shown.deck.position > 0.4, timeout=LONG)
    shown.close()
    qtbot.waitUntil(lambda: not station.comparing.windows, timeout=5000)
    assert not folder.exists()


def test_a_time_is_typed_and_what_cannot_be_made_leaves_nothing(
    station: BalanceStation, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch  # noqa: F811
) -> None:  # fmt: skip
    trials = window.state.workspace.folder / "trials"
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args: ("soon", True))
    station.comparing.ask_when()
    assert station.comparing.job is None
    assert "is no time" in window.state.notices.history[-1].text
    view = view_of(window)
    assert view.take is not None
    old = trials / "compare-0123"  # of a program that was ended
    old.mkdir()
    os.truncate(view.take.path, 4000)
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args: ("0:00:01", True))
    station.comparing.ask_when()
    qtbot.waitUntil(lambda: station.comparing.job is None, timeout=LONG)
    assert not station.comparing.windows
    assert not list(trials.glob("compare-*"))
    assert station.comparing.button.isEnabled()


def test_the_stretch_lies_in_the_take_and_takes_all_of_a_short_one(tmp_path: Path) -> None:
    assert stretch_at(100.0, 3600.0) == (100.0 - STRETCH_S / 2, STRETCH_S)
    assert stretch_at(1.0, 3600.0) == (0.0, STRETCH_S)
    assert stretch_at(3600.0, 3600.0) == (3600.0 - STRETCH_S, STRETCH_S)
    assert stretch_at(3.0, 4.0) == (0.0, 4.0)
    whole = Treatment(steps=(Trim(start=3, end=9), CutOut.model_validate({"parts": [{"start": 4, "end": 5}]}), Fade(), Size(height=240)))
    part = only(whole, 20.0, 15.0)
    assert part.get(Trim) == Trim(start=20.0, end=35.0)
    assert part.get(CutOut) is None
    assert part.get(Size) == Size(height=240)
