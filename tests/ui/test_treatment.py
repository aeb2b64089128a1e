"""The Treatment station: the chain as advised, otherwise, by hand; undone and redone; kept and found again."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QLineEdit, QSpinBox
from pytestqt.qtbot import QtBot

from tests.making import Luma, interlace, programme_frames, pulled_down, sliding_frames, write_clip
from tests.treatment.test_film import VIDEO
from tests.treatment.test_subtitles import with_text
from tests.ui.arriving import arrive
from yomikomi.core.ledger.run_queue import ask_copy
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.aligning import Alignment
from yomikomi.core.treatment.audio_steps import Channels, Gain, Move
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import BurnIn, Crop, CutOut, Deinterlace, Film, Levels, Reframe, Size, Split, Trim
from yomikomi.core.treatment.tables import CubeTable, grid, write_cube
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.by_hand import KINDS, StepForm
from yomikomi.ui.treatment.cards import HandCard, NoteCard
from yomikomi.ui.treatment.player import BESIDE, DIFFERENCE, FIELDS, VECTORS, WAVEFORM, WIPE, difference, field_of, wiped
from yomikomi.ui.treatment.reframe_form import ReframeForm
from yomikomi.ui.treatment.station import TreatmentStation
from yomikomi.ui.treatment.time_strip import TimeStrip

_LEFT = Qt.MouseButton.LeftButton


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    pictures: list[Luma] = programme_frames(50, width=352, height=288, seed=4)
    frames = pulled_down(pictures, (2, 3), FieldOrder.TFF)
    path = tmp_path_factory.mktemp("film") / "film.mkv"
    return write_clip(path, frames, rate=VIDEO, codec="ffv1", options={}, sound_seconds=2.0, sound_channels=2)


@pytest.fixture
def station(window: MainWindow, film: Path) -> TreatmentStation:
    arrive(window, film, read(ReadRequest(film), SilentReporter()))
    found = window.station("treatment")
    assert isinstance(found, TreatmentStation)
    return found


def _form(station: TreatmentStation, words: str) -> StepForm:
    form = station.ask_by_hand(next(kind for kind in KINDS if kind.words == words))
    assert isinstance(form, StepForm)
    return form


def _hand_cards(station: TreatmentStation) -> list[HandCard]:
    return station.hand_box.all_of(HandCard)


def test_film_is_recovered_and_steps_are_added_by_hand(window: MainWindow, station: TreatmentStation, qtbot: QtBot) -> None:
    assert station.chosen == Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF),))
    assert station.sentence.text == "Film in video: its pictures can be recovered."
    assert "23.976 fps" in station.result.text()
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
    assert len(station.looking.player.after._pictures) == 24
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
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
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
    assert track.text() == "all"
    track.setValue(1)
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
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
    asked: list[Any] = []
    monkeypatch.setattr(window.state.calls, "call", lambda _kind, _function, answer, *_: asked.append(answer))
    assert station.chosen is not None
    station.choose(station.chosen.having(Crop(top=8)))
    station.looking.source_key = ()
    station._show_choice()
    assert [answer.func.__self__ for answer in asked] == [station.looking, station.looking]


def test_parts_tables_and_windows_are_set_and_what_they_do_is_measured(
    window: MainWindow, station: TreatmentStation, qtbot: QtBot, tmp_path: Path
) -> None:
    form = _form(station, "Cut out parts")
    assert isinstance(form, StepForm)
    parts = form.fields["parts"]
    assert isinstance(parts, QLineEdit)
    parts.setText("0.5 - x")
    QTest.mouseClick(form.accept_button, _LEFT)
    assert form.trouble.text().startswith("Parts cut out"), form.trouble.text()
    parts.setText("0.5-0.8; 1.0–1.2")
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen is not None
    cut = station.chosen.get(CutOut)
    assert cut is not None
    assert [(part.start, part.end) for part in cut.parts] == [(0.5, 0.8), (1.0, 1.2)]
    table = tmp_path / "t.cube"
    station.files.use_table(table)  # told, not raised
    write_cube(table, CubeTable(grid(5) * 0.5))
    station.files.use_table(table)
    reframe = station.ask_by_hand(next(kind for kind in KINDS if kind.words == "Reframe"))
    assert isinstance(reframe, ReframeForm)
    qtbot.waitUntil(lambda: reframe.view.image is not None, timeout=20_000)
    area = reframe.view.picture_area()
    reframe.shape.setCurrentText("1:1")
    QTest.mouseClick(reframe.view, _LEFT, pos=QPointF(area.left() + 2, area.center().y()).toPoint())
    reframe.place.setValue(2000)
    QTest.mouseClick(reframe.view, _LEFT, pos=QPointF(area.right() - 2, area.center().y()).toPoint())
    QTest.keyClick(reframe.view, Qt.Key.Key_Left)
    reframe.shape.setCurrentText("wide")
    assert not reframe.accept_button.isEnabled()
    reframe.shape.setCurrentText("1:1")
    QTest.mouseClick(reframe.accept_button, _LEFT)
    step = station.chosen.get(Reframe)
    assert step is not None
    assert [round(key.x, 1) for key in step.keys] == [0.0, 0.6], "the keys are where the window can be, or nearer the border"
    measured = [card for card in _hand_cards(station) if card.step.step != "cut out"]
    qtbot.waitUntil(lambda: all(card.effect.isVisibleTo(station) for card in measured), timeout=60_000)
    effects = {card.step.step: card.effect.text() for card in _hand_cards(station)}
    assert effects["reframe"].startswith("82 % of the samples")
    assert "white" in effects["table"]
    assert "× real time" in effects["table"]
    assert "Treating takes" in station.result.text()
    for mode in (WIPE, DIFFERENCE, FIELDS, BESIDE):
        station.looking.mode.setCurrentText(mode)
        station.looking.mode.textActivated.emit(mode)
        assert station.looking.player.mode == mode
        qtbot.wait(60)
    QTest.mouseClick(station.use_button, _LEFT)
    assert window.state.current is not None
    assert window.state.current.treatment == station.chosen


def test_pictures_are_compared_sample_by_sample() -> None:
    one, two = np.full((6, 8, 3), 100, np.uint8), np.full((5, 9, 3), 103, np.uint8)
    assert set(np.unique(difference(one, two))) == {152}
    assert set(np.unique(difference(one, one))) == {128}
    mixed = wiped(one, two, 0.5)
    assert mixed.shape == (5, 8, 3)
    assert mixed[0, :, 0].tolist() == [100] * 4 + [255] + [103] * 3
    rows = np.arange(6, dtype=np.uint8)[:, None, None].repeat(3, axis=2)
    assert field_of(rows, 1)[:, 0, 0].tolist() == [1, 1, 3, 3, 5, 5]


def test_another_take_is_followed_but_for_what_is_its_own(window: MainWindow, station: TreatmentStation, tmp_path: Path) -> None:
    """Interlaced after film: the size goes with it, the cadence, the cut and the gain do not."""
    assert station.chosen is not None
    steps = (Trim(start=0.5), Size(height=144), Crop(top=4))
    for step in (*steps, Gain(db=3), Channels(how="mono")):
        station.choose(station.chosen.having(step))
    QTest.mouseClick(station.use_button, _LEFT)
    fields = interlace(sliding_frames(80, width=352, height=288), FieldOrder.TFF)
    path = write_clip(tmp_path / "fields.mkv", fields, rate=VIDEO, codec="ffv1")
    arrive(window, path, read(ReadRequest(path), SilentReporter()))
    own = station.chosen
    assert own.deinterlace is Deinterlace.DOUBLE
    station._offer_likes()
    action = station.like_button.menu().actions()[0]
    assert action.text().startswith("As last time (")
    action.trigger()
    assert station.chosen.steps == (*own.lacking(Crop()).steps, Crop(top=4), Size(height=144))
    assert station.chosen.sound == (Channels(how="mono"),)


def test_tracks_are_ticked_off_and_trials_stay(window: MainWindow, station: TreatmentStation, qtbot: QtBot) -> None:
    assert station.chosen is not None
    digest = station.chosen.digest
    station.files.ask_tracks()
    qtbot.waitUntil(lambda: station.files.tracks_form is not None, timeout=10_000)
    form = station.files.tracks_form
    assert form is not None
    assert form.ticks[0].text().startswith("Sound 1: 2 channels")
    QTest.mouseClick(form.ticks[0], _LEFT, pos=QPointF(8, form.ticks[0].height() / 2).toPoint())
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen.tracks.without_sound == (0,)
    assert station.chosen.digest == digest
    assert "without sound 1" in station.result.text().lower()
    window.do("undo")
    assert station.chosen.tracks.all


def test_a_separate_sound_is_joined_or_refused(window: MainWindow, station: TreatmentStation, qtbot: QtBot, tmp_path: Path) -> None:
    """The take's own tone is everywhere alike: no place of it can be told from another, and that is said."""
    other = write_clip(tmp_path / "other.mkv", sliding_frames(25, width=64, height=48), sound_seconds=1.0)
    station.files.join_sound(other)
    qtbot.waitUntil(lambda: any("does not match" in one.text for one in window.state.notices.history), timeout=20_000)
    assert station.chosen is not None
    assert station.chosen.joined == ()
    found = Alignment(JoinedSound(file=str(other), content="0" * 64, later_ms=1250, longer_ppm=30), 20, 18, 0.4)
    station.files._take_alignment(found)
    assert station.chosen.joined == (found.joined,)
    card = station.hand_box.all_of(NoteCard)[0]
    QTest.mouseClick(card.remove_button, _LEFT)
    assert station.chosen.joined == ()


def test_a_split_take_makes_a_copy_of_each_part(window: MainWindow, station: TreatmentStation) -> None:
    form = _form(station, "Split into copies")
    at = form.fields["at"]
    assert isinstance(at, QLineEdit)
    at.setText("0.7; 99")
    QTest.mouseClick(form.accept_button, _LEFT)
    QTest.mouseClick(station.use_button, _LEFT)
    view = window.state.current
    assert view is not None
    ask_copy(window.state.record, view, recipe_for("h264", 30), None)
    asked = window.state.record.copies.all()
    assert [copy.path.stem.rpartition("-")[2] for copy in asked] == ["part1", "part2"], "what lies behind the end makes no copy"
    assert [copy.treatment.get(Trim) for copy in asked] == [Trim(start=0, end=0.7), Trim(start=0.7, end=99)]
    assert all(copy.treatment.get(Split) is None for copy in asked)


def _drag(strip: TimeStrip, begin: float, end: float, *, y: int = 30) -> None:
    """From one second of the take to another."""
    one, two = (QPoint(round(strip._x(at)), y) for at in (begin, end))
    QTest.mousePress(strip, _LEFT, pos=one)
    QTest.mouseMove(strip, (one + two) / 2)
    QTest.mouseMove(strip, two)
    QTest.mouseRelease(strip, _LEFT, pos=two)


def test_the_take_is_cut_and_its_parts_are_set_on_the_strip(station: TreatmentStation, qtbot: QtBot) -> None:
    strip, view = station.looking.strip, station._view
    assert view is not None
    assert view.judged is not None
    length, rate = view.judged.duration_seconds, float(VIDEO)
    pixel = length / strip.width()
    _drag(strip, 0.0, 0.5)
    assert station.chosen is not None
    trim = station.chosen.get(Trim)
    assert trim is not None
    assert trim.start == pytest.approx(0.5, abs=2 * pixel + 1 / rate)
    _drag(strip, length, 1.6)
    trim = station.chosen.get(Trim)
    assert trim is not None
    assert trim.end == pytest.approx(1.6, abs=2 * pixel + 1 / rate)
    menu = strip.menu_at(0.9)
    words = {action.text().split("\t")[0]: action for action in menu.actions()}
    words["Cut out from here"].trigger()
    cut = station.chosen.get(CutOut)
    assert cut is not None
    assert cut.parts[0].start == pytest.approx(0.9, abs=1 / rate)
    menu.close()
    menu = strip.menu_at(1.2)
    next(action for action in menu.actions() if action.text() == "From here on: interlaced").trigger()
    film = station.chosen.get(Film)
    assert film is not None
    assert [part.kind for part in film.parts] == ["film", "interlaced"]
    menu.close()
    # By keys: the next handle, a frame later, gone; and all of it undone.
    strip.setFocus()
    QTest.keyClick(strip, Qt.Key.Key_Home)
    for _ in range(9):
        QTest.keyClick(strip, Qt.Key.Key_Period)
        if strip.chosen is not None and strip.chosen.kind == "part":
            break
    border = film.parts[1].start
    QTest.keyClick(strip, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    film = station.chosen.get(Film)
    assert film is not None
    assert film.parts[1].start == pytest.approx(border + 1 / rate, abs=1e-5)
    assert "Border of a part" in strip.accessibleDescription()
    QTest.keyClick(strip, Qt.Key.Key_Delete)
    film = station.chosen.get(Film)
    assert film is not None
    assert [part.kind for part in film.parts] == ["film"]
    while station.undo_button.isEnabled():
        QTest.mouseClick(station.undo_button, _LEFT)
    assert station.chosen == Treatment(steps=(Film(rate="24000/1001", order=FieldOrder.TFF),))
    # A click looks at that second.
    place = QPoint(round(strip._x(1.0)), 30)
    QTest.mouseClick(strip, _LEFT, pos=place)
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
    assert station.looking.source_key[1] == pytest.approx(rate, abs=2 + rate * pixel)


def test_black_and_white_are_set_on_the_waveform(station: TreatmentStation, qtbot: QtBot) -> None:
    looking = station.looking
    qtbot.waitUntil(lambda: looking.loop is not None, timeout=30_000)
    assert len(looking.player.before._scopes) >= 4
    looking.mode.setCurrentText(WAVEFORM)
    looking.mode.textActivated.emit(WAVEFORM)
    view, after = looking.player.before.waveform, looking.player.after.waveform
    assert view.isVisible()
    assert after.points is None
    assert not looking.player.before.view.isVisible()
    x = view.width() // 2
    QTest.mousePress(view, _LEFT, pos=QPoint(x, round(view.y_of(16))))
    QTest.mouseMove(view, QPoint(x, round(view.y_of(40))))
    QTest.mouseRelease(view, _LEFT, pos=QPoint(x, round(view.y_of(40))))
    assert station.chosen is not None
    levels = station.chosen.get(Levels)
    assert levels is not None
    assert levels.black == pytest.approx(40, abs=3)
    assert levels.white == 235
    qtbot.waitUntil(lambda: looking.loop is not None, timeout=30_000)
    assert looking.loop is not None
    # The scope of the result is that of its samples: dark values moved down by what the step says.
    one, two = (np.flatnonzero(side[0].histogram > 1e-4) for side in (looking.player.before._scopes, looking.player.after._scopes))
    moved = 16 + (one[-1] - levels.black) * 219 / (235 - levels.black)
    assert two[-1] == pytest.approx(moved, abs=4)
    view.setFocus()
    QTest.keyClick(view, Qt.Key.Key_W)
    QTest.keyClick(view, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    levels = station.chosen.get(Levels)
    assert levels is not None
    assert levels.white == 225
    looking.mode.textActivated.emit(VECTORS)
    assert looking.player.after.vectors.isVisible()
    looking.mode.textActivated.emit(BESIDE)
    assert looking.player.before.view.isVisible()
    window = station.window()
    assert isinstance(window, MainWindow)
    window.do("undo")
    window.do("undo")
    assert station.chosen.get(Levels) is None
    assert view.points == (16, 235)


def test_subtitles_are_burned_in_by_a_form_that_knows_the_tracks(
    window: MainWindow, station: TreatmentStation, qtbot: QtBot, tmp_path: Path
) -> None:
    station.files.ask_burn_in()
    qtbot.waitUntil(lambda: "no subtitles" in window.notice_bar.text, timeout=5000)
    path, reading = with_text(tmp_path / "t.mkv", [(0.2, 1.0, "Bonjour"), (1.2, 1.8, "灯籠")], seconds=2.0)
    arrive(window, path, reading)
    before = station.chosen
    station.files.ask_burn_in()
    qtbot.waitUntil(lambda: station.files.burn_form is not None, timeout=5000)
    form = station.files.burn_form
    assert form is not None
    assert form.group.buttons()[0].text() == "Subtitles 1: deu, srt"
    form.size_field.setValue(8)
    QTest.mouseClick(form.accept_button, _LEFT)
    qtbot.waitUntil(lambda: "has no letters for 灯 籠" in window.notice_bar.text, timeout=10_000)
    assert station.chosen == before, "what cannot be drawn is not set"
    latin, latin_reading = with_text(tmp_path / "l.mkv", [(0.2, 1.9, "Bonjour")], seconds=2.0)
    arrive(window, latin, latin_reading)
    station.files.burn_form = None
    station.files.ask_burn_in()
    qtbot.waitUntil(lambda: station.files.burn_form is not None, timeout=5000)
    form = station.files.burn_form
    assert form is not None
    QTest.mouseClick(form.accept_button, _LEFT)
    qtbot.waitUntil(lambda: station.chosen is not None and station.chosen.get(BurnIn) == BurnIn(), timeout=10_000)
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
    assert "burned in" in station.result.text()
