"""Sets of copies made and changed in the window, taken elsewhere and brought back."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tests.making import programme_frames, write_clip
from tests.ui.test_balance_journeys import in_balance
from tests.ui.test_balance_settings import put
from yomikomi.core.sets.model import own_sets, read_set, sets_folder, shipped_sets
from yomikomi.ui.balance.set_box import SetBox
from yomikomi.ui.balance.set_editor import SetEditor
from yomikomi.ui.shell.window import MainWindow

LEFT = Qt.MouseButton.LeftButton

pytestmark = pytest.mark.usefixtures("by_itself")


@pytest.fixture
def box(window: MainWindow, qtbot: QtBot, tmp_path: Path) -> SetBox:
    clip = write_clip(tmp_path / "clip.mkv", programme_frames(25, width=192, height=144, seed=4), rate=25, codec="rawvideo")
    station = in_balance(window, qtbot, clip, trials=False)
    QTest.mouseClick(station.set_button, LEFT)
    return next(one for one in station.findChildren(SetBox) if one.isVisible())


def _editor(box: SetBox) -> SetEditor:
    QTest.mouseClick(box.edit_button, LEFT)
    assert box.editor is not None
    return box.editor


def test_a_set_is_made_of_one_that_ships_and_used(box: SetBox, tmp_path: Path) -> None:
    before = len(box.planned)
    editor = _editor(box)
    editor.words.selectAll()
    QTest.keyClicks(editor.words, "For the family")
    QTest.mouseClick(editor.add_button, LEFT)
    editor.name.selectAll()
    QTest.keyClicks(editor.name, "archive")
    assert "Two copies have one name: archive" in editor.wrong.text()
    assert not editor.keep_button.isEnabled()
    editor.name.selectAll()
    QTest.keyClicks(editor.name, "grandmother")
    editor.outlets.choose(["television"])
    put(editor.form.codec, "hevc")
    editor.form.slider.setValue(27)
    editor.form.lines.setValue(360)
    editor.target.setText(str(tmp_path / "away"))
    editor.target.textEdited.emit(editor.target.text())
    assert "grandmother · HEVC 27" in editor.list.item(editor.list.count() - 1).text()
    # Another line is looked at and left as it was; what does not go together is said.
    first = editor.copies[0]
    editor.list.setCurrentRow(0)
    assert editor.copies[0] == first
    assert editor.form.recipe == first.recipe
    editor.name.selectAll()
    QTest.keyClicks(editor.name, "a/b")
    assert not editor.keep_button.isEnabled()
    editor.name.selectAll()
    QTest.keyClicks(editor.name, first.name)
    QTest.mouseClick(editor.keep_button, LEFT)
    own = own_sets(sets_folder())
    assert list(own) == ["for-the-family"]
    assert own["for-the-family"].copies[0] == first
    assert own["for-the-family"].copies[-1].recipe.lines == 360
    assert box.choice.currentText() == "For the family"
    assert [one.name for one in box.planned][-1] == "grandmother"
    assert len(box.planned) == before + 1
    # Its folder is away: nothing is added, and that is said; once it is there, the copy is asked for there.
    state = box._state
    QTest.mouseClick(box.add_button, LEFT)
    assert "is not there" in state.notices.history[-1].text
    assert box.isVisible()
    assert not state.record.copies.all()
    (tmp_path / "away").mkdir()
    # An own one keeps its key, and shipped ones are as they were.
    editor = _editor(box)
    editor.list.setCurrentRow(0)
    QTest.mouseClick(editor.remove_button, LEFT)
    QTest.mouseClick(editor.keep_button, LEFT)
    assert list(own_sets(sets_folder())) == ["for-the-family"]
    assert len(box.planned) == before
    assert {box.choice.itemData(line) for line in range(box.choice.count())} == {*shipped_sets(), "for-the-family"}


def test_sets_are_taken_elsewhere_and_brought_back(box: SetBox, tmp_path: Path, window: MainWindow) -> None:
    target = tmp_path / "everywhere.json"
    box.save_file(target)
    assert read_set(target).copies == next(iter(shipped_sets().values())).copies
    box.open_file(target)
    assert len(own_sets(sets_folder())) == 1
    assert box.choice.currentData() not in shipped_sets(), "it does not hide the one that ships"
    target.write_text(target.read_text().replace("h264", "h999"))
    count = box.choice.count()
    box.open_file(target)
    assert box.choice.count() == count
    assert "is no set" in window.state.notices.history[-1].text
    folder = sets_folder()
    for file in folder.iterdir():
        file.unlink()
    folder.rmdir()
    folder.write_text("in the way")
    editor = _editor(box)
    QTest.mouseClick(editor.keep_button, LEFT)
    assert editor.isVisible(), "nothing is lost"
    folder.unlink()
    editor.reject()
