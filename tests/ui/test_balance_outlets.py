"""Outlets in Balance: where a copy has to play decides what is tried, offered, made and checked."""

from __future__ import annotations

from pathlib import Path

import av
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.making import interlace, programme_frames, write_clip
from tests.ui.test_balance_journeys import LONG, in_balance, view_of
from yomikomi.core.sets.model import CopySet, SetCopy, keep_set, sets_folder
from yomikomi.core.video.standards import FieldOrder
from yomikomi.ui.balance.requirements import Requirements
from yomikomi.ui.balance.set_box import SetBox
from yomikomi.ui.shell.window import MainWindow

pytestmark = pytest.mark.usefixtures("by_itself")


def test_a_camera_file_goes_to_an_old_box(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """HEVC in 4:3 from a camera card: it plays as it is, but not at the box. Chosen in the menu, the box has H.264 tried and nothing else,
    and the copy is proven to keep its limits; a second outlet with nothing in common is named as what has to go."""
    clip = write_clip(
        tmp_path / "bow.mp4", programme_frames(48, width=192, height=144, seed=5), codec="libx265", sound_seconds=1.9, rate=25,
        options={"log-level": "none"},
    )  # fmt: skip
    station = in_balance(window, qtbot, clip)
    assert [card.choice.key for card in station.cards] == ["untouched"]
    station.needs.outlets_button.choose(["media-box"])
    qtbot.waitUntil(lambda: station.job is not None, timeout=LONG)
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert set(station.plane_data) == {"h264"}
    assert "untouched" not in [card.choice.key for card in station.cards]
    recipe = station.cards[0].choice.point.prediction.recipe
    assert (recipe.container, recipe.sound_codec, recipe.codec_level) == ("mp4", "aac", "4")
    station.needs.outlets_button.choose(["media-box", "editor"])
    assert station.sentence.text == "No single copy plays at all of these outlets."
    assert not station.send_button.isEnabled()
    station.needs.outlets_button.choose(["media-box"])
    assert Requirements(window.state).outlets == station.needs.outlets, "the choice is kept for the next time"
    QTest.keyClick(window, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=LONG)
    copy = view_of(window).copies[0]
    assert copy.result is not None
    assert [(one.name, one.passed) for one in copy.result.checks if one.name.startswith("plays")] == [("plays at: Old media box", True)]
    with av.open(str(copy.path)) as made:
        assert made.streams.video[0].codec_context.name == "h264"


def test_pictures_that_do_not_fit_are_made_to(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """50 frames a second are more than the box takes: before anything is tried the station says so, and its filled button halves them."""
    clip = write_clip(tmp_path / "console.mkv", programme_frames(60, width=192, height=144, seed=3), codec="ffv1", rate=50)
    station = in_balance(window, qtbot, clip, outlets=["media-box"])
    assert station.sentence.text == "The pictures do not fit the outlet as they are treated."
    assert station.job is None
    assert station.send_button.text() == "Make the pictures fit"
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert station.offer.trials is not None
    assert station.offer.trials.rate == "25/1"
    assert set(station.plane_data) == {"h264"}
    assert station.send_button.text() == "Add to the run"


def test_a_tape_goes_to_a_video_disc(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """MPEG-2 with AC-3 is tried where nothing else plays; what breaks the disc's peak in the hardest second is not offered; the copy keeps
    the disc's limits and lies in its interval."""
    pictures = programme_frames(50, width=176, height=144, seed=7)
    clip = write_clip(tmp_path / "tape.mkv", pictures, codec="ffv1", rate=25, sound_seconds=2.0, sound_channels=2)
    station = in_balance(window, qtbot, clip, outlets=["video-disc"])
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert set(station.plane_data) == {"mpeg2"}
    assert station.picked is not None
    worst = [point.prediction.worst for point in station.plane_data["mpeg2"]]
    assert all(one is not None and 0 < one.kbps <= 9800 for one in worst)
    assert [one.kbps for one in worst if one is not None] == sorted((one.kbps for one in worst if one is not None), reverse=True)
    told = station.picked.prediction
    assert (told.recipe.sound_codec, told.recipe.container, told.recipe.key_seconds) == ("ac3", "mkv", 0.6)
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=LONG)
    copy = view_of(window).copies[0]
    assert copy.result is not None
    assert told.size_bytes.low <= copy.result.size_bytes <= told.size_bytes.high
    assert ("plays at: Video disc", True) in [(one.name, one.passed) for one in copy.result.checks]
    with av.open(str(copy.path)) as made:
        sizes = [packet.size for packet in made.demux(video=0) if packet.size]
    seconds = [sum(sizes[first : first + 25]) * 8 / 1000 for first in range(len(sizes) - 24)]
    assert told.worst is not None
    assert told.worst.kbps == pytest.approx(max(seconds), rel=0.05)


def test_four_copies_at_once(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """A tape for archive, television, phone and upload: predicted together, added together, made one after another, each proven for its
    place; asked for again, names differ."""
    frames = interlace(programme_frames(50, width=176, height=144, seed=7), FieldOrder.TFF)
    clip = write_clip(tmp_path / "tape.mkv", frames, codec="rawvideo", rate=25, sound_seconds=1.0)
    station = in_balance(window, qtbot, clip, trials=False)
    QTest.mouseClick(station.set_button, Qt.MouseButton.LeftButton)
    box = next(one for one in station.findChildren(SetBox) if one.isVisible())
    box.choice.setCurrentIndex(box.choice.findData("everywhere"))
    QTest.mouseClick(box.predict_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: box.job is None, timeout=2 * LONG)
    assert all(told is not None for told in box.predicted)
    assert box.sentence.text.startswith("4 copies: ")
    assert box.add_button.text() == "Add 4 to the run"
    QTest.mouseClick(box.add_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"] * 4, timeout=4 * LONG)
    copies = view_of(window).copies
    assert [copy.outlet.key for copy in copies if copy.outlet is not None] == ["archive", "television", "phone-old", "upload"]
    assert [copy.path.stem.rpartition("-")[2] for copy in copies] == ["archive", "viewing", "phone", "upload"]
    assert all(copy.predicted is not None for copy in copies)
    assert SetBox(window.state, view_of(window), lambda *_: None, station).choice.currentData() == "everywhere", "kept for the next time"


def test_streams_that_an_outlet_plays_only_in_another_container_come_into_that(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """H.264 with AAC in Matroska for a web page, which wants MP4 with its index in front: nothing is encoded, the copy is proven to fit."""
    plain = write_clip(tmp_path / "plain.mp4", programme_frames(40, width=192, height=144, seed=5), sound_seconds=1.6, rate=25)
    clip = tmp_path / "page.mkv"
    with av.open(str(plain)) as source, av.open(str(clip), "w") as sink:
        streams = {one.index: sink.add_stream_from_template(one) for one in source.streams}
        for packet in source.demux():
            if packet.dts is not None:
                packet.stream = streams[packet.stream.index]
                sink.mux(packet)
    station = in_balance(window, qtbot, clip, outlets=["web"])
    qtbot.waitUntil(lambda: [card.choice.key for card in station.cards] == ["untouched"], timeout=LONG)
    assert station.job is None
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=LONG)
    copy = view_of(window).copies[0]
    assert copy.path.suffix == ".mp4"
    assert copy.result is not None
    assert copy.result.checks[-1].name == "plays at: Own web page"


def test_an_outlet_of_ones_own_decides_like_any_other(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> None:
    """Made in a form from one that ships, chosen at once, changed, removed; the copy is held against it."""
    clip = write_clip(tmp_path / "clip.mkv", programme_frames(40, width=192, height=144, seed=3), codec="ffv1", rate=25)
    station = in_balance(window, qtbot, clip, outlets=["media-box"], trials=False)
    needs = station.needs
    needs.ask_own()
    form = needs.form
    form.words.clear()
    assert not form.keep_button.isEnabled()
    QTest.keyClicks(form.words, "Living room")
    assert not form.remove_button.isVisibleTo(form)
    for tick in (form.containers["mp4"], form.video["h264"]):
        QTest.mouseClick(tick, Qt.MouseButton.LeftButton, pos=QPoint(8, tick.height() // 2))
    assert "at least one kind" in form.wrong.text()
    for tick in (form.containers["mkv"], form.video["hevc"], form.sound["opus"]):
        QTest.mouseClick(tick, Qt.MouseButton.LeftButton, pos=QPoint(8, tick.height() // 2))
    form.levels["hevc"].setCurrentIndex(form.levels["hevc"].findData("3.1"))
    form.average.setValue(800)
    form.peak.setValue(0)
    QTest.keyClicks(form.file_size, "wide")
    assert "is no size" in form.wrong.text()
    form.file_size.clear()
    QTest.keyClicks(form.file_size, "30 MB")
    QTest.mouseClick(form.keep_button, Qt.MouseButton.LeftButton)
    assert [one.words for one in needs.outlets] == ["Living room", "Old media box"]
    assert station.sentence.text == "No single copy plays at all of these outlets."
    window.state.starts_by_itself = True
    needs.outlets_button.choose(["living-room"])
    qtbot.waitUntil(lambda: station.job is None and station.offer.trials is not None, timeout=LONG)
    assert set(station.plane_data) == {"hevc"}
    recipe = station.plane_data["hevc"][0].prediction.recipe
    assert (recipe.container, recipe.codec_level) == ("mkv", "3.1")
    assert station.offer.limit_bytes is not None
    assert station.offer.limit_bytes == pytest.approx(800 * 125 * 1.6, rel=0.05)
    QTest.mouseClick(station.send_button, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: [copy.state for copy in view_of(window).copies] == ["verified"], timeout=LONG)
    result = view_of(window).copies[0].result
    assert result is not None
    assert ("plays at: Living room", True) in [(one.name, one.passed) for one in result.checks]
    needs.ask_own()
    assert needs.form.words.text() == "Living room"
    assert needs.form.average.value() == 800
    needing = CopySet(key="evenings", words="Evenings", copies=(SetCopy(name="a", outlets=("living-room",), recipe=recipe),))
    keep_set(needing, sets_folder() / "evenings.json")
    QTest.mouseClick(needs.form.remove_button, Qt.MouseButton.LeftButton)
    assert "a set of copies needs it (Evenings)" in window.state.notices.history[-1].text
    assert [one.words for one in needs.outlets] == ["Living room"]
    (sets_folder() / "evenings.json").unlink()
    QTest.mouseClick(needs.form.remove_button, Qt.MouseButton.LeftButton)
    assert needs.outlets == []
    assert view_of(window).copies[0].result == result, "what was made for it stays as it was"
