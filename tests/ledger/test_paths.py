"""Equipment and settings sheets in the record: kept, copied to takes, found again; older workspresets are carried over."""

from __future__ import annotations

import sqlite3
from pathlib import Path

from tests.ledger.ages import open_old
from tests.path.making import BOX_TABLE, TAPE_TABLE, VHS, best
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import NEWEST_REVISION
from yomikomi.core.path.equipment import Equipment, equipment_of
from yomikomi.core.path.sheet import PathSheet, make_sheet, with_state
from yomikomi.core.path.trace import trace
from yomikomi.core.planning.intake import Intake


def _put(record: Record, *labels: str, kind: str = "vhs") -> list[int]:
    rows = [Intake(label=label, kind=kind, format="525i", seconds=60) for label in labels]
    return record.shelf.put(rows, [{"kind": "tape player", "seed": 1}] * len(rows))


def _sheet(table: tuple[str, ...] = BOX_TABLE) -> PathSheet:
    return make_sheet(trace(best(table, VHS)))


def test_a_workspace_of_the_second_form_is_carried_over(tmp_path: Path) -> None:
    """As it stood in a file before there were paths."""
    folder = tmp_path / "old"
    workspace = open_old(folder, "0002")
    record = Record(workspace)
    view = record.carriers()[0]
    assert (view.label, view.details.sound, view.path, view.progress, view.next_station) == ("K-001", "mono", None, 1, "path")
    assert record.settings.reckonings()[0][0] == "size"
    assert record.settings.equipment() == Equipment()
    record.paths.save(view.id, _sheet())
    assert record.carrier(view.id).path == _sheet()
    workspace.close()
    with sqlite3.connect(folder / "workspace.sqlite") as connection:
        assert connection.execute("SELECT version_num FROM alembic_version").fetchone()[0] == NEWEST_REVISION


def test_equipment_comes_back_as_it_was_kept(record: Record) -> None:
    own = equipment_of("usb_grabber").known["usb_grabber"].model_copy(update={"key": "mine", "words": "mine"})
    mine = equipment_of(*BOX_TABLE).with_kind(own).with_piece("mine", where="shelf B")
    record.settings.save_equipment(mine)
    record.settings.save_equipment(mine)
    assert Record(record.workspace).settings.equipment() == mine


def test_a_take_keeps_the_sheet_it_was_made_with(record: Record, tmp_path: Path) -> None:
    first, second = _put(record, "K-001", "K-002")
    knob = ("hd_box-1", "input")
    sheet = with_state(_sheet(), knob, "done")
    record.paths.save(first, sheet)
    assert (record.carrier(first).progress, record.carrier(first).next_station) == (2, "capture")
    take, path = record.takes.begin(first)
    record.paths.save(first, _sheet(TAPE_TABLE))
    assert record.paths.of_take(take) == sheet
    assert record.carrier(first).path == _sheet(TAPE_TABLE)
    path.touch()
    record.takes.end(take, CaptureResult(path, 30, 1.0, 0, 0, 10))
    assert record.carrier(first).progress == 3
    routes = [words for _, _, words in record.history.events(first) if words.startswith("path: ")]
    assert len(routes) == 2, "the history tells each path once, however often its sheet is ticked"
    whose, _when, last = record.paths.last(second) or ("", "", None)
    assert (whose, last) == ("K-001", sheet), "of another tape of the same kind, where it has none of its own"
    bare, _ = record.takes.begin(second)
    assert record.paths.of_take(bare) is None, "nothing was planned for it"
    (other,) = _put(record, "L-001", kind="laserdisc")
    assert record.paths.last(other) is None


def test_a_carrier_goes_off_the_shelf_with_its_sheet(record: Record) -> None:
    (number,) = _put(record, "K-001")
    record.paths.save(number, _sheet())
    record.shelf.remove(number)
    assert record.carriers() == []
    with record.workspace.engine.connect() as connection:
        assert connection.exec_driver_sql("SELECT count(*) FROM path_sheets").scalar() == 0
