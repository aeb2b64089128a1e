"""The record attacked: odd paths, full and read-only drives, planted links, damaged rows, other people's workspaces, two threads."""

from __future__ import annotations

import json
import os
import sqlite3
import threading
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.drives import drive
from yomikomi.core.balance.models import Estimate, Prediction, Quality, TrialSet, TriedSegment
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.settings import CaptureSettings
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnfinishedError, WorkspaceError, WrongUseError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work.processors import machine_name


def _snapshot(folder: Path) -> dict[str, bytes]:
    return {str(path.relative_to(folder)): path.read_bytes() for path in sorted(folder.rglob("*")) if path.is_file()}


def _stranger(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A workspace with a carrier and a waiting copy, made on somebody else's computer."""
    with monkeypatch.context() as theirs:
        theirs.setenv("XDG_CONFIG_HOME", str(folder.parent / "their config"))
        made = Workspace(folder)
        record = Record(made)
        carrier = record.shelf.add(label="X-001", title="Theirs", kind="vhs", standard="525i")
        take, path = record.takes.begin(carrier)
        path.write_bytes(b"a take")
        record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
        made.close()
    connection = sqlite3.connect(folder / "workspace.sqlite")
    connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    connection.close()


@pytest.mark.parametrize("name", ["what?mode=memory", "100%25 sure", "a#b", "file:x", "über 浜", os.fsdecode(b"na\xffme")])
def test_whatever_stands_in_a_path_the_record_lies_in_its_folder(tmp_path: Path, name: str) -> None:
    """``?`` and ``%`` in a workspace's path opened another database outside it."""
    folder = tmp_path / name
    opened = Workspace(folder)
    Record(opened).shelf.add(label="K-001", title="t", kind="vhs")
    opened.close()
    with sqlite3.connect(os.fsencode(folder / "workspace.sqlite")) as connection:
        assert connection.execute("SELECT label FROM carriers").fetchall() == [("K-001",)]
    assert [path for path in tmp_path.rglob("*") if path.is_file() and folder not in path.parents] == []


def test_what_is_wrong_is_said_as_it_is(tmp_path: Path) -> None:
    """A full drive and a long path were told as "may be damaged, move it away": following that loses the record."""
    long = tmp_path / ("x" * 200) / ("y" * 200) / ("z" * 150)
    with pytest.raises(WorkspaceError, match="path of the workspace .* longer"):
        Workspace(long)
    with drive(tmp_path / "small", "1m") as small:
        small.fill(leave=4096)
        with pytest.raises(WorkspaceError, match="drive of the workspace is full|No space left"):
            Workspace(small.path / "archive")
    with drive(tmp_path / "fine", "4m") as fine:
        opened = Workspace(fine.path / "archive")
        record = Record(opened)
        carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i")
        take, path = record.takes.begin(carrier)
        path.write_bytes(b"x")
        fine.fill()
        with pytest.raises(WorkspaceError, match="full"):
            for number in range(400):  # SQLite may have some room of its own left
                record.history.note(carrier, f"{number} " + "n" * 4000)
        (fine.path / "filling").unlink()
        record.takes.end(take, CaptureResult(path, 1, 0.1, 0, 0, 1))
        assert record.carrier(carrier).take.state == "whole"  # type: ignore[union-attr]
        opened.close()


def test_another_program_that_holds_the_record_is_told(record: Record) -> None:
    other = sqlite3.connect(record.workspace.folder / "workspace.sqlite", timeout=0)
    other.execute("BEGIN IMMEDIATE")
    with record.workspace.engine.connect() as connection:
        connection.execute(text("PRAGMA busy_timeout=10"))
    try:
        with pytest.raises(WorkspaceError, match="Another program holds the record"):
            record.shelf.add(label="K-001", title="t", kind="vhs")
    finally:
        other.rollback()
        other.close()
    record.shelf.add(label="K-001", title="t", kind="vhs")


@pytest.mark.parametrize("planted", ["symlink", "hard link", "pipe"])
def test_a_lock_file_that_leads_elsewhere_destroys_nothing(tmp_path: Path, planted: str) -> None:
    victim, folder = tmp_path / "victim", tmp_path / "archive"
    victim.write_text("precious")
    folder.mkdir()
    if planted == "symlink":
        (folder / ".open").symlink_to(victim)
    elif planted == "hard link":
        os.link(victim, folder / ".open")
    else:
        os.mkfifo(folder / ".open")
    Workspace(folder).close()  # for reading: the file is not even touched
    with pytest.raises(WorkspaceError, match="not made by this program|cannot be used"):
        Workspace(folder, trust=True)
    assert victim.read_text() == "precious"


def test_a_record_that_is_a_link_is_refused(tmp_path: Path) -> None:
    other = Workspace(tmp_path / "other")
    other.close()
    folder = tmp_path / "archive"
    folder.mkdir()
    (folder / "workspace.sqlite").symlink_to(tmp_path / "other" / "workspace.sqlite")
    with pytest.raises(WorkspaceError, match="no ordinary file"):
        Workspace(folder, trust=True)


def test_somebody_elses_workspace_is_only_read_until_trusted(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "theirs"
    _stranger(folder, monkeypatch)
    before = _snapshot(folder)
    opened = Workspace(folder)
    record = Record(opened)
    assert opened.read_only
    assert [view.label for view in record.carriers()] == ["X-001"]
    carrier = record.carriers()[0].id
    assert record.copies.requeue_cut_off() == 0
    for attempt in (
        lambda: record.shelf.add(label="Y", title="t", kind="vhs"), lambda: record.history.note(carrier, "x"),
        lambda: record.takes.begin(carrier), lambda: record.settings.save_capture(CaptureSettings()), lambda: record.trials.new_folder(1),
    ):  # fmt: skip
        with pytest.raises(WorkspaceError, match="reading only"):
            attempt()
    opened.close()
    assert _snapshot(folder) == before, "not a byte of it changed"
    trusted = Workspace(folder, trust=True)
    Record(trusted).history.note(carrier, "now ours")
    trusted.close()
    assert not _again(folder).read_only
    moved = folder.rename(tmp_path / "moved")
    assert _again(moved).read_only, "asked once more where it lies now"
    assert not _again(tmp_path / "ours").read_only
    assert not _again(tmp_path / "ours").read_only


def _again(folder: Path) -> Workspace:
    opened = Workspace(folder)
    opened.close()
    return opened


def test_rows_that_name_files_outside_are_only_read(record: Record, tmp_path: Path) -> None:
    carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
    workspace = record.workspace
    assert workspace.holds(path)
    inside = workspace.folder / "copies" / "link"
    inside.symlink_to(tmp_path)
    for outside in (tmp_path / "x.mp4", workspace.folder / ".." / "x.mp4", inside / "x.mp4"):
        assert not workspace.holds(outside)
    copy = record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, tmp_path / "evil.mp4")
    with pytest.raises(UnfinishedError, match="no reading"):
        record.copies.work(copy)


def test_a_waiting_copy_is_made_of_its_own_take(record: Record, tape_reading: Reading) -> None:
    """It failed once a newer take of its carrier existed."""
    carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i")
    takes = []
    for _ in range(2):
        take, path = record.takes.begin(carrier)
        path.write_bytes(b"x")
        record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
        takes.append((take, path))
    record.readings.save(takes[0][0], tape_reading)
    record.readings.overrule(takes[0][0], topic="scan", was="interlaced tff", now="interlaced bff", reason="")
    target = record.workspace.folder / "copies" / "c.mp4"
    copy = record.copies.ask(takes[0][0], recipe_for("h264", 20), Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF), None, target)
    work = record.copies.work(copy)
    assert (work.path, work.target, work.reading.scan.field_order) == (takes[0][1], target, "bff")
    outside = record.copies.ask(takes[0][0], recipe_for("h264", 20), Treatment(), None, Path("/somewhere/evil.mp4"))
    with pytest.raises(UnfinishedError, match="outside the workspace"):
        record.copies.work(outside)


def _trials() -> TrialSet:
    return TrialSet(
        deinterlace="double", field_order="tff", rate="60000/1001", frames=180, duration_seconds=3, sound_bytes=0,
        segments=[TriedSegment(first_frame=0, frames=90, role="whole")], whole=True, points=[], trial_seconds=4,
    )  # fmt: skip


def test_trials_count_only_for_what_they_were_made_on(record: Record, tape_reading: Reading) -> None:
    """Trials of one treatment were stored under another that was chosen meanwhile: they are kept for their own."""
    carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
    record.readings.save(take, tape_reading)
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    ground = record.trials.ground(take)
    folder = record.trials.new_folder(take)
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.TFF))
    assert record.trials.save(take, _trials(), folder, ground=ground)
    assert record.carrier(carrier).trials is None
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    assert record.carrier(carrier).trials == _trials()
    ground = record.trials.ground(take)
    record.readings.overrule(take, topic="shape", was="4:3", now="16:9", reason="")
    assert not record.trials.save(take, _trials(), folder, ground=ground)
    assert record.carrier(carrier).trials is None
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    record.readings.save(take, tape_reading)
    again = record.trials.new_folder(take)
    assert again != folder
    assert not folder.exists(), "the pictures of trials that were not kept go"
    assert record.trials.save(take, _trials(), again, ground=record.trials.ground(take))
    assert record.carrier(carrier).trials_folder == again


def test_a_view_is_never_older_than_the_record(record: Record) -> None:
    """A view read between another thread's flush and its commit stayed stale for ever."""
    carrier = record.shelf.add(label="K-001", title="0", kind="vhs", standard="525i")
    stop = threading.Event()

    def look() -> None:
        while not stop.is_set():
            record.carriers()
            record.carrier(carrier)

    threads = [threading.Thread(target=look) for _ in range(2)]
    for thread in threads:
        thread.start()
    try:
        for number in range(1, 60):
            intake = record.carrier(carrier).intake.model_copy(update={"title": str(number)})
            record.shelf.change(carrier, intake)
            assert record.carrier(carrier).title == str(number)
    finally:
        stop.set()
        for thread in threads:
            thread.join()
    assert record.carriers()[0].title == "59"


def test_a_damaged_row_costs_what_stands_in_it(record: Record, tape_reading: Reading) -> None:
    carriers = [record.shelf.add(label=f"K-00{n}", title="t", kind="vhs", standard="525i") for n in (1, 2)]
    take, path = record.takes.begin(carriers[0])
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
    record.readings.save(take, tape_reading)
    record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, record.workspace.folder / "copies" / "c.mp4")
    folder = record.workspace.folder
    record.workspace.close()
    columns = (("carriers", "details"), ("carriers", "source"), ("readings", "document"), ("copies", "recipe"), ("takes", "details"))
    for table, column in columns:
        for broken in ("{ no json", "[1, 2]", '"text"', "[" * 5000, json.dumps({"schema_version": 99, "frames": "many"})):
            with sqlite3.connect(folder / "workspace.sqlite") as connection:
                (kept,) = connection.execute(f"SELECT {column} FROM {table} LIMIT 1").fetchone()
                connection.execute(f"UPDATE {table} SET {column} = ?", (broken,))
            opened = Workspace(folder)
            again = Record(opened)
            assert [view.label for view in again.carriers()] == ["K-001", "K-002"], (table, column, broken)
            again.copies.all()
            opened.close()
            with sqlite3.connect(folder / "workspace.sqlite") as connection:
                connection.execute(f"UPDATE {table} SET {column} = ?", (kept,))


def test_a_copy_that_failed_a_check_gets_its_name_when_a_person_says_so(record: Record, tape_reading: Reading) -> None:
    carrier = record.shelf.add(label="K-001", title="t", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 6))
    target = record.workspace.folder / "copies" / "c.mp4"
    copy = record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, target)
    kept = target.with_name("c.unverified.mp4")
    kept.write_bytes(b"a copy")
    checks = [Check(name="duration", passed=False, found="x")]
    result = CopyResult(file=kept.name, size_bytes=6, frames=1, duration_seconds=1, encode_seconds=1, verified=False, checks=checks)
    record.copies.end(copy, result=result)
    (view,) = record.copies.all()
    assert (view.state, view.file, view.path) == ("doubtful", kept, target)
    target.write_bytes(b"somebody's")
    with pytest.raises(WrongUseError, match="exists already"):
        record.copies.keep(copy)
    assert target.read_bytes() == b"somebody's"
    target.unlink()
    assert record.copies.keep(copy) == target
    (view,) = record.copies.all()
    assert (view.state, view.file, target.read_bytes(), kept.exists()) == ("kept", target, b"a copy", False)
    with pytest.raises(WrongUseError):
        record.copies.keep(copy)
    assert record.carrier(carrier).progress < 8


@pytest.mark.parametrize("label", ["x" * 100_000, "nul\0", "bell\a", "turn\u202eed", "line\nfeed"])
def test_labels_that_cannot_be_shown_are_refused(record: Record, label: str) -> None:
    with pytest.raises(WrongUseError):
        record.shelf.add(label=label, title="t", kind="vhs")
    with pytest.raises(WrongUseError):
        record.shelf.add(label="K-001", title="t" * 100_000, kind="vhs")


def test_copies_teach_the_next_prediction_and_what_was_corrected_teaches_only_once(record: Record) -> None:
    """AV1 came out a tenth larger than trials said, six times. The next is corrected; copies by corrected predictions, which then hold,
    do not undo it; what was stopped, failed or damaged says nothing."""
    recipe = recipe_for("av1", 36)
    take = record.takes
    carrier = record.shelf.add(label="K-009", title="Race", kind="vhs", standard="525i")
    number, path = take.begin(carrier)
    path.touch()
    take.end(number, CaptureResult(path, 250, 10.0, 0, 0, 1))

    def made(told: Prediction, size: int, state: str = "") -> None:
        copy = record.copies.ask(number, recipe, Treatment(), told, record.workspace.folder / "copies" / "x.mp4")
        record.copies.start(copy)
        result = CopyResult(
            file="x.mp4", size_bytes=size, frames=250, duration_seconds=10, encode_seconds=200, verified=True, checks=[],
            machine=machine_name(), quiet_part=0.5,
        )  # fmt: skip
        record.copies.end(copy, result=result, state=state)

    def estimate(value: float) -> Estimate:
        return Estimate(expected=value, low=0.9 * value, high=1.1 * value)

    plain = Prediction(
        recipe=recipe, deinterlace="leave", size_bytes=estimate(1e6), quality=Quality(value=20), psnr_db=40, encode_seconds=estimate(100),
        measured=True,
    )  # fmt: skip
    assert record.lessons.of("vhs") == {}
    for _ in range(6):
        made(plain, 1_100_000)
    made(plain, 9_000_000, state="failed")
    first = record.lessons.of("vhs")
    assert 1.06 < first["av1"].learned.size < 1.1
    assert first["av1"].learned.seconds == pytest.approx(1.0, abs=0.01), "half of the time others held it up"
    assert "h264" not in first
    corrected = plain.with_lessons(first["av1"].learned)
    for _ in range(30):
        made(corrected, round(corrected.size_bytes.expected))
    again = record.lessons.of("vhs")["av1"].learned
    assert again.size == pytest.approx(first["av1"].learned.size, abs=0.01)
    account = record.lessons.accounts()[0]
    assert [(one.group, one.copies) for one in record.lessons.accounts("material")] == [("vhs", 36)]
    assert (account.group, account.copies, account.next.learned) == ("av1", 36, record.lessons.of("")["av1"].learned)
    with sqlite3.connect(record.workspace.folder / "workspace.sqlite") as connection:
        connection.execute("UPDATE copies SET predicted = '{}' WHERE id = (SELECT min(id) FROM copies)")
    assert Record(record.workspace).lessons.accounts()[0].copies == 35
