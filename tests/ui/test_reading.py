"""The Reading station by mouse and keyboard: views, strips, cards, comparison, reports, quick reading."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from tests.ui.test_stations import put_take
from yomikomi.core.reading.models import Losses, Reading, TapeFaults
from yomikomi.ui.reading.station import ReadingStation
from yomikomi.ui.shell.window import MainWindow


def _worse(reading: Reading) -> Reading:
    """The same take as a player without a corrector would give it, with repeated frames."""
    assert reading.tape is not None
    assert reading.tape.luma_noise is not None
    noise = reading.tape.luma_noise
    louder = noise.model_copy(update={"value": noise.value + 2, "low": noise.low + 2, "high": noise.high + 2})
    tape: TapeFaults = reading.tape.model_copy(update={"luma_noise": louder})
    losses = Losses(repeated=[20, 40, 60], frozen=[], repeated_count=30)
    return reading.model_copy(update={"losses": losses, "tape": tape})


@pytest.fixture
def station(window: MainWindow, tape: Path, tape_reading: Reading, tmp_path: Path, qtbot: QtBot) -> ReadingStation:
    """A carrier with two takes that were read: a good one, then the worse one that is shown."""
    record = window.state.record
    put_take(record, tape, tape_reading)
    carrier = record.carriers()[0].id
    second = tmp_path / "second pass.mkv"
    second.write_bytes(tape.read_bytes())
    record.takes.add_copied(carrier, second, seconds=3.0, frames=90, words="second pass")
    take = record.carrier(carrier).take
    assert take is not None
    record.readings.save(take.id, _worse(tape_reading))
    window.state.reload()
    window.show_station("reading")
    made = window.station("reading")
    assert isinstance(made, ReadingStation)
    qtbot.waitUntil(lambda: "frame" in made.viewer._place.text(), timeout=8000)
    return made


def test_four_ways_to_look_at_a_frame(station: ReadingStation, qtbot: QtBot) -> None:
    viewer = station.viewer
    assert viewer.mode == "whole"
    whole = viewer.whole.image
    assert whole is not None
    seen = []
    for _ in range(4):
        QTest.keyClick(station.strips, Qt.Key.Key_V)
        seen.append(viewer.mode)
        shown = {
            "fields": viewer.top.isVisible() and viewer.bottom.isVisible(), "difference": viewer.whole.isVisible(),
            "scopes": viewer.waveform.isVisible() and viewer.vector.isVisible(), "whole": viewer.whole.isVisible(),
        }  # fmt: skip
        assert shown[viewer.mode]
        if viewer.mode == "difference":
            assert viewer.whole.image is not None
            assert viewer.whole.image != whole
    assert seen == ["fields", "difference", "scopes", "whole"]
    # The close-up says what the frame argues for, in figures and words.
    assert "code values" in station.detail.figures.text()
    assert "interlaced, bottom field first" in station.detail.argues.text()
    assert station.detail.picture.image is not None


def test_zoom_selection_and_what_is_said_of_it(station: ReadingStation) -> None:
    strips = station.strips
    whole = strips.span
    strips.choose(45)
    QTest.keyClick(strips, Qt.Key.Key_Plus)
    near = strips.span
    assert near[1] - near[0] == pytest.approx((whole[1] - whole[0]) / 2, rel=0.05)
    assert near[0] < 45 / 29.97 < near[1]
    strips.choose(30)
    QTest.keyClick(strips, Qt.Key.Key_S)
    strips.choose(59)
    QTest.keyClick(strips, Qt.Key.Key_S)
    assert strips.selection == (30, 59)
    assert station.selection.isVisible()
    assert "30 frames" in station.selection.text()
    assert "bottom first" in station.selection.text()
    QTest.keyClick(strips, Qt.Key.Key_Z)
    low, high = strips.span
    assert low == pytest.approx(30 / 29.97, abs=0.1)
    assert high == pytest.approx(60 / 29.97, abs=0.1)
    QTest.keyClick(strips, Qt.Key.Key_Escape)
    assert strips.selection is None
    assert not station.selection.isVisible()


def test_strips_are_dragged_zoomed_and_clicked(station: ReadingStation) -> None:
    strips = station.strips
    places = strips.places
    row = places.rows["motion"].center().toPoint()
    for frame in (12, 40, 77):
        at = QPoint(round(places.x((frame + 0.5) / 29.97)), row.y())
        QTest.mouseClick(strips, Qt.MouseButton.LeftButton, pos=at)
        assert abs(strips.frame - frame) <= 1  # a pixel may be wider than a frame
    chosen = strips.frame
    for _ in range(3):
        wheel = QWheelEvent(
            QPointF(row), QPointF(row), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        under = strips.places.seconds(row.x())
        QApplication.sendEvent(strips, wheel)
        assert strips.places.seconds(row.x()) == pytest.approx(under, abs=0.01), "what is under the mouse stays there"
    low, high = strips.span
    assert high - low == pytest.approx(places.high / 1.25**3, rel=0.01)
    QTest.mousePress(strips, Qt.MouseButton.LeftButton, pos=row)
    QTest.mouseMove(strips, row - QPoint(2000, 0))
    QTest.mouseRelease(strips, Qt.MouseButton.LeftButton, pos=row - QPoint(2000, 0))
    assert strips.span[1] == pytest.approx(places.high), "never past the end"
    assert strips.frame == chosen, "dragging chooses no frame"
    strips.zoom(100)
    assert strips.span == pytest.approx((0, places.high))


def test_from_a_card_to_all_frames_that_prove_it(station: ReadingStation) -> None:
    card = next(card for card in station.cards if card.finding.topic == "losses")
    QTest.mouseClick(card, Qt.MouseButton.LeftButton, pos=card.rect().center())
    assert card.property("chosen")
    assert station.strips.frame == 20
    for key, meant in ((Qt.Key.Key_N, 40), (Qt.Key.Key_N, 60), (Qt.Key.Key_N, 60), (Qt.Key.Key_P, 40)):
        QTest.keyClick(station.strips, key)
        assert station.strips.frame == meant
    assert "Suggested corrections: deinterlace" in station.handed.text()


def test_two_takes_are_held_against_each_other(station: ReadingStation) -> None:
    dialog = station.compare()
    assert dialog is not None
    assert dialog.sentence.text().startswith("The other take is better")
    table = dialog.table
    rows = {table.item(line, 0).text(): table.item(line, 3).text() for line in range(table.rowCount())}  # type: ignore[union-attr]
    assert rows["noise"] == "○ the other"
    assert rows["frames repeated"] == "○ the other"
    dialog.accept()


@pytest.mark.parametrize("name", ["report.html", "report.pdf", "report.json"])
def test_reports_are_written_and_told_of(station: ReadingStation, tmp_path: Path, name: str, qtbot: QtBot) -> None:
    path = tmp_path / name
    station.report_to(path)
    qtbot.waitUntil(path.exists, timeout=20_000)
    data = path.read_bytes()
    if name.endswith("html"):
        text = data.decode()
        assert "Frames: 30 repeated" in text
        assert text.count("data:image/jpeg") >= 2
        assert "<svg" in text
    elif name.endswith("pdf"):
        assert data.startswith(b"%PDF")
    else:
        assert json.loads(data)["losses"]["repeated_count"] == 30


def test_a_quick_reading_says_that_it_is_one(window: MainWindow, tape: Path, qtbot: QtBot) -> None:
    window.state.record.takes.import_file(tape, title="Kiln opening", kind="vhs", label="K-009")
    window.state.reload()
    window.show_station("reading")
    station = window.station("reading")
    assert isinstance(station, ReadingStation)
    QTest.mouseClick(station.quick_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: station.job is None and bool(station.cards), timeout=40_000)
    view = window.state.current
    assert view is not None
    assert view.reading is not None
    assert view.reading.mode == "quick"
    assert "a sample" in station.sentence.basis
    # Strips that were there before their first reading fill their room.
    assert sum(row.height() for row in station.strips.places.rows.values()) > 0.8 * station.strips.height()
