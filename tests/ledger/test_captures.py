"""Capturing's part of the record: settings, takes in parts, marks, clips, and what never began."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from tests.ledger.ages import open_old
from yomikomi.core.capture.marks import Mark
from yomikomi.core.capture.mend import Mended
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.settings import CaptureSettings, TakeDetails
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import NEWEST_REVISION


def _carrier(record: Record, label: str = "K-001") -> int:
    return record.shelf.add(label=label, title="Parade", kind="vhs", standard="525i", source={"kind": "tape player", "seed": 1})


def _result(path: Path, **more: object) -> CaptureResult:
    known: dict[str, object] = {"path": path, "frames": 90, "seconds": 3.0, "late": 1, "dropped": 2, "bytes_written": 10}
    return CaptureResult(**{**known, **more})  # type: ignore[arg-type]


def test_a_workspace_of_before_keeps_its_takes(tmp_path: Path) -> None:
    folder = tmp_path / "old"
    workspace = open_old(folder, "0003")
    record = Record(workspace)
    view = record.carriers()[0]
    assert view.take is not None
    assert (view.take.frames, view.take.dropped, view.take.details) == (90, 2, TakeDetails())
    record.takes.save_marks(view.take.id, [Mark(frame=5, label="good")])
    again = record.carrier(view.id).take
    assert again is not None
    assert again.details.marks == (Mark(frame=5, label="good"),)
    assert record.settings.capture() == CaptureSettings()
    workspace.close()
    with sqlite3.connect(folder / "workspace.sqlite") as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone()[0] == NEWEST_REVISION


def test_settings_come_back_as_they_were(record: Record, tmp_path: Path) -> None:
    wanted = CaptureSettings(
        record_as=RecordAs(codec="h264_high", mbps=40, part_minutes=30), rules=EndRules(most_lost=10, max_seconds=7200),
        spill=(str(tmp_path), str(tmp_path / "gone")), later_ms={"deck → box": 80.0}, cue=True,
    )  # fmt: skip
    record.settings.save_capture(wanted)
    record.settings.save_capture(wanted)
    assert Record(record.workspace).settings.capture() == wanted
    assert wanted.spill_folders == (tmp_path,), "a drive that is not there is passed over"


def test_a_take_keeps_how_it_was_made_and_what_happened(record: Record) -> None:
    carrier = _carrier(record)
    take, path = record.takes.begin(carrier, RecordAs(codec="rdd36_hq", timecode="01:00:00:00"))
    assert path.suffix == ".mov"
    record.takes.save_marks(take, [Mark(frame=3, kind="in")])  # while it is being recorded
    parts = (path, path.with_name("x-part2.mov"))
    record.takes.end(take, _result(path, gaps=((40, 2),), parts=parts, repeated=3, ended="The length asked for is reached."))
    found = record.carrier(carrier).take
    assert found is not None
    details = found.details
    assert (details.gaps, details.repeated, details.ended) == (((40, 2),), 3, "The length asked for is reached.")
    assert details.record_as.timecode == "01:00:00:00"
    assert details.parts == (f"takes/{path.name}", "takes/x-part2.mov")
    assert details.marks == (Mark(frame=3, kind="in"),)
    assert "captured 0:00:03 in 2 files, 2 frames lost" in record.history.events(carrier)[0][2]
    record.takes.save_marks(take, [], names=("a", "b"))
    assert record.carrier(carrier).take.details.names == ("a", "b")  # type: ignore[union-attr]


def test_a_mended_take_in_parts_counts_all_of_them(record: Record) -> None:
    carrier = _carrier(record)
    take, path = record.takes.begin(carrier)
    second = path.with_name(path.stem + "-part2.mkv")
    path.write_bytes(b"12345")
    second.write_bytes(b"123")
    assert [one.path for one in record.takes.cut_off()] == [path]
    words = record.takes.save_mended(take, Mended(60, 2.0, (path, second)))
    assert "2 of it is safe" in words or "0:00:02 of it is safe" in words
    found = record.carrier(carrier).take
    assert found is not None
    assert (found.state, found.size_bytes, len(found.details.parts)) == ("mended", 8, 2)


def test_a_take_that_never_began_is_forgotten(record: Record) -> None:
    carrier = _carrier(record)
    take, _path = record.takes.begin(carrier)
    record.takes.forget(take)
    view = record.carrier(carrier)
    assert (view.take, view.takes, record.takes.cut_off()) == (None, 0, [])


def test_a_clip_stands_on_the_shelf_by_itself(record: Record) -> None:
    carrier = _carrier(record)
    files = [record.workspace.folder / "takes" / f"clip{n}.mkv" for n in (1, 2)]
    for file in files:
        file.write_bytes(b"123")
    made = [record.takes.add_clip(carrier, file, seconds=4.0, frames=120, name="the kiln opens") for file in files]
    views = [record.carrier(one) for one in made]
    assert [view.label for view in views] == ["K-001-c1", "K-001-c2"]
    assert all(view.title == "the kiln opens" and view.standard == "525i" and not view.has_player for view in views)
    assert views[0].take is not None
    assert (views[0].take.origin, views[0].take.frames) == ("copied", 120)
    assert views[0].next_station == "reading"
    assert "clip the kiln opens" in " ".join(event[2] for event in record.history.events(carrier))


def test_live_carriers_and_devices_can_be_captured(record: Record) -> None:
    camera = record.shelf.add(label="K-006", title="Interview", kind="camera", standard="1080i59.94")
    bare = record.shelf.add(label="K-009", title="Tape", kind="vhs", standard="525i")
    device = record.shelf.add(label="K-010", title="Tape", kind="vhs", standard="525i", source={"kind": "device", "video": "/dev/video0"})
    disc = record.shelf.add(label="K-011", title="Disc", kind="disc", source={"kind": "disc title"})
    assert [record.carrier(one).has_player for one in (camera, bare, device, disc)] == [True, False, True, False]
