"""Each station by itself: what it says when there is nothing, bad input, limits, overruling, stopping, and the keys."""

from __future__ import annotations

import math
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from platformdirs import user_config_path
from PySide6.QtCore import QEvent, QPoint, QPointF, Qt
from PySide6.QtGui import QImage, QMouseEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QMessageBox, QPushButton, QToolButton
from pytestqt.qtbot import QtBot

from tests.making import sliding_frames, write_clip
from tests.ui.conftest import Opener
from yomikomi.core.balance.models import Detail, Estimate, TrialPoint, TrialSet, TriedSegment
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import Take, TrialRow
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Fields
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import JobState, Reporter
from yomikomi.core.work.notices import Weight
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.app import MAKERS
from yomikomi.ui.balance.requirements import Requirements
from yomikomi.ui.balance.station import BalanceStation
from yomikomi.ui.capture.station import CaptureStation
from yomikomi.ui.kept import read_kept
from yomikomi.ui.ledger.station import LedgerStation
from yomikomi.ui.reading.station import ReadingStation
from yomikomi.ui.run.station import RunStation
from yomikomi.ui.shelf.model import length_words, state_of
from yomikomi.ui.shelf.station import ShelfStation
from yomikomi.ui.shell.goto import all_targets, match
from yomikomi.ui.shell.page import StationPage
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.treatment.station import TreatmentStation
from yomikomi.ui.widgets.basics import ElidedLabel
from yomikomi.ui.widgets.meters import LevelMeter
from yomikomi.ui.widgets.pictures import PictureView, image_from_rgb

TAPE = TapePlayerSpec(seed=2, mixture="still")


def put_carrier(record: Record, label: str = "K-001", spec: TapePlayerSpec = TAPE) -> int:
    return record.shelf.add(label=label, title="Lantern parade", kind="vhs", standard="525i", nominal_seconds=7080, source=spec.to_json())


def put_take(record: Record, tape: Path, reading: Reading) -> int:
    """A carrier that has been captured and read: its take is a link to the shared tape."""
    carrier = put_carrier(record)
    take, path = record.takes.begin(carrier)
    path.symlink_to(tape)
    record.takes.end(take, CaptureResult(path, 90, 3.003, 0, 0, tape.stat().st_size))
    record.readings.save(take, reading)
    return take


def trial_set(limit: float = 1e6) -> TrialSet:
    def point(codec: str, quality: int, size: float, db: float) -> TrialPoint:
        return TrialPoint(
            recipe=recipe_for(codec, quality, speed="medium" if codec != "av1" else "6"), ssim_db=db / 2, psnr_db=30, tried_frames=90,
            detail=Detail(television=db, desk=db - 2, phone=db + 1, noise_kept=0.5),
            size_bytes=Estimate(expected=size, low=size * 0.97, high=size * 1.03), encode_seconds=Estimate(expected=9, low=6, high=13),
        )  # fmt: skip

    points = [point("h264", q, 4 * limit * 0.8 ** (q - 17), 50 - (q - 17)) for q in (17, 20, 24, 29)]
    points += [point("av1", q, 2 * limit * 0.93 ** (q - 16), 49 - 0.4 * (q - 16)) for q in (16, 28, 36, 48)]
    return TrialSet(
        deinterlace="double", field_order="tff", rate="60000/1001", frames=180, duration_seconds=3.003, sound_bytes=30_000,
        segments=[TriedSegment(first_frame=0, frames=90, role="whole")], whole=True, points=points, trial_seconds=9,
    )  # fmt: skip


@pytest.fixture
def read_window(window: MainWindow, tape: Path, tape_reading: Reading) -> MainWindow:
    put_take(window.state.record, tape, tape_reading)
    window.state.reload()
    return window


@pytest.fixture
def balanced(read_window: MainWindow) -> tuple[MainWindow, BalanceStation]:
    view = read_window.state.current
    assert view is not None
    assert view.take is not None
    read_window.state.record.readings.choose_treatment(view.take.id, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    read_window.state.record.trials.save(view.take.id, trial_set(), read_window.state.workspace.folder / "trials")
    read_window.state.reload()
    read_window.show_station("balance")
    station = read_window.station("balance")
    assert isinstance(station, BalanceStation)
    return read_window, station


def test_an_empty_station_says_what_to_do(window: MainWindow) -> None:
    for entry in STATIONS:
        QTest.keySequence(window, f"Ctrl+{entry.number}")
        assert window.current_key == entry.key
        assert window.station(entry.key).sentence.text
        if entry.key != "shelf":
            window.station(entry.key).primary()  # does no harm
    assert window.state.record.carriers() == []


def test_every_station_has_a_maker_and_every_button_a_name(window: MainWindow) -> None:
    assert set(MAKERS) == {entry.key for entry in STATIONS}
    for entry in STATIONS:
        station = window.station(entry.key)
        for made in station.findChildren(QPushButton):
            assert made.text() or made.accessibleName()
        filled = [made for made in station.findChildren(QPushButton) if made.property("primary")]
        assert len(filled) == 1, f"{entry.key} has {len(filled)} filled buttons"
    for tool in window.findChildren(QToolButton):
        assert tool.toolTip() or tool.text()


def test_keys_are_unique() -> None:
    keys = [f"Ctrl+{s.number}" for s in STATIONS] + [a.shortcut for a in ACTIONS]
    assert len(keys) == len(set(keys))


def test_going_by_name(window: MainWindow, qtbot: QtBot) -> None:
    first = put_carrier(window.state.record)
    second = put_carrier(window.state.record, "K-002")
    window.state.reload()
    assert window.state.current is not None
    assert window.state.current.id == first
    QTest.keySequence(window, "Ctrl+K")
    box = next(w for w in QApplication.topLevelWidgets() if type(w).__name__ == "GoToBox" and w.isVisible())
    QTest.keyClicks(box.line, "k-002")
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert window.state.current.id == second
    box = window.open_goto()
    QTest.keyClicks(box.line, "ledg")
    QTest.keyClick(box.line, Qt.Key.Key_Down)
    QTest.keyClick(box.line, Qt.Key.Key_Up)
    QTest.keyClick(box.line, Qt.Key.Key_Return)
    assert window.current_key == "ledger"
    assert [t.key for t in match(all_targets(window.state), "import files")] == ["import"]
    assert match(all_targets(window.state), "xyzzy") == []
    QTest.keySequence(window, "F1")
    keys = next(w for w in QApplication.topLevelWidgets() if w.windowTitle() == "Shortcuts" and w.isVisible())
    keys.close()


def test_bad_files_get_a_clear_word_and_no_carrier(window: MainWindow, qtbot: QtBot, tmp_path: Path, tape: Path) -> None:
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    empty, letters, cut = tmp_path / "empty.mkv", tmp_path / "letters.mp4", tmp_path / "cut.mkv"
    empty.touch()
    letters.write_text("letters")
    cut.write_bytes(tape.read_bytes()[: tape.stat().st_size // 2])
    for path, words in ((empty, "0 bytes"), (letters, "not footage"), (tmp_path / "gone.mkv", "no file")):
        shelf.import_files([path])
        qtbot.waitUntil(lambda w=words: w in window.notice_bar.text, timeout=5000)
    assert window.state.carriers == []
    shelf.import_files([cut])
    qtbot.waitUntil(lambda: "was added, but it is cut off" in window.notice_bar.text, timeout=5000)
    assert [view.title for view in window.state.carriers] == ["cut"]
    assert state_of(window.state.carriers[0])[0] == "check"


def test_intake_offers_free_labels_and_refuses_taken_ones(window: MainWindow) -> None:
    shelf = window.station("shelf")
    assert isinstance(shelf, ShelfStation)
    assert shelf.form.label_line.text() == "K-001"
    put_carrier(window.state.record)  # somebody else took it
    window.state.reload()
    assert shelf.form.label_line.text() == "K-002"
    shelf.form.label_line.setText("K-001")
    shelf.form.submit()
    assert "already" in window.notice_bar.text
    assert len(window.state.carriers) == 1
    view = window.state.carriers[0]
    assert (length_words(view), state_of(view)[1]) == ("1:58:00", "path to be planned")
    assert not shelf.form.condition.caution.text()
    shelf.form.condition.box("mould").setChecked(True)
    assert "mould" in shelf.form.condition.caution.text()
    assert "law differs" in shelf.form.rights_words.text()


def test_a_crash_of_the_recording_worker_is_mended_at_once(window: MainWindow, qtbot: QtBot) -> None:
    put_carrier(window.state.record)
    window.state.reload()
    window.show_station("capture")
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    window.do("record")
    qtbot.waitUntil(lambda: "0:00:02" in station.bar.state.text(), timeout=20_000)
    assert station.passing.job is not None
    os.kill(station.passing.job.pid or 0, signal.SIGKILL)
    qtbot.waitUntil(lambda: window.state.current is not None and window.state.current.take is not None
                    and window.state.current.take.state == "mended", timeout=20_000)  # fmt: skip
    assert not station.recording
    assert "of it is safe" in window.notice_bar.text
    history = " ".join(notice.text for notice in window.state.notices.history)
    assert "ended unexpectedly" in history
    assert station.start_button.text() == "New take"


def test_a_program_killed_while_recording_mends_at_the_next_start(open_window: Opener, qtbot: QtBot, tmp_path: Path) -> None:
    folder = tmp_path / "archive"
    script = (
        "import sys, time; from pathlib import Path\n"
        "from yomikomi.core.capture.session import CaptureRequest, capture\n"
        "from yomikomi.core.ledger.record import Record; from yomikomi.core.ledger.workspace import Workspace\n"
        "from yomikomi.core.work import SilentReporter; from yomikomi.sim.player import TapePlayerSpec\n"
        "record = Record(Workspace(Path(sys.argv[1]))); spec = TapePlayerSpec(seed=2, mixture='still')\n"
        "take, path = record.takes.begin(record.shelf.add(label='K-001', title='x', kind='vhs', source=spec.to_json()))\n"
        "print('ready', flush=True); capture(CaptureRequest(spec, path), SilentReporter())"
    )
    program = subprocess.Popen([sys.executable, "-c", script, str(folder)], stdout=subprocess.PIPE, text=True)
    assert program.stdout is not None
    assert program.stdout.readline() == "ready\n"
    takes = folder / "takes"
    until = time.monotonic() + 20
    while sum(path.stat().st_size for path in takes.iterdir()) < 5_000_000:
        assert time.monotonic() < until
        time.sleep(0.05)
    program.kill()
    program.wait()
    program.stdout.close()
    window = open_window(folder)  # the lock went with the process
    qtbot.waitUntil(lambda: "of it is safe" in window.notice_bar.text, timeout=20_000)
    assert window.state.current is not None
    assert window.state.current.take is not None
    assert window.state.current.take.state == "mended"


def test_looking_stops_when_leaving(window: MainWindow, qtbot: QtBot) -> None:
    put_carrier(window.state.record)
    window.state.reload()
    window.show_station("capture")
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    station.look()
    qtbot.waitUntil(lambda: station.picture.image is not None, timeout=20_000)
    assert not station.recording
    assert station.look_button.text() == "Stop preview"
    window.show_station("shelf")
    qtbot.waitUntil(lambda: not window.state.jobs.jobs, timeout=5000)
    assert list((window.state.workspace.folder / "takes").iterdir()) == []


def test_closing_asks_while_recording_and_then_ends_in_order(window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    put_carrier(window.state.record)
    window.state.reload()
    window.show_station("capture")
    station = window.station("capture")
    assert isinstance(station, CaptureStation)
    window.do("record")
    qtbot.waitUntil(lambda: "0:00:01" in station.bar.state.text(), timeout=20_000)
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.No)
    assert not window.close()
    assert station.recording
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Yes)
    assert window.close()
    view = window.state.record.carriers()[0]
    assert view.take is not None
    assert view.take.state == "whole"
    assert view.take.seconds is not None
    assert view.take.seconds >= 1


def test_a_verdict_is_overruled_with_a_reason(read_window: MainWindow) -> None:
    read_window.show_station("reading")
    station = read_window.station("reading")
    assert isinstance(station, ReadingStation)
    assert "bottom field first" in station.sentence.text
    dialog = station.overrule()
    assert dialog is not None
    dialog.choose("interlaced tff")
    QTest.keyClicks(dialog.reason, "seen on the monitor")
    QTest.mouseClick(dialog.accept_button, Qt.MouseButton.LeftButton)
    assert station.sentence.text == "Interlaced, top field first (set by you), 29.97 fps."
    view = read_window.state.current
    assert view is not None
    assert view.overrulings[0].reason == "seen on the monitor"
    treatment = read_window.station("treatment")
    assert isinstance(treatment, TreatmentStation)
    read_window.show_station("treatment")
    assert treatment.chosen is not None
    assert treatment.chosen.get(Fields) == Fields(mode=Deinterlace.DOUBLE, order=FieldOrder.TFF)
    dialog = station.overrule()
    assert dialog is not None
    dialog.reject()
    assert len(read_window.state.record.carriers()[0].overrulings) == 1


def test_any_verdict_can_be_overruled(read_window: MainWindow) -> None:
    read_window.show_station("reading")
    station = read_window.station("reading")
    assert isinstance(station, ReadingStation)
    for topic, now in (("shape", "16:9"), ("rate", "25/1"), ("sound", "as meant"), ("file", "as meant")):
        card = next(card for card in station.cards if card.finding.topic == topic)
        QTest.keyClick(card, Qt.Key.Key_Return)
        dialog = station.overrule()
        assert dialog is not None
        assert dialog.topic == topic
        dialog.choose(now)
        dialog.accept()
        card = next(card for card in station.cards if card.finding.topic == topic)
        assert card.finding.certainty == "set by you"
        assert card.property("chosen")
    view = read_window.state.current
    assert view is not None
    assert view.judged is not None
    assert (view.judged.geometry.shape, view.judged.geometry.sample_aspect) == ("16:9", "32/27")
    assert view.judged.rate.nominal == "25/1"
    assert view.reading is not None
    assert (view.reading.geometry.shape, view.reading.rate.nominal) == ("4:3", "30000/1001")
    assert [one.topic for one in view.overrulings] == ["shape", "rate", "sound", "file"]


def test_frames_are_stepped_by_keyboard_and_shown_at_their_shape(read_window: MainWindow, qtbot: QtBot) -> None:
    read_window.show_station("reading")
    station = read_window.station("reading")
    assert isinstance(station, ReadingStation)
    station.strips.choose(10)
    plain, shift = Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.ShiftModifier
    for key, held, meant in (
        (Qt.Key.Key_Right, plain, 11), (Qt.Key.Key_Left, plain, 10), (Qt.Key.Key_Right, shift, 40), (Qt.Key.Key_Left, shift, 10),
        (Qt.Key.Key_PageDown, plain, 89), (Qt.Key.Key_Home, plain, 0), (Qt.Key.Key_End, plain, 89), (Qt.Key.Key_PageUp, plain, 8),
    ):  # fmt: skip
        QTest.keyClick(station.strips, key, held)
        assert station.strips.frame == meant
    station.strips.choose(10)
    qtbot.waitUntil(lambda: "frame 10" in station.viewer._place.text(), timeout=5000)
    area = station.viewer.whole.picture_area()
    assert area.width() / area.height() == pytest.approx(15 / 11, abs=0.01)
    station.strips.choose(10_000)
    assert station.strips.frame == 89


def test_reading_can_be_stopped_and_a_vanished_take_is_told(read_window: MainWindow, qtbot: QtBot) -> None:
    read_window.show_station("reading")
    station = read_window.station("reading")
    assert isinstance(station, ReadingStation)
    window = read_window
    window.do("read")
    assert station.job is not None
    qtbot.waitUntil(lambda: station.job is not None and station.job.progress is not None, timeout=20_000)
    began = time.monotonic()
    window.strip._doing._stop.click()
    qtbot.waitUntil(lambda: station.job is None, timeout=3000)
    assert time.monotonic() - began < 2
    assert "stopped" in window.notice_bar.text
    assert window.state.current is not None
    assert window.state.current.reading is not None  # the earlier reading stays
    assert window.state.current.take is not None
    window.state.current.take.path.unlink()
    window.do("read")
    qtbot.waitUntil(lambda: "no file" in window.notice_bar.text, timeout=20_000)


def test_the_loop_is_held_stepped_and_compared(read_window: MainWindow, qtbot: QtBot) -> None:
    read_window.show_station("treatment")
    station = read_window.station("treatment")
    assert isinstance(station, TreatmentStation)
    qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
    read_window.do("play")
    assert station.looking.player.held
    assert station.looking.play_button.text() == "Play"
    shown = station.looking.player.after._shown
    QTest.mouseClick(station.looking.on_button, Qt.MouseButton.LeftButton)
    count = len(station.looking.player.after._pictures)
    assert station.looking.player.after._shown == (shown + 1) % count  # it may be held at its last picture
    QTest.mouseClick(station.looking.back_button, Qt.MouseButton.LeftButton)
    assert station.looking.player.after._shown == shown
    assert station.looking.loop is not None
    fields = next(card for card in station.cards if card.advice.key == "fields")
    for number, way in enumerate(fields.advice.ways):
        fields.ways.setCurrentIndex(number)
        fields.ways.activated.emit(number)
        assert station.chosen is not None
        assert station.chosen.get(Fields) == way.step
        qtbot.waitUntil(lambda: station.looking.loop is not None, timeout=30_000)
        double = isinstance(way.step, Fields) and way.step.mode is Deinterlace.DOUBLE
        assert len(station.looking.player.after._pictures) == (2 if double else 1) * len(station.looking.player.before._pictures)
    last = station.chosen
    read_window.do("undo")
    assert station.chosen != last
    read_window.do("redo")
    assert station.chosen == last
    read_window.do("as_suggested")
    before, after = station.looking.player.before.view.image, station.looking.player.after.view.image
    assert before is not None
    assert after is not None
    assert before.size() == after.size()
    view = read_window.state.current
    assert view is not None
    assert view.judged is not None
    assert station.chosen is not None
    assert station.chosen.get(Fields) == fields_treatment(view.judged).get(Fields)


def test_a_limit_is_typed_and_dragged_and_the_best_under_it_stands_out(balanced: tuple[MainWindow, BalanceStation], qtbot: QtBot) -> None:
    window, station = balanced
    assert station.cards[0].choice.key == "smallest"
    station.limit_line.setText("1.5 MB")
    QTest.keyClick(station.limit_line, Qt.Key.Key_Return)
    assert station.cards[0].choice.key == "best"
    assert station.picked is not None
    assert station.picked.prediction.size_bytes.high <= 1.5e6
    assert station.plane.limit_x is not None
    best = station.picked
    station.plane.limit_dragged.emit(0.9e6)
    assert station.limit_line.text() == "900 kB"
    assert station.picked.size < best.size
    # Dragged by the mouse; letting go sends it.
    plane, before = station.plane, station.offer.limit_bytes
    line = plane.limit_x
    assert line is not None
    y = round(next(y for y in range(plane.height() - 60, 20, -4) if all(abs(plane.place_of(p).y() - y) > 16 for p in plane._points)))
    QTest.mousePress(plane, Qt.MouseButton.LeftButton, pos=QPoint(round(line), y))
    QTest.mouseMove(plane, QPoint(round(line) + 60, y))
    assert station.offer.limit_bytes == before
    QTest.mouseRelease(plane, Qt.MouseButton.LeftButton, pos=QPoint(round(line) + 60, y))
    sizes = plane.spans[0]
    wide = plane.place_of(max(plane._points, key=lambda p: p.size)).x() - plane.place_of(min(plane._points, key=lambda p: p.size)).x()
    whole = math.log10(max(p.size for p in plane._points) / min(p.size for p in plane._points))
    assert station.offer.limit_bytes == pytest.approx(before * 10 ** (60 / wide * whole), rel=0.03)
    assert sizes.low < math.log10(station.offer.limit_bytes) < sizes.high
    station.set_limit(1000)
    assert "is sure to stay under" in station.sentence.text
    assert not station.send_button.isEnabled()
    station.limit_line.setText("much")
    station.limit_line.editingFinished.emit()
    assert "is no size" in window.notice_bar.text
    station.limit_line.setText("")
    station.limit_line.editingFinished.emit()
    assert station.offer.limit_bytes is None
    assert station.picked is not None


def test_what_may_be_seen_and_where_it_is_watched_decide_what_is_offered(balanced: tuple[MainWindow, BalanceStation]) -> None:
    window, station = balanced
    assert station.sentence.text.endswith("no visible difference but less noise.")
    first = station.cards[0].choice.point
    QTest.keyClick(station.needs.wanted_box, Qt.Key.Key_Down)  # “barely visible”
    assert station.sentence.text.endswith("difference barely visible but less noise.")
    assert station.cards[0].choice.point.size < first.size
    assert station.cards[0].choice.point.fidelity >= 40
    on_television = station.cards[0].choice.point
    QTest.keyClick(station.needs.viewing_box, Qt.Key.Key_Down)  # at a desk more is seen, so it needs more
    assert station.cards[0].choice.point.size > on_television.size
    assert "on a desk" in station.sentence.basis
    assert "noise kept 50 %" in station.sentence.basis
    # Kept for the next time, and a damaged file is no trouble.
    assert read_kept("balance") == {"wanted": "barely", "viewing": "desk", "outlets": []}
    again = Requirements(window.state)
    assert (again.wanted.fidelity.key, again.viewing) == ("barely", "desk")
    (user_config_path("yomikomi") / "balance.json").write_text('{"wanted": ["none"], "viewing": 7, "outlets": [4, "gone"]}')
    again = Requirements(window.state)
    assert (again.wanted.fidelity.key, again.viewing, again.outlets) == ("none", "television", [])
    assert window.state.record.carriers()[0].trials is not None


def test_a_take_that_is_smaller_than_any_copy_of_it_is_said_to_be(balanced: tuple[MainWindow, BalanceStation]) -> None:
    window, station = balanced
    view = window.state.current
    assert view is not None
    assert view.take is not None
    large = view.take.size_bytes
    assert max(p.size for curve in station.plane_data.values() for p in curve) < large, "the other tests speak of a large take"
    with window.state.record.store.session() as session:
        session.get_one(Take, view.take.id).size_bytes = 1000
    window.state.reload()
    assert station.cards == []
    assert station.sentence.text == "Every copy tried is larger than the take itself, 1.00 kB."
    assert not station.send_button.isEnabled()
    station.pick(station.plane_data["av1"][0])  # a person's word is enough
    assert station.send_button.isEnabled()


def test_trials_of_an_older_version_are_run_again(balanced: tuple[MainWindow, BalanceStation]) -> None:
    window, station = balanced
    view = window.state.current
    assert view is not None
    assert view.take is not None
    with window.state.record.store.session() as session:
        for row in session.query(TrialRow):
            row.document = {**row.document, "schema_version": 1}
    station.state.starts_by_itself = False
    window.state.reload()
    assert window.state.current is not None
    assert window.state.current.trials is None
    assert station.sentence.text == "Run trials to see what copies would cost."


def test_the_plane_by_keyboard(balanced: tuple[MainWindow, BalanceStation]) -> None:
    _, station = balanced
    QTest.keyClick(station.plane, Qt.Key.Key_Right)
    first = station.plane.told
    assert "AV1 48" in first or "H.264 29" in first  # the smallest of all
    QTest.keyClick(station.plane, Qt.Key.Key_Right)
    assert station.plane.told != first
    QTest.keyClick(station.plane, Qt.Key.Key_Return)
    assert station.picked is not None
    assert station.picked.prediction.recipe.words in station.plane.told
    assert "measured" in station.plane.told or "interpolated" in station.plane.told


def test_a_copy_is_stopped_and_leaves_no_half_file(balanced: tuple[MainWindow, BalanceStation], qtbot: QtBot) -> None:
    window, station = balanced
    station.pick(station.plane_data["av1"][0])
    station.container.setCurrentIndex(1)
    window.do("primary")
    assert window.current_key == "run"
    run = window.station("run")
    assert isinstance(run, RunStation)
    qtbot.waitUntil(lambda: [one.state for one in run.model.rows] == ["running"], timeout=5000)
    run.queue.ask(window.state.current, recipe_for("h264", 30, speed="ultrafast"), None)  # type: ignore[arg-type]
    assert [one.state for one in run.model.rows] == ["running", "waiting"]
    run.table.selectRow(0)
    QTest.mouseClick(run.details.buttons["stop"], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.state.record.copies.all()[0].state == "cancelled", timeout=3000)
    qtbot.waitUntil(lambda: window.state.record.copies.all()[1].state == "verified", timeout=60_000)  # the next one goes on
    copies = window.state.workspace.folder / "copies"
    qtbot.waitUntil(lambda: [path.name for path in copies.iterdir()] == ["k-001-lantern-parade-h264-30.mp4"], timeout=3000)
    window.show_station("ledger")
    ledger = window.station("ledger")
    assert isinstance(ledger, LedgerStation)
    ledger.sections.turn("copies")
    assert [str(ledger.copies.model.index(row, 0).data()) for row in range(2)] == ["verified", "stopped"]
    ledger.copies.table.selectRow(1)
    assert "not made" in ledger.copies.checks_head.text()


def test_jobs_on_one_resource_wait_for_each_other(window: MainWindow, qtbot: QtBot) -> None:
    ended: list[str] = []
    jobs = [
        window.state.jobs.start(_nap, name, name=name, resource="processor", on_end=lambda job: ended.append(job.name))
        for name in ("one", "two", "three")
    ]
    assert [job.state for job in jobs] == [JobState.RUNNING, JobState.QUEUED, JobState.QUEUED]
    window.state.jobs.cancel(jobs[1])
    qtbot.waitUntil(lambda: len(ended) == 3, timeout=20_000)
    assert ended == ["two", "one", "three"]


def _nap(name: str, reporter: Reporter) -> str:
    time.sleep(0.1)
    return name


def test_background_calls_drop_stale_answers(window: MainWindow, qtbot: QtBot) -> None:
    heard: list[int] = []
    failed: list[YomikomiError] = []
    for number in range(5):
        window.state.calls.call("frame", lambda n=number: (time.sleep(0.02), n)[1], heard.append)
    qtbot.waitUntil(lambda: heard == [4], timeout=3000)
    window.state.calls.call("other", lambda: 1 // 0, heard.append, failed.append)
    qtbot.waitUntil(lambda: len(failed) == 1, timeout=3000)
    assert "ZeroDivisionError" in failed[0].message


def test_notices_stay_good_news_goes(window: MainWindow, qtbot: QtBot) -> None:
    window.state.tell(Weight.WRONG, "The drive is full.", "Make room.")
    assert window.notice_bar.text == "The drive is full. Make room."
    assert not window.notice_bar._timer.isActive()
    window.state.tell(Weight.FINE, "Done.")
    assert window.notice_bar._timer.isActive()


def test_pictures_are_shown_at_their_shape_and_pixel_for_pixel(qtbot: QtBot) -> None:
    samples = np.zeros((20, 30, 3), np.uint8)
    samples[..., 0] = 255
    image = image_from_rgb(samples)
    assert (image.width(), image.height(), image.pixelColor(5, 5).red()) == (30, 20, 255)
    exact, fitted = PictureView(exact=True), PictureView()
    for view in (exact, fitted):
        qtbot.addWidget(view)
        view.resize(400, 300)
        view.show_image(image)
    assert (exact.picture_area().width(), exact.picture_area().height()) == (30, 20)
    assert (fitted.picture_area().width(), fitted.picture_area().height()) == (400, 267)
    shot = exact.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    assert sum(shot.pixelColor(x, 150).red() > 200 for x in range(400)) == 30
    meter = LevelMeter()
    qtbot.addWidget(meter)
    meter.show_level(-6.0, -20.0)
    assert meter._x(-60) == 0
    assert meter._x(0) == meter.width()
    elided = ElidedLabel("a very long name of a file that cannot fit.mkv", middle=True)
    qtbot.addWidget(elided)
    elided.show()
    elided.resize(80, 20)
    assert "…" in elided.text()
    assert elided.toolTip().endswith("fit.mkv")


def test_the_window_works_at_1280x800_and_smaller(read_window: MainWindow) -> None:
    """At 1280 x 800 nothing is scrolled; in a smaller window what is decided folds under what is looked at."""
    for size in ((1280, 800), (1024, 700)):
        read_window.resize(*size)
        QApplication.processEvents()
        assert (read_window.width(), read_window.height()) == size
        for entry in STATIONS:
            read_window.show_station(entry.key)
            QApplication.processEvents()
            page = next(one for one in read_window.findChildren(StationPage) if one.isVisible())
            assert page.horizontalScrollBar().maximum() == 0, entry.key
            assert size[0] < 1280 or page.verticalScrollBar().maximum() == 0, entry.key


def test_a_click_on_a_finding_leads_to_the_frame(read_window: MainWindow) -> None:
    read_window.show_station("reading")
    station = read_window.station("reading")
    assert isinstance(station, ReadingStation)
    station.strips.choose(0)
    card = station.cards[0]
    place = QPointF(QPoint(20, 10))
    for kind in (QEvent.Type.MouseButtonPress, QEvent.Type.MouseButtonRelease):
        event = QMouseEvent(kind, place, place, Qt.MouseButton.LeftButton, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QApplication.sendEvent(card, event)
    view = read_window.state.current
    assert view is not None
    assert view.reading is not None
    assert card.finding.frame is not None
    assert station.strips.frame == card.finding.frame


def test_a_workspace_of_another_window_is_refused(window: MainWindow) -> None:
    with pytest.raises(YomikomiError, match="open in another"):
        Workspace(window.state.workspace.folder)


def test_progressive_files_need_no_treatment(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    path = write_clip(tmp_path / "p.mp4", sliding_frames(60, width=160, height=120), sound_seconds=2)
    window.state.record.takes.import_file(path)
    window.state.reload()
    window.show_station("reading")
    window.do("read")
    qtbot.waitUntil(lambda: window.state.current is not None and window.state.current.reading is not None, timeout=20_000)
    window.show_station("treatment")
    station = window.station("treatment")
    assert isinstance(station, TreatmentStation)
    assert station.sentence.text == "Deinterlacing is not needed."
    asked = [card.advice.key for card in station.cards]
    assert asked in (["fields", "loudness"], ["fields", "noise", "loudness"])  # what slides may be taken for noise: offered, and left alone
    assert station.chosen == Treatment()
