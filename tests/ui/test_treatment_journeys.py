"""From a source to a verified copy through the Treatment station, by mouse and keys; tracks, chapters, shape and pictures are read back
from the copy's own bytes."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QDoubleSpinBox, QMenu
from pytestqt.qtbot import QtBot

from tests.making import programme_frames, write_clip
from tests.treatment.test_drift_and_channels import wide_range_clip
from tests.treatment.test_joined import heard, lag, room, write_sound
from tests.ui.arriving import arrive
from yomikomi.core.ledger.run_queue import ask_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.steps import Film, Reframe, Trim
from yomikomi.core.treatment.tracks import Tracks
from yomikomi.core.video.planes import luma
from yomikomi.core.work import SilentReporter
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.by_hand import StepForm
from yomikomi.ui.treatment.reframe_form import ReframeForm
from yomikomi.ui.treatment.station import TreatmentStation

pytestmark = pytest.mark.journey
_LEFT = Qt.MouseButton.LeftButton
QUICK = recipe_for("h264", 18, speed="ultrafast")
LONG = 60_000


def _arrived(window: MainWindow, path: Path) -> tuple[TreatmentStation, Reading]:
    """Taken in, read, and in Treatment."""
    reading = read(ReadRequest(path), SilentReporter())
    arrive(window, path, reading)
    station = window.station("treatment")
    assert isinstance(station, TreatmentStation)
    return station, reading


def _take_way(station: TreatmentStation, title: str, begins: str) -> None:
    """By keys, on the card of a step: down to the way whose words begin so."""
    card = next(card for card in station.cards if card.advice.title == title)
    card.ways.setFocus()
    QTest.keyClick(card.ways, Qt.Key.Key_Home)
    for _ in range(card.ways.count()):
        if card.ways.currentText().startswith(begins):
            break
        QTest.keyClick(card.ways, Qt.Key.Key_Down)
    assert card.ways.currentText().startswith(begins)
    if card.ways.currentIndex() == 0:  # what is there already is taken by going there and back
        QTest.keyClick(card.ways, Qt.Key.Key_Down)
        QTest.keyClick(card.ways, Qt.Key.Key_Home)


def _from_menu(menu: QMenu, words: str) -> None:
    next(action for action in menu.actions() if action.text() == words).trigger()


def _copied(window: MainWindow, station: TreatmentStation, recipe: Recipe, qtbot: QtBot) -> Path:
    """The treatment is used, a copy asked for and made; where it is, once it is proven."""
    QTest.mouseClick(station.use_button, _LEFT)
    assert window.current_key == "balance"
    view = window.state.current
    assert view is not None
    number = ask_copy(window.state.record, view, recipe, None)
    window.state.reload()
    window.show_station("run")
    qtbot.waitUntil(lambda: _state(window, number) not in {"waiting", "running"}, timeout=LONG)
    assert _state(window, number) == "verified", next(one for one in window.state.record.copies.all() if one.id == number)
    window.show_station("treatment")
    return next(one.path for one in window.state.record.copies.all() if one.id == number)


def _state(window: MainWindow, number: int) -> str:
    return next(one.state for one in window.state.record.copies.all() if one.id == number)


def test_a_disc_with_film_in_sixteen_to_nine_two_tracks_and_subtitles(
    window: MainWindow, qtbot: QtBot, lessons_title: Path, tmp_path: Path
) -> None:
    title = tmp_path / "t.mkv"
    title.symlink_to(lessons_title)
    station, reading = _arrived(window, title)
    assert reading.scan.kind == "film_2_3"
    matroska = QUICK.model_copy(update={"container": "mkv", "sound_codec": "opus"})
    whole = _copied(window, station, matroska, qtbot)
    # What MP4 will not hold is said before, and what Matroska holds is not spoken of.
    window.show_station("balance")
    balance = window.station("balance")
    assert isinstance(balance, BalanceStation)
    qtbot.waitUntil(lambda: "MP4 does not take them; they can be burned in" in balance.left_out.text(), timeout=5000)
    assert balance.left_out.isVisible()
    QTest.keyClick(balance.container, Qt.Key.Key_Down)
    qtbot.waitUntil(lambda: not balance.left_out.isVisible(), timeout=5000)
    window.show_station("treatment")
    _from_menu(station.add_button.menu(), "Tracks…")
    qtbot.waitUntil(lambda: station.files.tracks_form is not None, timeout=LONG)
    form = station.files.tracks_form
    assert form is not None
    for tick in form.ticks:
        if tick.text().startswith(("Sound 1", "Subtitles 1")) or "chapter" in tick.text():
            QTest.keyClick(tick, Qt.Key.Key_Space)
    QTest.mouseClick(form.accept_button, _LEFT)
    assert station.chosen is not None
    assert isinstance(station.chosen.get(Film), Film)
    assert station.chosen.tracks == Tracks(without_sound=(0,), without_subtitles=(0,), chapters=False)
    part = _copied(window, station, matroska, qtbot)
    for target, sounds, subtitles in ((whole, 2, 1), (part, 1, 0)):
        with av.open(str(title)) as source, av.open(str(target)) as copy:
            video = copy.streams.video[0]
            assert video.average_rate == pytest.approx(Fraction(24000, 1001), rel=1e-4)
            shape = Fraction(video.width, video.height) * Fraction(video.sample_aspect_ratio or 1)
            assert float(shape) == pytest.approx(16 / 9, rel=0.01)
            languages = [stream.language for stream in source.streams.audio]
            assert [stream.language for stream in copy.streams.audio] == (languages if sounds == 2 else languages[1:])
            assert len(copy.streams.subtitles) == subtitles
            assert bool(copy.chapters()) is (sounds == 2 and bool(source.chapters()))


def test_a_tape_with_a_black_head_and_a_stray_tail(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """What the reading offers is taken; the copy begins and ends with the programme, to the frame."""
    black = [np.full((144, 176), 16, np.uint8)] * 75
    programme = programme_frames(150, width=176, height=144, seed=6)
    stray = programme_frames(20, width=176, height=144, seed=9)
    pictures_in = [*black, *programme, *black, *stray]
    path = write_clip(tmp_path / "b.mkv", pictures_in, rate=25, sound_seconds=12.8, sound_channels=2, silence=(9.0, 12.0))
    station, _ = _arrived(window, path)
    _take_way(station, "In and out", "From ")
    assert station.chosen is not None
    assert station.chosen.get(Trim) is not None
    _from_menu(station.add_button.menu(), "Gain…")
    form = next(one for one in station.findChildren(StepForm) if one.isVisible())
    gain = form.fields["db"]
    assert isinstance(gain, QDoubleSpinBox)
    gain.setValue(-3)
    QTest.mouseClick(form.accept_button, _LEFT)
    target = _copied(window, station, QUICK, qtbot)
    with av.open(str(target)) as container:
        pictures = [luma(frame).astype(float) for frame in container.decode(video=0)]
    assert len(pictures) == 150
    for shown, true in ((pictures[0], programme[0]), (pictures[-1], programme[-1])):
        assert np.abs(shown - true).mean() < 6
    with av.open(str(target)) as container:
        sound = sum(block.samples for block in container.decode(audio=0))
    assert sound / 48_000 == pytest.approx(6.0, abs=0.05)


def test_a_wide_range_camera_goes_to_three_shapes(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    station, reading = _arrived(window, wide_range_clip(tmp_path / "w.mp4")[0])
    assert (reading.colour.transfer, reading.bit_depth) == (16, 10)
    _take_way(station, "PQ and HLG", "To BT.709")
    for shape, size in (("1:1", (216, 216)), ("9:16", (120, 216)), ("16:9", (324, 182))):
        _from_menu(station.add_button.menu(), "Reframe…")
        form = next(one for one in station.findChildren(ReframeForm) if one.isVisible())
        qtbot.waitUntil(lambda form=form: form.view.image is not None, timeout=LONG)  # type: ignore[misc]
        form.shape.setFocus()
        form.shape.lineEdit().selectAll()
        QTest.keyClicks(form.shape.lineEdit(), shape)
        area = form.view.picture_area()
        QTest.mouseClick(form.view, _LEFT, pos=area.center().toPoint())
        QTest.mouseClick(form.accept_button, _LEFT)
        assert station.chosen is not None
        frame = station.chosen.get(Reframe)
        assert frame is not None
        assert frame.shape == shape
        with av.open(str(_copied(window, station, QUICK, qtbot))) as container:
            stream = container.streams.video[0]
            assert (stream.width, stream.height) == size
            context = stream.codec_context
            assert (int(context.color_primaries), int(context.color_trc), int(context.colorspace)) == (1, 1, 1)
            assert context.pix_fmt == "yuv420p"


def test_a_tape_with_separately_recorded_sound(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    seconds = 24
    space = room(seconds + 12)
    path = write_sound(tmp_path / "take.mkv", heard(space, begins=6, seconds=seconds, low=True), pictures=True)
    other = write_sound(tmp_path / "recorder.wav", heard(space, begins=2, seconds=seconds + 6, ppm=180.0, seed=2), pictures=False)
    station, _ = _arrived(window, path)
    station.files.join_sound(other)
    qtbot.waitUntil(lambda: station.chosen is not None and bool(station.chosen.joined), timeout=LONG)
    target = _copied(window, station, QUICK, qtbot)
    with av.open(str(target)) as container:
        assert len(container.streams.audio) == 2
        sound = np.concatenate([block.to_ndarray()[0] for block in container.decode(container.streams.audio[1])])
    true = heard(space, begins=6, seconds=seconds, noise=0)
    for at in (0.5, seconds / 2, seconds - 4):
        some = slice(round(at * 48_000), round((at + 3) * 48_000))
        assert lag(sound[some], true[some]) < 0.0015
