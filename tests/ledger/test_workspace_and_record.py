"""The workspace and its record: opened once, migrated, safe; and everything the stations write down."""

from __future__ import annotations

import contextlib
import json
import sqlite3
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest
from alembic.autogenerate import compare_metadata
from alembic.config import Config
from alembic.migration import MigrationContext
from alembic.script import ScriptDirectory

from tests.ledger.ages import open_old
from tests.making import sliding_frames, write_clip
from yomikomi.core import ledger
from yomikomi.core.balance.models import Estimate, Prediction, Quality, TrialPoint, TrialSet, TriedSegment
from yomikomi.core.capture.mend import Mended
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.errors import UnreadableError, WorkspaceError, WrongUseError
from yomikomi.core.ledger.integrity import record_problems
from yomikomi.core.ledger.naming import copy_stem, safe_name
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import Base
from yomikomi.core.ledger.takes import CutOffTake
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.ledger.workspace import FOLDERS, NEWEST_REVISION, Workspace
from yomikomi.core.outlets.model import outlets
from yomikomi.core.reading.models import SCHEMA_VERSION, Reading
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import Lossless
from yomikomi.core.recipes.recipe import recipe_for, recipe_with
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder


def test_a_new_workspace_has_its_folders_and_the_newest_tables(workspace: Workspace) -> None:
    assert all((workspace.folder / name).is_dir() for name in FOLDERS)
    with sqlite3.connect(workspace.folder / "workspace.sqlite") as connection:
        assert connection.execute("PRAGMA journal_mode").fetchone()[0] == "wal"
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone()[0] == NEWEST_REVISION
    config = Config()
    config.set_main_option("script_location", str(Path(ledger.__file__).parent / "migrations"))
    assert ScriptDirectory.from_config(config).get_current_head() == NEWEST_REVISION
    index = {"include_name": lambda name, kind, _of: kind != "table" or not name.startswith("finder")}  # virtual, and no model's
    with workspace.engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection, opts=index), Base.metadata) == []


def test_a_new_record_is_what_an_old_one_becomes(workspace: Workspace, tmp_path: Path) -> None:
    """Columns, keys and indexes of tables that are made at once, against those that migrations led to."""

    def shape(folder: Path) -> dict[str, Any]:
        with contextlib.closing(sqlite3.connect(folder / "workspace.sqlite")) as connection:

            def told(pragma: str, of: str, first: int) -> list[Any]:
                return sorted(row[first:] for row in connection.execute(f"PRAGMA {pragma}({of})"))

            names = [name for (name,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            index = connection.execute("SELECT name, sql FROM sqlite_master WHERE name LIKE 'finder%' ORDER BY name").fetchall()
            return {
                "index": index,
            } | {
                name: (
                    # Without defaults: they filled rows of their time.
                    [(*one[:3], one[4]) for one in told("table_info", name, 1)], told("foreign_key_list", name, 2),
                    [told("index_info", one[0], 2) for one in told("index_list", name, 1) if not one[0].startswith("sqlite_")],
                )
                for name in names if name != "alembic_version"
            }  # fmt: skip

    with contextlib.closing(open_old(tmp_path / "old", "0001")) as old:
        assert shape(old.folder) == shape(workspace.folder)


@pytest.mark.parametrize("form", [f"{number:04d}" for number in range(1, int(NEWEST_REVISION))])
def test_every_form_that_ever_was_opens_whole(form: str, tmp_path: Path) -> None:
    """A workspace of each revision: all its carriers and copies are there, found by their words, and told on their pages."""
    with contextlib.closing(open_old(tmp_path / "old", form)) as old:
        record = Record(old)
        views = record.carriers()
        assert views
        assert record.store.maker.troubles == {}
        assert {view.label for view in views} <= {hit.label for view in views for hit in record.finder.find(view.label)}
        assert all(record.pages.of(view.id).entries for view in views)
        assert record_problems(old.record_file) == []
        if form >= "0005":
            assert [copy.state for copy in record.copies.all()] == ["waiting"]


def test_one_process_at_a_time_with_a_clear_word(workspace: Workspace) -> None:
    with pytest.raises(WorkspaceError, match="open in another Yomikomi") as caught:
        Workspace(workspace.folder)
    assert "start with another workspace" in caught.value.remedy
    script = (
        "import sys; from pathlib import Path; from yomikomi.core.ledger.workspace import Workspace\n"
        "try: Workspace(Path(sys.argv[1]))\n"
        "except Exception as error: print(error)"
    )
    told = subprocess.run([sys.executable, "-c", script, str(workspace.folder)], capture_output=True, text=True, check=True)
    assert "open in another Yomikomi" in told.stdout
    workspace.close()
    Workspace(workspace.folder).close()


def test_paths_are_kept_relative_inside_and_as_they_are_outside(workspace: Workspace, tmp_path: Path) -> None:
    inside, outside = workspace.folder / "takes" / "a.mkv", tmp_path / "elsewhere" / "b.mp4"
    assert workspace.keep(inside) == "takes/a.mkv"
    assert workspace.path(workspace.keep(inside)) == inside
    assert workspace.path(workspace.keep(outside)) == outside


def test_damaged_foreign_and_newer_workspaces_are_refused_untouched(tmp_path: Path) -> None:
    damaged = tmp_path / "damaged"
    damaged.mkdir()
    (damaged / "workspace.sqlite").write_bytes(b"this is no database, whatever its name says" * 100)
    with pytest.raises(WorkspaceError, match="may be damaged") as caught:
        Workspace(damaged)
    assert "backup" in caught.value.remedy
    assert b"no database" in (damaged / "workspace.sqlite").read_bytes()
    newer = tmp_path / "newer"
    Workspace(newer).close()
    with sqlite3.connect(newer / "workspace.sqlite") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    with pytest.raises(WorkspaceError, match="newer Yomikomi"):
        Workspace(newer)
    file = tmp_path / "file"
    file.touch()
    with pytest.raises(WorkspaceError, match="cannot be used"):
        Workspace(file)


def _result(path: Path, **other: object) -> CaptureResult:
    values = {"frames": 90, "seconds": 3.0, "late": 1, "dropped": 0, "bytes_written": 123, **other}
    return CaptureResult(path, **values)  # type: ignore[arg-type]


def _carrier(record: Record, label: str = "K-001") -> int:
    return record.shelf.add(label=label, title="Lantern parade", kind="vhs", standard="525i", source={"kind": "tape player"})


def _taken(record: Record) -> tuple[int, int]:
    carrier = _carrier(record)
    take, path = record.takes.begin(carrier)
    path.touch()
    record.takes.end(take, _result(path))
    return carrier, take


def _prediction(size: float = 1e6) -> Prediction:
    return Prediction(
        recipe=recipe_for("h264", 20), deinterlace="double", size_bytes=Estimate(expected=size, low=size * 0.9, high=size * 1.1),
        quality=Quality(value=15), psnr_db=38, encode_seconds=Estimate(expected=5, low=4, high=8), measured=True,
    )  # fmt: skip


def _copied(verified: bool = True) -> CopyResult:
    checks = [Check(name="frame count", passed=verified, found="x")]
    return CopyResult(file="x.mp4", size_bytes=990_000, frames=180, duration_seconds=3, encode_seconds=6, verified=verified, checks=checks)


def test_a_carrier_goes_through_all_stations(record: Record, tape_reading: Reading) -> None:
    carrier = _carrier(record)
    steps: list[tuple[int, str]] = []

    def note() -> CarrierView:
        view = record.carrier(carrier)
        steps.append((view.progress, view.next_station))
        return view

    note()
    take, path = record.takes.begin(carrier)
    assert record.carrier(carrier).progress == 1  # not captured while it is being recorded
    path.touch()
    record.takes.end(take, _result(path))
    note()
    record.readings.save(take, tape_reading)
    note()
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF))
    view = note()
    trials = TrialSet(
        deinterlace="double", field_order="tff", rate="60000/1001", frames=180, duration_seconds=3, sound_bytes=0,
        segments=[TriedSegment(first_frame=0, frames=90, role="whole")], whole=True, points=[], trial_seconds=4,
    )  # fmt: skip
    record.trials.save(take, trials, record.workspace.folder / "trials" / "take-1")
    note()
    target = record.workspace.folder / "copies" / f"{copy_stem(view, recipe_for('h264', 20))}.mp4"
    copy = record.copies.ask(take, recipe_for("h264", 20), Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF), _prediction(), target)
    assert record.copies.planned_names(target.parent, target.stem) == {"k-001-lantern-parade-h264-20.mp4"}
    assert not record.copies.planned_names(target.parent, "k-001-lantern-parade-h264-21")
    assert not record.copies.planned_names(target.parent / "masters", target.stem)
    record.copies.start(copy)
    record.copies.end(copy, result=_copied())
    view = note()
    assert steps == [(1, "path"), (3, "reading"), (4, "treatment"), (5, "balance"), (6, "balance"), (8, "ledger")]
    assert view.trials == trials
    assert view.reading == tape_reading
    (made,) = record.copies.all()
    assert (made.state, made.carrier, made.path, made.predicted) == ("verified", "K-001", target, _prediction())
    told = [words for _, _, words in record.history.events(carrier)]
    assert told[0] == "copy k-001-lantern-parade-h264-20.mp4: verified"
    assert "captured 0:00:03, nothing lost" in told


def test_the_record_is_there_after_closing(record: Record, tape_reading: Reading) -> None:
    carrier, take = _taken(record)
    record.readings.save(take, tape_reading)
    record.workspace.close()
    again = Workspace(record.workspace.folder)
    try:
        view = Record(again).carrier(carrier)
        assert view.reading == tape_reading
        assert (view.take.late, view.take.dropped) == (1, 0) if view.take else False
    finally:
        again.close()


def test_an_overruling_counts_and_the_measurement_stays(record: Record, tape_reading: Reading) -> None:
    carrier, take = _taken(record)
    record.readings.save(take, tape_reading)
    record.readings.choose_treatment(take, Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF))
    record.readings.overrule(take, topic="scan", was="interlaced bff", now="interlaced tff", reason="the deck's manual says so")
    view = record.carrier(carrier)
    assert view.judged is not None
    assert view.reading is not None
    assert (view.judged.scan.field_order, view.judged.scan.confidence) == ("tff", 1.0)
    assert view.reading.scan.field_order == "bff"
    assert view.treatment is None  # what was chosen on the old verdict no longer counts
    record.readings.overrule(take, topic="scan", was="interlaced tff", now="progressive", reason="")
    view = record.carrier(carrier)
    assert view.judged is not None
    assert (view.judged.scan.kind, view.judged.scan.field_order) == ("progressive", None)
    assert [o.reason for o in view.overrulings] == ["the deck's manual says so", ""]


def test_labels(record: Record) -> None:
    assert record.shelf.next_label() == "K-001"
    _carrier(record, "K-007")
    _carrier(record, "Attic box")
    assert record.shelf.next_label() == "K-008"
    assert record.shelf.next_label("F") == "F-001"
    for wrong in ("K-007", "  ", ""):
        with pytest.raises(WrongUseError):
            _carrier(record, wrong)
    with pytest.raises(WrongUseError):
        record.carrier(999)


def test_files_come_in_by_reference(record: Record, tmp_path: Path) -> None:
    path = write_clip(tmp_path / "holiday film.mp4", sliding_frames(50, width=96, height=64), sound_seconds=2)
    before = (path.stat().st_mtime_ns, path.read_bytes())
    carrier, warning = record.takes.import_file(path)
    view = record.carrier(carrier)
    assert (view.label, view.title, warning) == ("F-001", "holiday film", "")
    assert view.take is not None
    assert (view.take.path, view.take.origin) == (path, "imported")
    assert (path.stat().st_mtime_ns, path.read_bytes()) == before
    with pytest.raises(WrongUseError, match="on the shelf already, as F-001"):
        record.takes.import_file(path)
    with pytest.raises(UnreadableError):
        record.takes.import_file(tmp_path / "gone.mp4")
    assert len(record.carriers()) == 1


def test_takes_never_share_a_name(record: Record) -> None:
    carrier = _carrier(record)
    paths = []
    for _ in range(3):
        take, path = record.takes.begin(carrier)
        path.touch()
        record.takes.end(take, _result(path))
        paths.append(path.name)
    assert paths == [f"k-001-lantern-parade-take0{n}.mkv" for n in (1, 2, 3)]
    (record.workspace.folder / "takes" / "k-001-lantern-parade-take04.mkv").touch()
    assert record.takes.begin(carrier)[1].name == "k-001-lantern-parade-take05.mkv"


def test_what_a_crash_left_is_found_and_written_down(record: Record) -> None:
    carrier = _carrier(record)
    take, path = record.takes.begin(carrier)
    assert record.takes.cut_off() == [CutOffTake(take, "K-001", path, away=False, frames=0)]
    path.write_bytes(b"x" * 10)
    said = record.takes.save_mended(take, Mended(60, 2.0))
    assert "0:00:02 of it is safe" in said
    view = record.carrier(carrier)
    assert view.take is not None
    assert (view.take.state, view.take.frames, view.take.size_bytes) == ("mended", 60, 10)
    lost, _ = record.takes.begin(carrier)
    assert "could not be mended" in record.takes.save_mended(lost, None, "nothing there")
    assert record.carrier(carrier).take == view.take  # the lost one does not take its place
    assert record.takes.cut_off() == []
    copy = record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, record.workspace.folder / "copies" / "c.mp4")
    record.copies.start(copy)
    assert record.copies.requeue_cut_off() == 1
    assert record.copies.all()[0].state == "waiting"
    assert "interrupted when the program ended" in record.copies.all()[0].trouble


def test_how_copies_end(record: Record) -> None:
    _, take = _taken(record)
    folder = record.workspace.folder / "copies"
    ids = [record.copies.ask(take, recipe_for("h264", 20), Treatment(), None, folder / f"{n}.mp4") for n in range(3)]
    record.copies.end(ids[0], result=_copied(verified=False))
    record.copies.end(ids[1], result=None, state="cancelled", trouble="stopped by hand")
    record.copies.end(ids[2], result=None, state="failed", trouble="The drive is full.")
    assert [c.state for c in record.copies.all()] == ["doubtful", "cancelled", "failed"]
    assert record.carriers()[0].progress < 8


def test_names_of_files_from_peoples_words() -> None:
    assert safe_name("K-001 Lantern/parade: 1993?") == "k-001-lantern-parade-1993"
    assert safe_name("../../etc/passwd") == "etc-passwd"
    assert safe_name("浜の祭り") == "浜の祭り"
    assert safe_name("///") == "unnamed"
    assert len(safe_name("祭" * 300).encode()) <= 120


def test_documents_are_plain_json(record: Record, tape_reading: Reading) -> None:
    """Nothing is pickled: another program can read the record."""
    _, take = _taken(record)
    record.readings.save(take, tape_reading)
    with sqlite3.connect(record.workspace.folder / "workspace.sqlite") as connection:
        document = json.loads(connection.execute("SELECT document FROM readings").fetchone()[0])
    assert document["scan"]["kind"] == "interlaced"
    assert document["schema_version"] == SCHEMA_VERSION


def test_codecs_that_were_tried_for_another_outlet_stay_on_the_plane(record: Record, workspace: Workspace, tape_reading: Reading) -> None:
    """Each codec's points from the newest set that tried it; none from before another reading; a damaged set costs itself."""
    carrier, take = _taken(record)
    record.readings.save(take, tape_reading)
    record.readings.choose_treatment(take, Treatment())

    def tried(codec: str, size: int) -> Path:
        folder = record.trials.new_folder(take)
        recipe = recipe_for(codec, 24) if codec != "ffv1" else recipe_with(CODECS["ffv1"], Lossless(), sound="flac")
        value = Estimate(expected=size, low=size, high=size)
        point = TrialPoint(recipe=recipe, size_bytes=value, ssim_db=20, psnr_db=40, encode_seconds=value, tried_frames=1, crop="a.png")
        trials = TrialSet(
            deinterlace="leave", field_order=None, treatment=Treatment(), rate="25/1", frames=250, duration_seconds=10, sound_bytes=0,
            segments=[TriedSegment(first_frame=0, frames=250, role="whole")], whole=True, points=[point], trial_seconds=4,
        )  # fmt: skip
        record.trials.save(take, trials, folder)
        return folder

    def seen() -> dict[str, float]:
        trials = record.carrier(carrier).trials
        assert trials is not None
        return {point.recipe.codec: point.size_bytes.expected for point in trials.points}

    first = tried("h264", 1)
    tried("h264", 2)
    last = tried("ffv1", 3)
    assert seen() == {"ffv1": 3, "h264": 2}
    shown = record.carrier(carrier)
    assert shown.trials is not None
    assert shown.trials_folder == last
    assert [(last / (point.crop or "")).resolve().parent == last for point in shown.trials.points] == [True, False]
    record.readings.save(take, tape_reading)
    with sqlite3.connect(workspace.folder / "workspace.sqlite") as connection:
        connection.execute("UPDATE trial_sets SET document = '{}' WHERE folder LIKE ?", (f"%{first.name}",))
        connection.execute("UPDATE readings SET made_at = '2999-01-01T00:00:00+00:00' WHERE id = (SELECT max(id) FROM readings)")
    again = Record(workspace)
    assert again.carrier(carrier).trials is not None
    assert {point.recipe.codec for point in again.carrier(carrier).trials.points} == {"ffv1"}  # type: ignore[union-attr]


def test_a_workspace_of_before_outlets_keeps_its_waiting_copies(tmp_path: Path) -> None:
    workspace = open_old(tmp_path / "Kamome Bay", "0005")
    try:
        record = Record(workspace)
        (copy,) = record.copies.all()
        assert (copy.state, copy.outlet, copy.recipe) == ("waiting", None, recipe_for("h264", 20))
        assert copy.treatment.field_order is FieldOrder.BFF
        again = record.copies.ask(copy.take_id, copy.recipe, copy.treatment, None, copy.path.with_stem("again"), outlets()["media-box"])
        assert {one.id: one.outlet for one in record.copies.all()} == {copy.id: None, again: outlets()["media-box"]}
    finally:
        workspace.close()


def test_what_is_written_is_on_the_drive(tmp_path: Path) -> None:
    """As people get it: the tests themselves do not wait for the drive."""
    script = (
        "import sys; from pathlib import Path; from yomikomi.core.ledger.workspace import Workspace\n"
        "workspace = Workspace(Path(sys.argv[1]))\n"
        "with workspace.sessions() as session:\n"
        "    print(session.connection().exec_driver_sql('PRAGMA synchronous').scalar())\n"
        "    print(session.connection().exec_driver_sql('PRAGMA journal_mode').scalar())\n"
    )
    told = subprocess.run([sys.executable, "-c", script, tmp_path / "archive"], capture_output=True, text=True, check=True).stdout
    assert told.split() == ["2", "wal"]  # FULL (sqlite.org/pragma.html)
