"""From a take to its copy by mouse and keyboard: untouched, and to a size."""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path

import av
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.making import interlace, noisy, programme_frames, write_clip
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.standards import FieldOrder
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.window import MainWindow

LONG = 60_000

pytestmark = pytest.mark.usefixtures("by_itself")


def view_of(window: MainWindow) -> CarrierView:
    view = window.state.current
    assert view is not None
    return view


def in_balance(window: MainWindow, qtbot: QtBot, clip: Path, *, outlets: Sequence[str] = (), trials: bool = True) -> BalanceStation:
    """A file brought to the shelf, read, treated as its fields want it, for chosen outlets; ``trials``: they begin by themselves."""
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    known = {view.id for view in window.state.carriers}
    shelf.bringing.bring([clip])
    qtbot.waitUntil(lambda: bool(window.state.carriers) and view_of(window).id not in known, timeout=LONG)
    qtbot.waitUntil(lambda: view_of(window).judged is not None, timeout=LONG)
    reading, take = view_of(window).judged, view_of(window).take
    assert reading is not None
    assert take is not None
    window.state.record.readings.choose_treatment(take.id, fields_treatment(reading))
    window.state.reload()
    station = window.station("balance")
    assert isinstance(station, BalanceStation)
    window.state.starts_by_itself = trials
    if outlets:
        station.needs.outlets_button.choose(list(outlets))
    window.show_station("balance")
    return station


def _payload(path: Path) -> list[bytes]:
    with av.open(str(path)) as container:
        return [bytes(packet) for packet in container.demux() if packet.size]


def test_a_file_that_plays_as_it_is_needs_no_recompression(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """The first answer comes without a trial, and one key makes a copy whose packets are those of the file."""
    clip = write_clip(tmp_path / "holiday.mp4", programme_frames(60, width=176, height=144, seed=5), sound_seconds=2.4)
    station = in_balance(window, qtbot, clip)
    assert station.job is None
    assert station.sentence.text.endswith("copy it without recompression.")
    assert [card.choice.key for card in station.cards] == ["untouched"]
    QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=LONG)
    made = view_of(window).copies[0].path
    assert made.suffix == ".mp4"
    assert _payload(made) == _payload(clip)


def test_a_tape_comes_out_at_the_size_that_was_typed(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """A limit is typed, the card that uses all of it is pressed, and the file is that large: never over it."""
    clip = write_clip(
        tmp_path / "tape.mkv", interlace(programme_frames(100, width=176, height=144, seed=7), FieldOrder.TFF), codec="ffv1",
        rate=25, sound_seconds=2.0,
    )  # fmt: skip
    station = in_balance(window, qtbot, clip)
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=2 * LONG)
    sizes = sorted(p.size for p in station.plane_data["h264"])
    limit = round((sizes[len(sizes) // 2] + sizes[len(sizes) // 2 + 1]) / 2)
    QTest.keyClicks(station.limit_line, f"{limit / 1000:.0f} kB")
    QTest.keyClick(station.limit_line, Qt.Key.Key_Return)
    limit = round(limit / 1000) * 1000
    filling = next((card for card in station.cards if card.choice.key == "fills"), None)
    assert filling is not None, [card.choice.key for card in station.cards]
    QTest.mouseClick(filling, Qt.MouseButton.LeftButton)
    assert station.picked is filling.choice.point
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=2 * LONG)
    size = view_of(window).copies[0].path.stat().st_size
    assert 0.97 * limit <= size <= limit


def test_a_person_finds_where_they_stop_seeing_a_difference(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """By keys, blindly: a viewer who sees what keeps less than a set detail. What is found is kept, drawn and asked for from then on."""
    clip = write_clip(
        tmp_path / "tape.mkv", interlace(programme_frames(60, width=176, height=144, seed=7), FieldOrder.TFF), codec="ffv1", rate=25,
    )  # fmt: skip
    station = in_balance(window, qtbot, clip)
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=2 * LONG)
    station.pick(station.plane_data["h264"][0])
    QTest.mouseClick(station.needs.eyes_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: station.eyes.box is not None, timeout=LONG)
    box = station.eyes.box
    assert box is not None
    levels = sorted(box.test.levels)
    sees_below = (levels[2] + levels[3]) / 2
    guesses = random.Random(5)
    while box.result_found is None:
        a, x, b = (box.wells[name].pictures for name in ("A", "X", "B"))
        level = box.test.levels[box._level]
        same = np.array_equal(a, x) if level < sees_below else guesses.random() < 0.5
        assert np.array_equal(x, a) != np.array_equal(x, b), "X is one of the two"
        QTest.keyClick(box, Qt.Key.Key_A if same else Qt.Key.Key_B)
    found = box.result_found
    assert found is not None
    assert found.seen
    assert found.low - 1 <= sees_below <= found.high + 1
    assert box.sentence.text.startswith("You stop seeing a difference at")
    QTest.mouseClick(box.keep_button, Qt.MouseButton.LeftButton)
    assert not list((window.state.workspace.folder / "trials").glob("blind-*"))
    assert station.needs.wanted.fidelity.least == pytest.approx(found.detail_db, abs=0.01)
    reached = [p for curve in station.plane_data.values() for p in curve if p.fidelity >= found.detail_db]
    if reached:
        smallest = next(card.choice for card in station.cards if card.choice.key == "smallest")
        assert smallest.point.fidelity >= found.detail_db - 0.01


def test_noise_is_taken_out_only_when_a_person_says_so(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """The card beside the plane says what it saves; picked, the filled button changes the treatment and tries anew: nothing goes to the
    run by it."""
    pictures = noisy(programme_frames(40, width=192, height=144, seed=3), 6.0)
    station = in_balance(window, qtbot, write_clip(tmp_path / "tape.mkv", pictures, rate=25, codec="ffv1"))
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert station.picked is not None
    assert station.picked.prediction.noise_taken_out is None, "nothing is picked that nobody asked for"
    assert station.send_button.text() == "Add to the run"
    card = next(one for one in station.cards if one.choice.key == "without noise")
    QTest.mouseClick(card, Qt.MouseButton.LeftButton)
    assert station.picked is card.choice.point or station.picked == card.choice.point
    assert station.send_button.text() == "Take the noise out"
    assert "with the noise taken out" in station.sentence.text
    before = view_of(window).treatment
    assert before is not None
    QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: view_of(window).treatment not in {None, before}, timeout=LONG)
    treatment = view_of(window).treatment
    assert treatment is not None
    assert [step.step for step in treatment.steps if step not in before.steps] == ["denoise"]
    qtbot.waitUntil(lambda: station.job is not None, timeout=LONG)
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert station.offer.trials is not None
    assert station.offer.trials.treatment == treatment
    assert "without noise" not in [one.choice.key for one in station.cards]
    assert station.send_button.text() == "Add to the run"
    assert not view_of(window).copies
