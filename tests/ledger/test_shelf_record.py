"""The shelf's part of the record: intake, series, conditions, imports of folders and discs, views kept until changed."""

from __future__ import annotations

import shutil
import sqlite3
from pathlib import Path

import pytest
from sqlalchemy import event

from tests.ledger.ages import open_old
from tests.making import sliding_frames, write_clip
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.ledger.gathering import gather
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.ledger.workspace import NEWEST_REVISION
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.planning.machine import MachineSpeeds, Speed


def put(record: Record, *labels: str, **more: object) -> list[int]:
    return record.shelf.put([Intake(label=one, kind="vhs", **more) for one in labels], [None] * len(labels))  # type: ignore[arg-type]


def judged(view: CarrierView, condition: Condition, note: str = "") -> Intake:
    """What is written down of a carrier, with its condition judged anew."""
    return view.intake.model_copy(update={"details": view.details.model_copy(update={"condition": condition}), "note": note})


def test_a_workspace_of_the_first_form_is_taken_over_whole(tmp_path: Path) -> None:
    """The first released form, as it stood in a file."""
    folder = tmp_path / "old"
    workspace = open_old(folder, "0001")
    record = Record(workspace)
    view = record.carriers()[0]
    assert (view.label, view.title, view.standard, view.nominal_seconds, view.note) == (
        "K-001", "Lantern parade", "525i", 7080.0, "no corrector",
    )  # fmt: skip
    assert view.details == CarrierDetails()
    assert view.take is not None
    assert view.take.frames == 90
    assert view.has_player
    assert record.history.events()[0][2] == "K-001 taken in"
    workspace.close()
    with sqlite3.connect(folder / "workspace.sqlite") as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone()[0] == NEWEST_REVISION


def test_intake_is_kept_and_comes_back_as_it_was(record: Record) -> None:
    wanted = Intake(
        label="K-001", title="Parade", kind="vhs", format="525i", seconds=7200.0, note="box 3",
        details=CarrierDetails(
            shape="4:3", sound="mono", marked_minutes=120, speed="SP", rights=True, wanted=("archive",), tags=("parade", "1993"),
            condition=Condition(looked=True, ticked=("shell",)),
        ),
    )  # fmt: skip
    number = record.shelf.put([wanted], [{"kind": "tape player", "seed": 1}])[0]
    assert record.carrier(number).intake == wanted
    changed = wanted.model_copy(update={"label": "K-007", "title": "Lantern parade"})
    record.shelf.change(number, changed)
    assert record.carrier(number).intake == changed
    assert record.carrier(number).source == {"kind": "tape player", "seed": 1}
    assert Record(record.workspace).carrier(number).intake == changed
    with pytest.raises(WrongUseError, match="not in this workspace"):
        record.shelf.change(99, changed)


def test_a_series_goes_on_the_shelf_whole_or_not_at_all(record: Record) -> None:
    put(record, "K-002")
    with pytest.raises(WrongUseError, match="K-002 already"):
        put(record, "K-001", "K-002", "K-003")
    assert [view.label for view in record.carriers()] == ["K-002"]
    with pytest.raises(WrongUseError, match="needs a label"):
        put(record, " ")
    put(record, *(f"K-{n:03d}" for n in range(3, 15)))
    assert len(record.carriers()) == 13
    assert record.shelf.next_label() == "K-015"


def test_an_unfit_carrier_cannot_be_captured_by_accident(record: Record) -> None:
    number = put(record, "K-001", details=CarrierDetails(condition=Condition(ticked=("mould",))))[0]
    view = record.carrier(number)
    assert view.unfit
    assert view.next_station == "shelf"
    with pytest.raises(WrongUseError, match="unfit to play: growth") as told:
        record.takes.begin(number)
    assert "condition" in told.value.remedy
    assert record.carrier(number).take is None
    record.shelf.change(number, judged(view, Condition(looked=True), "cleaned by the conservator"))
    record.takes.begin(number)
    assert record.carrier(number).take is not None
    assert record.carrier(number).note == "cleaned by the conservator"
    assert "K-001 changed: looked at, fine" in [words for _, _, words in record.history.events(number)]


def test_only_carriers_without_takes_leave_the_shelf(record: Record) -> None:
    one, two = put(record, "K-001", "K-002")
    record.takes.begin(two)
    record.shelf.remove(one)
    with pytest.raises(WrongUseError, match="has takes"):
        record.shelf.remove(two)
    assert [view.label for view in record.carriers()] == ["K-002"]
    history = [words for _, _, words in record.history.events()]
    assert "K-001 added" in history
    assert "K-001 taken off the shelf" in history


def test_views_are_made_once_and_anew_only_where_something_changed(record: Record) -> None:
    ids = put(record, *(f"K-{n:03d}" for n in range(1, 301)))
    before = record.carriers()
    asked: list[str] = []
    event.listen(record.workspace.engine, "before_cursor_execute", lambda *a: asked.append(a[2]))
    assert [id(view) for view in record.carriers()] == [id(view) for view in before]
    assert asked == []
    take, path = record.takes.begin(ids[4])
    asked.clear()
    after = record.carriers()
    assert [n for n, (old, new) in enumerate(zip(before, after, strict=True)) if old is not new] == [4]
    assert len(asked) < 12
    assert after[4].take is not None
    for change in (
        lambda: record.takes.save_mended(take, None),
        lambda: record.shelf.change(ids[4], judged(record.carrier(ids[4]), Condition(looked=True))),
        lambda: record.shelf.change(ids[4], record.carrier(ids[4]).intake.model_copy(update={"note": "x"})),
    ):
        old = record.carrier(ids[4])
        change()
        assert record.carrier(ids[4]) is not old
    with pytest.raises(WrongUseError):
        record.shelf.change(ids[4], record.carrier(ids[5]).intake)
    assert record.carrier(ids[4]).label == "K-005"
    assert not path.exists()


def test_files_and_folders_are_gathered(record: Record, tmp_path: Path) -> None:
    box = tmp_path / "box"
    (box / "inner").mkdir(parents=True)
    (box / ".hidden").mkdir()
    good = write_clip(box / "good.mp4", sliding_frames(12), rate=25)
    shutil.copy(good, box / "inner" / "again.mkv")
    shutil.copy(good, box / ".hidden" / "unseen.mp4")
    (box / "inner" / "broken.mov").write_bytes(b"\0" * 100)
    (box / "notes.txt").write_text("not footage")
    odd = tmp_path / "odd.name"
    shutil.copy(good, odd)
    found = gather(record.takes, [box, odd, tmp_path / "gone.mp4"])
    assert sorted(record.carrier(one).title for one in found.taken) == ["again", "good", "odd"]
    assert found.left_aside == 1
    assert len(found.failures) == 2
    assert all(isinstance(error, UnreadableError) and error.remedy for error in found.failures)
    assert gather(record.takes, [box]).taken == ()  # all of it is on the shelf already
    assert good.exists()


def test_discs_in_a_folder_are_named_not_opened(record: Record, tmp_path: Path) -> None:
    disc = tmp_path / "box" / "Ferry school" / "VIDEO_TS"
    disc.mkdir(parents=True)
    (disc / "VIDEO_TS.IFO").write_bytes(b"x")
    (disc / "VTS_01_1.VOB").write_bytes(b"x")
    image = tmp_path / "box" / "disc.iso"
    image.write_bytes(b"x")
    found = gather(record.takes, [tmp_path / "box"])
    assert set(found.discs) == {disc.parent, image}
    assert (found.taken, found.left_aside, found.failures) == ((), 0, ())


def test_names_of_takes_stay_free(record: Record) -> None:
    number = put(record, "K-001", title="Parade")[0]
    first = record.takes.name(number)
    first.touch()
    second = record.takes.name(number)
    assert second != first
    second.write_bytes(b"abc")
    record.takes.add_copied(number, second, seconds=2.0, frames=50, words="title copied")
    view = record.carrier(number)
    assert view.take is not None
    assert (view.take.origin, view.take.size_bytes, view.take.path) == ("copied", 3, second)
    assert record.takes.name(number) not in {first, second}
    work = record.carriers()[0].spine.work
    assert work.captured
    assert work.take_bytes is None  # copied data say nothing of what capturing takes


def test_measurements_and_reckonings_are_remembered(record: Record) -> None:
    assert record.settings.machine_speeds() is None
    for rate in (1e8, 2e8):
        speed = Speed(low=rate, usual=rate, high=rate)
        record.settings.save_machine_speeds(MachineSpeeds(made_at="2026-11-25", processors=2, write_bytes_per_second=speed, encoders={}))
    found = Record(record.workspace).settings.machine_speeds()
    assert found is not None
    assert found.write_bytes_per_second.usual == 2e8
    record.settings.save_reckoning("size", {"time": "2h"}, "one")
    record.settings.save_reckoning("size", {"time": "2h", "size": "4.7GB"}, "two")  # the same line, gone on with
    record.settings.save_reckoning("upload", {"size": "1GB"}, "three")
    assert [words for _, _, words in record.settings.reckonings()] == ["three", "two"]
