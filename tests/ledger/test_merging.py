"""Two workspaces become one without losing or doubling anything."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import text

from tests.ledger.done import capture, finish
from yomikomi.core.errors import CancelledError, WorkspaceError, WrongUseError
from yomikomi.core.fixity.digests import content_of, digests_of
from yomikomi.core.fixity.disks import disk_of
from yomikomi.core.ledger import merged_files
from yomikomi.core.ledger.integrity import record_problems
from yomikomi.core.ledger.merging import merge
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.looking.spots import Spot
from yomikomi.core.reading.models import Reading

_COUNTED = ("carriers", "takes", "copies", "readings", "treatments", "events", "looks", "files", "locations", "overrulings")


@pytest.fixture
def other(tmp_path: Path, tape_reading: Reading) -> Iterator[Record]:
    """K-001 with a verified copy that was looked at, K-002 captured, and one that waits."""
    workspace = Workspace(tmp_path / "other")
    record = Record(workspace)
    done = finish(record, "K-001", tape_reading, title="Ferry school")
    record.looks.add(done.copies[0], Spot(1.0, "end"), "good", who="Mio")
    record.readings.overrule(done.take, topic="sync", was="in step", now="40 ms late", reason="seen")
    capture(record, "K-002")
    for one in record.files.unhashed():
        record.files.add(one, digests_of(one.path), "disk B")
    view = record.carrier(done.carrier)
    assert view.treatment is not None
    record.copies.ask(done.take, view.copies[0].recipe, view.treatment, None, workspace.folder / "copies" / "later.mp4")
    yield record
    workspace.close()


def _counts(record: Record) -> dict[str, int]:
    with record.store.session() as session:
        return {name: session.scalar(text(f"SELECT count(*) FROM {name}")) or 0 for name in _COUNTED}


def _contents(folder: Path) -> dict[str, str]:
    files = [one for one in sorted(folder.rglob("*")) if one.is_file() and one.suffix != ".sqlite-shm"]
    return {str(one.relative_to(folder)): content_of(one)[1] for one in files}


def test_all_comes_once_and_the_other_stays_as_it_is(record: Record, other: Record, tape_reading: Reading) -> None:
    finish(record, "K-001", tape_reading)
    own, theirs = _counts(record), _counts(other)
    before = _contents(other.workspace.folder)
    told = merge(record, other.workspace.folder)
    assert (told.carriers, told.takes, told.copies, told.files, told.known) == (2, 2, 2, 3, 0)
    assert (told.renamed, told.missing) == ({"K-001": "K-001-2"}, [])
    both = {name: own[name] + theirs[name] for name in _COUNTED}
    assert _counts(record) == both
    views = {view.label: view for view in record.carriers()}
    merged, first = views["K-001-2"], other.carriers()[0]
    assert (merged.title, merged.reading, merged.treatment) == ("Ferry school", first.reading, first.treatment)
    assert merged.take is not None
    assert first.take is not None
    assert merged.take.path.is_relative_to(record.workspace.folder)
    assert content_of(merged.take.path) == content_of(first.take.path)
    assert [copy.state for copy in merged.copies] == ["verified", "waiting"]
    assert content_of(merged.copies[0].file) == content_of(first.copies[0].file)
    assert len(record.jobs.entries()) == 2
    assert {one.state for one in record.files.all()} == {"whole"}
    assert {one.path.exists() for one in record.files.all()} == {True}
    assert "Ferry" in {hit.title.split()[0] for hit in record.finder.find("ferry")}
    assert _contents(other.workspace.folder) == before
    again = merge(record, other.workspace.folder)
    assert (again.carriers, again.takes, again.copies, again.files, again.known) == (0, 0, 0, 0, 2)
    assert _counts(record) == both
    assert record_problems(record.workspace.record_file) == []


def test_what_came_after_the_first_time_comes_at_the_second(record: Record, other: Record, tape_reading: Reading) -> None:
    merge(record, other.workspace.folder)
    counted = _counts(record)
    late = other.carriers()[1]
    assert late.take is not None
    other.readings.save(late.take.id, tape_reading)
    finish(other, "K-007", tape_reading)
    told = merge(record, other.workspace.folder)
    assert (told.carriers, told.takes, told.copies) == (1, 1, 1)
    after = _counts(record)
    assert (after["readings"], after["carriers"]) == (counted["readings"] + 2, counted["carriers"] + 1)
    assert next(view for view in record.carriers() if view.label == "K-002").reading == tape_reading


def test_a_copy_of_this_very_workspace_that_went_on_elsewhere(record: Record, tmp_path: Path, tape_reading: Reading) -> None:
    """What both had before is not doubled, though it never came by a merge."""
    finish(record, "K-001", tape_reading)
    twin_folder = tmp_path / "laptop"
    record.workspace.close()
    shutil.copytree(record.workspace.folder, twin_folder)
    twin = Workspace(twin_folder, trust=True)
    finish(Record(twin), "K-050", tape_reading)
    twin.close()
    home = Workspace(record.workspace.folder, trust=True)
    fresh = Record(home)
    counted = _counts(fresh)
    told = merge(fresh, twin_folder)
    assert (told.carriers, told.takes, told.copies, told.known, told.files) == (1, 1, 1, 1, 2)
    after = _counts(fresh)
    assert {name: after[name] - counted[name] for name in ("carriers", "takes", "copies", "readings", "treatments")} == dict.fromkeys(
        ("carriers", "takes", "copies", "readings", "treatments"), 1
    )
    home.close()


def test_what_went_round_comes_back_as_what_it_is(record: Record, other: Record, tmp_path: Path, tape_reading: Reading) -> None:
    """Three workspaces, each brought into the next, and the first into the third: all is known again."""
    finish(record, "K-001", tape_reading)
    third = Workspace(tmp_path / "third")
    last = Record(third)
    merge(other, record.workspace.folder)
    merge(last, other.workspace.folder)
    counted = _counts(last)
    assert counted["carriers"] == 3
    assert merge(last, record.workspace.folder).carriers == 0
    assert _counts(last) == counted
    merge(record, third.folder)
    assert [view.label for view in record.carriers()] == ["K-001", "K-001-2", "K-002"]
    assert merge(record, other.workspace.folder).known == 3
    third.close()


def test_cut_off_in_the_middle_nothing_is_written_down_and_files_are_taken_up_again(
    record: Record, other: Record, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(merged_files, "_PIECE", 64)
    counted, count = _counts(record), iter(range(10**6))

    def stops() -> None:
        if next(count) > 20:
            raise CancelledError("Stopped.")

    with pytest.raises(CancelledError):
        merge(record, other.workspace.folder, stops)
    assert _counts(record) == counted
    came = [one for one in (record.workspace.folder / "takes").iterdir() if one.is_file()]
    told = merge(record, other.workspace.folder)
    assert (told.carriers, told.takes) == (2, 2)
    assert all(one.exists() for one in came)
    names = sorted(one.name for room in ("takes", "copies") for one in (record.workspace.folder / room).iterdir())
    assert len(names) == 3


_BRINGS_OVER = """
import sys, time
from pathlib import Path
from yomikomi.core.ledger import merged_files
from yomikomi.core.ledger.merging import merge
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
merged_files._PIECE = 40
record = Record(Workspace(Path(sys.argv[1]), trust=True))
print("begins", flush=True)
merge(record, Path(sys.argv[2]), lambda: time.sleep(0.001))
print("done", flush=True)
"""


def test_killed_while_it_merges_the_next_try_brings_all_once(record: Record, other: Record) -> None:
    folder, theirs = record.workspace.folder, _counts(other)
    other.workspace.close()
    record.workspace.close()
    for wait in (0.0, 0.05, 0.12):
        words = [sys.executable, "-c", _BRINGS_OVER, str(folder), str(other.workspace.folder)]
        process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True)
        assert process.stdout is not None
        process.stdout.readline()
        time.sleep(wait)
        process.kill()
        process.wait()
        process.stdout.close()
    home = Workspace(folder, trust=True)
    fresh = Record(home)
    merge(fresh, other.workspace.folder)
    assert _counts(fresh) == theirs
    assert record_problems(home.record_file) == []
    names = sorted(one.name for room in ("takes", "copies") for one in (folder / room).iterdir())
    assert len(names) == 3, names
    home.close()


def test_older_damaged_and_missing_things(record: Record, other: Record, tmp_path: Path) -> None:
    from tests.ledger.ages import open_old

    old = open_old(tmp_path / "old", "0003")
    old.close()
    assert merge(record, tmp_path / "old").carriers > 0
    with pytest.raises(WrongUseError, match="itself"):
        merge(record, record.workspace.folder)
    with pytest.raises(WorkspaceError, match="no workspace"):
        merge(record, tmp_path / "nowhere")
    lost, damaged = sorted((other.workspace.folder / "takes").iterdir())
    lost.unlink()
    damaged.write_bytes(damaged.read_bytes()[:-1] + b"!")  # silently, since it was hashed
    told = merge(record, other.workspace.folder)
    assert told.missing == [f"takes/{lost.name}"]
    came = {one.path.name: (one.state, one.words, one.disk) for one in record.files.all() if one.what == "take"}
    assert came[damaged.name][:2] == ("changed", "not what was hashed, when it came")
    assert came[damaged.name][2] == disk_of(record.workspace.folder)  # not that of the drive that it came from
    bad = tmp_path / "bad"
    bad.mkdir()
    other.workspace.close()
    raw = bytearray((other.workspace.folder / "workspace.sqlite").read_bytes())
    raw[8000:30000] = os.urandom(22000)
    (bad / "workspace.sqlite").write_bytes(raw)
    counted = _counts(record)
    with pytest.raises(WorkspaceError, match="damaged"):
        merge(record, bad)
    assert _counts(record) == counted
