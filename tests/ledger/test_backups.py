"""Backups: taken while the record is written to, proven, rotated, put back; a damaged record is found out and what is left of it saved."""

from __future__ import annotations

import contextlib
import errno
import json
import os
import sqlite3
import subprocess
import sys
import threading
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.ledger.done import capture, finish
from yomikomi.core.errors import DriveFullError, UnfinishedError, UnreadableError
from yomikomi.core.ledger import backups
from yomikomi.core.ledger.backups import backups_in, is_due, make_backup, prove, restore
from yomikomi.core.ledger.integrity import record_problems, salvage
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import RECORD_FILE, Workspace
from yomikomi.core.reading.models import Reading

NOW = datetime(2026, 5, 1, 12, tzinfo=UTC)


def _labels(folder: Path) -> list[str]:
    workspace = Workspace(folder)
    try:
        return [view.label for view in Record(workspace).carriers()]
    finally:
        workspace.close()


def test_taken_while_others_write_it_holds_one_moment(record: Record) -> None:
    """Every carrier comes with its line of the history in one transaction: a backup has both or neither."""
    stop = threading.Event()

    def write() -> None:
        for number in range(10_000):
            if stop.is_set():
                return
            record.shelf.add(label=f"K-{number:05d}", title="", kind="vhs", standard="525i")

    writer = threading.Thread(target=write)
    writer.start()
    try:
        made = [make_backup(record.workspace, keep=9, now=NOW + timedelta(hours=number)) for number in range(3)]
    finally:
        stop.set()
        writer.join()
    for one in made:
        with contextlib.closing(sqlite3.connect(one.path)) as connection:
            carriers, events = (connection.execute(f"SELECT count(*) FROM {name}").fetchone()[0] for name in ("carriers", "events"))
        assert carriers == events == one.carriers
    assert made[0].carriers <= made[2].carriers


def test_a_backup_taken_during_a_recording_is_put_back(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading)
    carrier = record.shelf.add(label="K-002", title="", kind="vhs", standard="525i", source={"kind": "tape player"})
    take, path = record.takes.begin(carrier)
    path.write_bytes(b"growing")
    made = make_backup(record.workspace, keep=3)
    record.shelf.add(label="K-003", title="after", kind="vhs", standard="525i")
    kept = restore(record.workspace, made.path)
    folder = record.workspace.folder
    assert kept.parent == folder
    again = Workspace(folder)
    fresh = Record(again)
    assert [view.label for view in fresh.carriers()] == ["K-001", "K-002"]
    assert fresh.carrier(done.carrier).reading == tape_reading
    assert [one.id for one in fresh.takes.cut_off()] == [take]  # it is mended at the next start
    again.close()
    with contextlib.closing(sqlite3.connect(kept)) as connection:
        assert connection.execute("SELECT count(*) FROM carriers").fetchone()[0] == 3


def test_old_ones_go_and_the_newest_stays_whatever_the_clock_says(record: Record, tmp_path: Path) -> None:
    second = tmp_path / "second"
    second.mkdir()
    for hours in (0, 24, 48, -500):
        newest = make_backup(record.workspace, keep=2, second=second, now=NOW + timedelta(hours=hours))
    folder = record.workspace.folder / backups.FOLDER
    assert {one.at for one in backups_in(folder)} == {NOW + timedelta(hours=48), NOW - timedelta(hours=500)}
    assert newest.path.exists()
    assert [one.sha256 for one in backups_in(second)] == [one.sha256 for one in backups_in(folder)]
    assert not is_due(folder, hours=24, now=NOW + timedelta(hours=60))
    assert is_due(folder, hours=24, now=NOW + timedelta(hours=73))
    assert is_due(folder, hours=24, now=NOW - timedelta(hours=600))  # those that lie ahead count for nothing
    second.rename(tmp_path / "pulled")
    with pytest.raises(UnfinishedError, match="the backup here is made"):
        make_backup(record.workspace, keep=9, second=second, now=NOW + timedelta(hours=99))
    assert len(backups_in(folder)) == 3


def test_damaged_ones_are_found_out_and_never_put_back(record: Record, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    record.shelf.add(label="K-001", title="", kind="vhs")
    made = make_backup(record.workspace, keep=3)
    raw = bytearray(made.path.read_bytes())
    raw[5000:9000] = os.urandom(4000)
    bad = tmp_path / "bad.sqlite"
    bad.write_bytes(raw)
    (tmp_path / "no.sqlite").write_bytes(b"nothing of the kind" * 100)
    (tmp_path / "empty.sqlite").touch()
    for name in ("bad", "no", "empty"):
        with pytest.raises(UnreadableError, match="damaged"):
            restore(record.workspace, tmp_path / f"{name}.sqlite")
    newer = tmp_path / "newer.sqlite"
    newer.write_bytes(made.path.read_bytes())
    with contextlib.closing(sqlite3.connect(newer)) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
        connection.commit()
    with pytest.raises(UnreadableError, match="newer Yomikomi"):
        restore(record.workspace, newer)
    prove(made.path)
    monkeypatch.setattr(backups, "_set_aside", _full)
    with pytest.raises(DriveFullError):
        restore(record.workspace, made.path)
    record.shelf.add(label="K-002", title="", kind="vhs")  # all goes on as before
    assert [view.label for view in record.carriers()] == ["K-001", "K-002"]
    record.workspace.close()
    assert _labels(record.workspace.folder) == ["K-001", "K-002"]


def _full(*_args: object) -> None:
    raise OSError(errno.ENOSPC, "No space left on device")


def test_killed_at_any_moment_there_is_a_whole_record(tmp_path: Path) -> None:
    """A process that makes and restores backups without end is killed, again and again."""
    folder = tmp_path / "archive"
    workspace = Workspace(folder, trust=True)
    Record(workspace).shelf.add(label="K-001", title="", kind="vhs")
    workspace.close()
    script = (
        "import sys, itertools; from pathlib import Path\n"
        "from yomikomi.core.ledger.workspace import Workspace\nfrom yomikomi.core.ledger.backups import make_backup, restore\n"
        "for number in itertools.count():\n"
        "    workspace = Workspace(Path(sys.argv[1]), trust=True)\n"
        "    made = make_backup(workspace, keep=2)\n"
        "    print(number, flush=True)\n"
        "    restore(workspace, made.path)\n"
    )
    for wait in (0.0, 0.011, 0.023, 0.042, 0.07):
        process = subprocess.Popen([sys.executable, "-c", script, str(folder)], stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(wait)
        process.kill()
        process.wait()
        process.stdout.close()
        assert record_problems(folder / RECORD_FILE) == []
        assert _labels(folder) == ["K-001"]
        for one in backups_in(folder / backups.FOLDER):
            prove(one.path)


def test_what_can_be_read_of_a_damaged_record_is_saved(record: Record, tmp_path: Path, tape_reading: Reading) -> None:
    finish(record, "K-001", tape_reading)
    for number in range(300):
        capture(record, f"T-{number:03d}", title="x" * 200)
    path = record.workspace.record_file
    assert record_problems(path) == []
    record.workspace.close()
    with contextlib.closing(sqlite3.connect(path)) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        (page,) = connection.execute("SELECT rootpage FROM sqlite_master WHERE name = 'events'").fetchone()
        page_size = connection.execute("PRAGMA page_size").fetchone()[0]
        carriers = connection.execute("SELECT count(*) FROM carriers").fetchone()[0]
    raw = bytearray(path.read_bytes())
    raw[(page - 1) * page_size : page * page_size] = os.urandom(page_size)  # the root of the history
    path.write_bytes(raw)
    assert record_problems(path)
    saved = tmp_path / "saved" / RECORD_FILE
    saved.parent.mkdir()
    saved.touch()
    told = salvage(path, saved)
    assert told.rows["carriers"] == carriers == 301
    assert (told.lost > 0, "events" in told.unread) == (True, True)
    assert record_problems(saved) == []
    again = Workspace(saved.parent, trust=True)
    fresh = Record(again)
    assert fresh.carriers()[0].reading == tape_reading
    assert [hit.label for hit in fresh.finder.find("K-001") if hit.what == "Carrier"] == ["K-001"]
    again.close()


def test_what_stands_beside_a_backup_is_plain(record: Record) -> None:
    record.shelf.add(label="K-001", title="", kind="vhs")
    made = make_backup(record.workspace, keep=1, now=NOW)
    assert json.loads(made.path.with_suffix(".json").read_text()) == {
        "schema_version": 1, "at": "2026-05-01T12:00:00+00:00", "sha256": made.sha256, "carriers": 1, "takes": 0, "copies": 0,
    }  # fmt: skip
