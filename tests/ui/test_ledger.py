"""The Ledger by mouse and keyboard: found again, looked at, copied elsewhere, released, brought back, handed on, joined."""

from __future__ import annotations

import json
import os
from functools import partial
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QInputDialog
from pytestqt.qtbot import QtBot
from shiboken6 import isValid
from sqlalchemy import text

from tests.ledger.done import Done, finish
from tests.making import sliding_frames, write_clip
from tests.ui.conftest import Opener
from yomikomi.core.fixity.checking import check_file
from yomikomi.core.fixity.digests import content_of, digests_of
from yomikomi.core.ledger.backups import FOLDER, backups_in
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.release.rules import ReleaseRules
from yomikomi.core.work import SilentReporter
from yomikomi.core.work.job import JobState
from yomikomi.ui.ledger.rules_box import LedgerRulesBox
from yomikomi.ui.ledger.station import LedgerStation
from yomikomi.ui.shell.window import MainWindow

LONG = 20_000


def _archive(folder: Path, reading: Reading, *labels: str) -> list[Done]:
    workspace = Workspace(folder)
    record = Record(workspace)
    done = []
    for label in labels:
        made = finish(record, label, reading, title="Lantern parade")
        details = CarrierDetails(rights=True)
        record.shelf.change(made.carrier, Intake(label=label, title="Lantern parade", kind="vhs", format="525i", details=details))
        done.append(made)
    for one in record.files.unhashed():
        record.files.add(one, digests_of(one.path), "disk A")
    rules = record.releases.rules()
    release = ReleaseRules(disks=1, looked=2, age_days=0)
    record.releases.save_rules(rules.model_copy(update={"operator": "Mio", "release": release}))
    workspace.close()
    return done


@pytest.fixture
def done(tmp_path: Path, tape_reading: Reading) -> list[Done]:
    return _archive(tmp_path / "archive", tape_reading, "K-001", "K-002")


@pytest.fixture
def window(open_window: Opener, tmp_path: Path, done: list[Done]) -> MainWindow:
    opened = open_window(tmp_path / "archive")
    opened.show_station("ledger")
    return opened


def _ledger(window: MainWindow) -> LedgerStation:
    station = window.station("ledger")
    assert isinstance(station, LedgerStation)
    return station


def _told(window: MainWindow) -> str:
    """What was told last, with its remedy."""
    last = window.state.notices.history[-1] if window.state.notices.history else None
    return f"{last.text} {last.remedy}" if last is not None else ""


def _click(widget) -> None:  # type: ignore[no-untyped-def]
    QTest.mouseClick(widget, Qt.MouseButton.LeftButton)


def test_the_page_of_one_and_a_search_over_all(window: MainWindow, qtbot: QtBot) -> None:
    ledger = _ledger(window)
    assert "Captured: take 1, whole" in ledger.carrier.page.toPlainText()
    assert ledger.sentence.text.startswith("K-001 Lantern parade: ")
    QTest.keyClicks(ledger.carrier.search, "k-002 verif")
    qtbot.waitUntil(lambda: ledger.carrier.hits.count() > 0, timeout=3000)
    assert "K-002" in ledger.carrier.hits.item(0).text()
    ledger.carrier.hits.setCurrentRow(0)
    QTest.keyClick(ledger.carrier.hits, Qt.Key.Key_Return)
    assert window.state.chosen is not None
    assert window.state.chosen.label == "K-002"
    assert ledger.sentence.text.startswith("K-002")
    QTest.keyClicks(ledger.carrier.search, "no such words")
    qtbot.waitUntil(lambda: ledger.carrier.found.text() == "nothing found", timeout=3000)
    ledger.carrier.search.clear()
    ledger.carrier.seek()
    assert ledger.carrier.stack.currentWidget() is ledger.carrier.page


def test_a_copy_is_looked_at_its_raw_take_released_undone_and_released(
    window: MainWindow, done: list[Done], qtbot: QtBot, tape_reading: Reading
) -> None:
    ledger, first = _ledger(window), done[0]
    raw = first.take_file.read_bytes()
    _click(ledger.sections.buttons["raw"])
    assert ledger.raw.head.text() == "K-001 may not go: 1 of 9 rules fail."
    ledger.raw.takes.item(0).setCheckState(Qt.CheckState.Checked)
    _click(ledger.raw.release_button)
    qtbot.waitUntil(lambda: not window.state.jobs.jobs and "1 take stays" in _told(window), timeout=LONG)
    assert first.take_file.exists()
    write_clip(first.copy_files[0], sliding_frames(90), sound_seconds=3.0)  # footage, so that it can be played
    with window.state.record.store.session() as session:
        from yomikomi.core.ledger.schema import FileRow

        row = session.query(FileRow).filter_by(copy_id=first.copies[0]).one()
        row.size, row.content = content_of(first.copy_files[0])
    _click(ledger.sections.buttons["copies"])
    ledger.copies.table.selectRow(1)
    looking = ledger.look()
    assert looking is not None
    qtbot.waitUntil(lambda: looking.deck is not None, timeout=LONG)
    count = len(looking._spots)
    for number in range(count):
        assert f"Spot {number + 1} of {count}" in looking.where.text()
        QTest.keyClick(looking, Qt.Key.Key_1)
    looks = window.state.record.looks.of(first.copies[0])
    assert [(one.verdict, one.who) for one in looks] == [("good", "Mio")] * count
    qtbot.waitUntil(lambda: not isValid(looking), timeout=3000)
    _click(ledger.sections.buttons["raw"])
    assert ledger.raw.head.text() == "K-001 may go: every rule holds."
    for wanted in ("released", "back", "released"):
        if wanted == "back":
            ledger.raw.held.setCurrentRow(0)
            _click(ledger.raw.undo_button)
            assert first.take_file.read_bytes() == raw
            continue
        ledger.raw.takes.item(0).setCheckState(Qt.CheckState.Checked)
        _click(ledger.raw.release_button)
        qtbot.waitUntil(lambda: ledger.releasing.box is not None and ledger.releasing.box.isVisible(), timeout=LONG)
        assert ledger.releasing.box is not None
        assert ledger.releasing.box.sign_button.text() == "Release as Mio"
        _click(ledger.releasing.box.sign_button)
        assert not first.take_file.exists()
        ledger.releasing.box = None
    assert [one.state for one in window.state.record.releases.all()] == ["held", "undone"]
    assert window.state.spines[0].progress == 8


def test_files_go_to_a_place_and_come_back_from_it(
    window: MainWindow, done: list[Done], qtbot: QtBot, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ledger = _ledger(window)
    (tmp_path / "drive").mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_args: str(tmp_path / "drive"))
    monkeypatch.setattr(QInputDialog, "getText", lambda *_args, **_more: ("Blue drive", True))
    _click(ledger.sections.buttons["files"])
    assert ledger.sentence.text == "4 files whole; the oldest check is 0 days old."
    _click(ledger.files.add_button)
    qtbot.waitUntil(lambda: ledger.files.places.rowCount() == 1 and ledger.files.places.item(0, 1).text() == "there", timeout=LONG)
    _click(ledger.files.copy_button)
    qtbot.waitUntil(lambda: window.state.record.files.counts()[0] == 8, timeout=LONG)
    good = done[1].copy_files[0].read_bytes()
    done[1].copy_files[0].write_bytes(b"X" + good[1:])
    _click(ledger.files.check_button)
    qtbot.waitUntil(lambda: ledger.files.troubles.rowCount() == 1, timeout=LONG)
    assert "1 byte at 0" in ledger.files.troubles.item(0, 4).text()
    _click(ledger.files.mend_button)
    qtbot.waitUntil(lambda: done[1].copy_files[0].read_bytes() == good and ledger.files.troubles.rowCount() == 0, timeout=LONG)
    done[0].take_file.rename(tmp_path / "drive" / "moved by hand.mkv")
    _click(ledger.files.check_button)
    qtbot.waitUntil(ledger.files.seek_button.isEnabled, timeout=LONG)
    (tmp_path / "drive" / "takes").rename(tmp_path / "gone")  # so that it is not the second copy that is found
    _click(ledger.files.seek_button)
    qtbot.waitUntil(lambda: window.state.spines[0].take.path.name == "moved by hand.mkv", timeout=LONG)  # type: ignore[union-attr]


def test_everything_is_handed_on_backed_up_and_two_workspaces_become_one(
    window: MainWindow, done: list[Done], qtbot: QtBot, tmp_path: Path, tape_reading: Reading
) -> None:
    ledger, folder = _ledger(window), tmp_path / "archive"
    made = {
        "page.html": ledger.handing_on.report, "all.json": ledger.handing_on.json, "all csv": ledger.handing_on.csv,
        "package": ledger.handing_on.bag, "page.otio": ledger.handing_on.timeline,
        "page.xml": partial(ledger.handing_on.xml, form="pbcore"),
    }  # fmt: skip
    for name, make in made.items():
        make(tmp_path / name)
        qtbot.waitUntil(lambda name=name: (tmp_path / name).exists() and name in _told(window), timeout=LONG)
    assert len(json.loads((tmp_path / "all.json").read_text())["tables"]["carriers"]) == 2
    _archive(tmp_path / "other", tape_reading, "K-001", "K-070")
    ledger.handing_on.merge(tmp_path / "other")
    qtbot.waitUntil(lambda: len(window.state.spines) == 4, timeout=LONG)
    assert [one.label for one in window.state.spines] == ["K-001", "K-002", "K-001-2", "K-070"]
    assert "K-001 is K-001-2 here" in _told(window)
    ledger.handing_on.take_package(tmp_path / "package")  # of this very workspace: nothing comes twice
    qtbot.waitUntil(lambda: "here already" in _told(window), timeout=LONG)
    assert len(window.state.spines) == 4
    (backup,) = backups_in(folder / FOLDER)
    ledger.handing_on.put_back(backup.path)
    assert window.reopens
    again = Workspace(folder, trust=True)
    assert [view.label for view in Record(again).carriers()] == ["K-001", "K-002"]
    again.close()


def test_in_idle_time_files_are_hashed_the_record_backed_up_and_the_oldest_read_again(
    window: MainWindow, done: list[Done], qtbot: QtBot, tmp_path: Path
) -> None:
    ledger, files = _ledger(window), window.state.record.files
    with window.state.record.store.session() as session:
        from yomikomi.core.ledger.schema import LocationRow

        for row in session.query(LocationRow):
            row.checked_at = "2020-01-01T00:00:00+00:00"
    window.state.starts_by_itself = True
    ledger.keeper.look()
    qtbot.waitUntil(lambda: len(backups_in(window.state.workspace.folder / FOLDER)) == 1, timeout=LONG)
    done[0].copy_files[0].write_bytes(b"silently")
    ledger.keeper.look()
    qtbot.waitUntil(lambda: not window.state.jobs.jobs and bool(files.troubled()), timeout=LONG)
    assert "1 file is not whole" in _told(window)
    (tmp_path / "drive").mkdir()
    ledger.keeper.add_place(str(tmp_path / "drive"), "Blue drive")
    (place,) = window.state.record.places.all()
    ledger.keeper.set_always(place.id, True)
    with qtbot.waitSignal(window.state.jobs.ended, timeout=LONG):
        ledger.keeper.look()
    qtbot.waitUntil((tmp_path / "drive" / "copies" / done[1].copy_files[0].name).exists, timeout=LONG)
    assert not (tmp_path / "drive" / "takes").exists()  # of raw takes a person decides
    qtbot.waitUntil(lambda: not window.state.jobs.jobs, timeout=LONG)
    window.state.starts_by_itself = False


def test_what_was_begun_in_idle_time_makes_way_for_a_recording(
    window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    ledger, state = _ledger(window), window.state
    for one in state.record.files.all():
        os.truncate(one.path, 400_000_000)  # seconds of work, and no room taken
    with state.record.store.session() as session:
        session.execute(text("DELETE FROM locations"))
        session.execute(text("DELETE FROM files"))
    ledger.keeper._hash(state.record.files.unhashed(), asked=False)
    (job,) = state.jobs.jobs
    qtbot.waitUntil(lambda: job.state is JobState.RUNNING, timeout=LONG)
    told = len(state.notices.history)
    monkeypatch.setattr(type(state), "records", True)
    state.jobs.changed.emit()
    qtbot.waitUntil(lambda: not state.jobs.jobs, timeout=LONG)
    assert job.state is JobState.CANCELLED
    assert len(state.notices.history) == told
    monkeypatch.setattr(type(state), "records", False)


def test_rules_are_set_and_held_to(window: MainWindow) -> None:
    ledger = _ledger(window)
    _click(ledger.sections.buttons["raw"])
    _click(ledger.raw.rules_button)
    box = ledger.findChild(LedgerRulesBox)
    assert box is not None
    box.disks.setValue(3)
    box.kinds.setText("lossless, h264")
    box.take()
    told = window.state.record.releases.rules()
    assert (told.release.disks, told.release.kinds, told.operator) == (3, ("lossless", "h264"), "Mio")
    assert ledger.raw.head.text() == "K-001 may not go: 3 of 11 rules fail."


def test_a_copy_that_changed_silently_is_told_on_its_page(window: MainWindow, done: list[Done]) -> None:
    ledger, record = _ledger(window), window.state.record
    done[0].copy_files[0].write_bytes(b"x")
    for one in record.files.of_take(done[0].take):
        record.files.save_check(one, check_file(record.files.check_request(one), SilentReporter()), one.disk)
    ledger.refresh()
    assert "changed, 569 bytes shorter" in ledger.carrier.history.toPlainText()
