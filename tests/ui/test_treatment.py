"""The Treatment station: the chain as advised, otherwise, by hand; undone and redone; kept and found again."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QSpinBox
from pytestqt.qtbot import QtBot

from tests.making import Luma, programme_frames, pulled_down, write_clip
from tests.treatment.test_film import VIDEO
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.audio_steps import Channels, Move
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Crop, Film, Size
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.by_hand import KINDS, StepForm
from yomikomi.ui.treatment.station import HandCard, TreatmentStation

_LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    pictures: list[Luma] = programme_frames(50, width=352, height=288, seed=4)
    frames = pulled_down(pictures, (2, 3), FieldOrder.TFF)
    path = tmp_path_factory.mktemp("film") / "film.mkv"
    return write_clip(path, frames, rate=VIDEO, codec="ffv1", options={}, sound_seconds=2.0, sound_channels=2)


@pytest.fixture
def station(window: MainWindow, film: Path) -> TreatmentStation:
    carrier, _ = window.state.record.takes.import_file(film)
    take = window.state.record.carrier(carrier).take
    assert take is not None
    window.state.record.readings.save(take.id, read(ReadRequest(film), SilentReporter()))
    window.state.reload()
    window.show_station("treatment")
    found = window.station("treatment")
    assert isinstance(found, TreatmentStation)
    return found


def _form(station: TreatmentStation, words: str) -> StepForm:
    form = station.ask_by_hand(next(kind for kind in KINDS if kind.words == words))
    assert form is not None
    return form


def _hand_cards(station: TreatmentStation) -> list[HandCard]:
    return station.hand_box.all_of(HandCard)


def test_film_is_recovered_and_steps_are_added_by_hand(window: MainWindow, station: TreatmentStation, qtbot: QtBot) -> None:
    assert station.chosen == Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF),))
    assert station.sentence.text == "Film in video: its pictures can be recovered."
    assert "23.976 fps" in station.result.text()
    qtbot.waitUntil(lambda: station._loop is not None, timeout=30_000)
    assert len(station.player.after._pictures) == 24
    form = _form(station, "Size")
    height = form.fields["height"]
    assert isinstance(height, QSpinBox)
    assert height.value() == 288
    height.setValue(144)
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen is not None
    assert station.chosen.get(Size) == Size(height=144)
    assert "× 144" in station.result.text()
    form = _form(station, "Crop")
    for name in ("top", "bottom"):
        field = form.fields[name]
        assert isinstance(field, QSpinBox)
        field.setValue(150)
    QTest.mouseClick(form.accept_button, _LEFT)
    assert "leaves nothing" in form.trouble.text()
    assert form.isVisible()
    bottom = form.fields["bottom"]
    assert isinstance(bottom, QSpinBox)
    bottom.setValue(8)
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen.get(Crop) == Crop(top=150, bottom=8)
    assert [card.step.step for card in _hand_cards(station)] == ["crop", "size"]
    QTest.mouseClick(_hand_cards(station)[0].remove_button, _LEFT)
    assert station.chosen.get(Crop) is None
    window.do("undo")
    assert station.chosen.get(Crop) == Crop(top=150, bottom=8)
    window.do("redo")
    qtbot.waitUntil(lambda: station._loop is not None, timeout=30_000)
    QTest.mouseClick(station.use_button, _LEFT)
    view = window.state.current
    assert view is not None
    assert view.treatment == Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF), Size(height=144)))
    assert window.current_key == "balance"


def test_sound_is_set_by_hand_and_the_trials_stay(window: MainWindow, station: TreatmentStation) -> None:
    assert station.chosen is not None
    digest = station.chosen.digest
    form = _form(station, "Sync")
    later = form.fields["later_ms"]
    assert isinstance(later, QDoubleSpinBox)
    later.setValue(-120)
    QTest.mouseClick(form.accept_button, _LEFT)
    form = _form(station, "Channels")
    how, track = form.fields["how"], form.fields["track"]
    assert isinstance(how, QComboBox)
    assert isinstance(track, QSpinBox)
    how.setCurrentText("swap")
    track.setValue(0)
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen.sound == (Channels(track=0, how="swap"), Move(later_ms=-120))
    assert station.chosen.digest == digest
    assert "120 ms sooner" in station.result.text()
    form = _form(station, "Sync")
    form.reject()
    assert len(station.chosen.sound) == 2
    window.do("as_suggested")
    assert station.chosen.sound == ()
    assert not _hand_cards(station)


def test_a_loop_that_comes_after_the_window_went_is_dropped(
    window: MainWindow, station: TreatmentStation, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It was put into widgets that were gone: calls know whether the asker is still there where they are given a method of it."""
    qtbot.waitUntil(lambda: station._loop is not None, timeout=30_000)
    asked: list[Any] = []
    monkeypatch.setattr(window.state.calls, "call", lambda _kind, _function, answer, *_: asked.append(answer))
    assert station.chosen is not None
    station.choose(station.chosen.having(Crop(top=8)))
    station._source_key = ()
    station._show_choice()
    assert [answer.func.__self__ for answer in asked] == [station, station]
