"""The shelf by plain SQL says what the record says, whatever happened to its carriers."""

from __future__ import annotations

import json
import os
import random
import sqlite3
from pathlib import Path

import pytest

from tests.ledger.ages import open_old
from yomikomi.core.balance import TRIALS_VERSION
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.ledger.first_list import first_look
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.schema import TrialRow
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.sheet import make_sheet
from yomikomi.core.path.structure import Task, Wishes
from yomikomi.core.planning.intake import CarrierDetails, Condition, Intake
from yomikomi.core.planning.machine import MachineSpeeds, Speed
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.demo import scenario

KINDS = (("vhs", "525i"), ("video8", "625i"), ("card", None), ("disc", "525i"), ("hologram", None))
TREATMENT = Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.TFF)


def test_after_any_history_the_first_list_is_the_records(tmp_path: Path, tape_reading: Reading) -> None:
    """A hundred carriers, each driven by chance through what can happen to it; takes with names that are no text among them."""
    workspace = Workspace(tmp_path / "archive")
    record, chance = Record(workspace), random.Random(15)
    for number in range(100):
        _live(record, number, chance, tape_reading)
    record.settings.save_machine_speeds(
        MachineSpeeds(made_at="2026-11-27", processors=2, write_bytes_per_second=Speed(low=1, usual=2, high=3), encoders={})
    )
    told = Record(workspace).carriers()
    found = first_look(workspace)
    assert found is not None
    assert found.spines == [view.spine for view in told]
    assert {one.progress for one in found.spines} >= {1, 2, 3, 4, 5, 6, 8}
    assert len({one.next_station for one in found.spines}) >= 7
    assert found.machine == record.settings.machine_speeds()
    workspace.close()


def _live(record: Record, number: int, chance: random.Random, reading: Reading) -> None:
    kind, standard = chance.choice(KINDS)
    details = CarrierDetails(tags=("x",) * chance.randrange(3), condition=Condition(ticked=("mould",) * (chance.random() < 0.15)))
    source = chance.choice([None, {"kind": "tape player", "seed": number}, {"kind": "disc title", "path": "/x", "title": 1}])
    seconds = chance.choice([None, 60.0])
    intake = Intake(label=f"K-{number:03d}", title="Fête 灯籠", kind=kind, format=standard, seconds=seconds, details=details)
    carrier = record.shelf.put([intake], [source])[0]
    unfit = record.carrier(carrier).unfit
    if kind == "vhs" and chance.random() < 0.5:
        best = rank_paths(scenario.EQUIPMENT, Task.of(intake), Wishes.usual(intake))[0]
        record.paths.save(carrier, make_sheet(best.trace, carrier="x"))
    for _ in range(0 if unfit else chance.randrange(3)):
        take, path = record.takes.begin(carrier, RecordAs(codec=chance.choice(["ffv1", "utvideo"])))
        path = path.with_name(os.fsdecode(b"no \xff text.mkv")) if chance.random() < 0.1 else path
        if chance.random() < 0.2:
            continue  # still recording
        frames = chance.choice([0, 90, 90])  # none: it is lost
        path.touch()
        record.takes.end(take, CaptureResult(path, frames, frames / 30, 1, chance.randrange(3), 99, trouble=chance.choice(["", "halted"])))
        if chance.random() < 0.3:
            record.takes.save_weights(take, {"ffv1": 9.5})
        steps = chance.randrange(5)
        if steps > 0:
            record.readings.save(take, reading)
        if steps > 1:
            record.readings.choose_treatment(take, TREATMENT)
        for state in chance.choices(["verified", "doubtful", "failed", "waiting", "running"], k=chance.randrange(1, 4) if steps > 2 else 0):
            target = record.workspace.folder / "copies" / f"{number}-{take}-{chance.random()}.mp4"
            copy = record.copies.ask(take, recipe_for("h264", 20), TREATMENT, None, target)
            record.copies.start(copy)
            if state not in {"waiting", "running"}:
                made = CopyResult(
                    file=target.name, size_bytes=1, frames=1, duration_seconds=1, encode_seconds=1, verified=state == "verified", checks=[]
                )
                record.copies.end(copy, result=made if state != "failed" else None, state="" if state != "failed" else "failed")


@pytest.mark.parametrize("old", ["0001", "0002", "0003", "0004"])
def test_workspaces_of_every_age(tmp_path: Path, old: str) -> None:
    workspace = open_old(tmp_path / "old", old)
    found = first_look(workspace)
    assert found is not None
    assert found.spines
    assert found.spines == [view.spine for view in Record(workspace).carriers()]
    workspace.close()


def test_treatments_of_before_become_documents(tmp_path: Path) -> None:
    """Each with its trials and copies; the migration's own digest is the program's."""
    workspace = open_old(tmp_path / "old", "0004")
    record = Record(workspace)
    parade, plain, fields, untreated = record.carriers()
    assert parade.treatment == Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF)
    assert plain.treatment == Treatment()
    assert fields.treatment == Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.TFF)
    assert untreated.treatment is None
    # Their figures are of a measure that is no longer compared by: they are kept, and run again.
    assert [view.trials for view in (parade, plain)] == [None, None]
    with record.store.session() as session:
        tried = {row.take_id: row.digest for row in session.query(TrialRow)}
        for row in session.query(TrialRow):
            row.document = {**row.document, "schema_version": TRIALS_VERSION}
    assert parade.take is not None
    assert tried[parade.take.id] == parade.treatment.digest
    assert [view.copies[0].treatment for view in (parade, fields)] == [parade.treatment, fields.treatment]
    take = parade.take
    record.readings.choose_treatment(take.id, Treatment.of_fields(Deinterlace.SINGLE, FieldOrder.BFF))
    assert record.carrier(parade.id).trials is None
    record.readings.choose_treatment(take.id, parade.treatment)
    again = record.carrier(parade.id).trials
    assert again is not None, "whoever goes back has the trials again"
    assert again.digest == parade.treatment.digest
    workspace.close()


def test_damaged_rows_show_all_the_same_and_a_damaged_file_is_left_to_the_record(tmp_path: Path) -> None:
    workspace = Workspace(tmp_path / "archive")
    record = Record(workspace)
    carrier = record.shelf.add(label="K-001", title="Parade", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    path.touch()
    record.takes.end(take, CaptureResult(path, 90, 3.0, 0, 0, 99))
    with sqlite3.connect(workspace.record_file) as connection:
        connection.execute("UPDATE carriers SET details = ?, source = ?", (json.dumps({"condition": 7}), json.dumps(["no player"])))
        connection.execute("UPDATE takes SET details = ?", (json.dumps({"record_as": "ffv1", "codec_bits": [1]}),))
    found = first_look(workspace)
    assert found is not None
    assert found.spines == [view.spine for view in Record(workspace).carriers()]
    with sqlite3.connect(workspace.record_file) as connection:
        connection.execute("UPDATE takes SET details = '{'")
    assert first_look(workspace) is None  # no document at all: the record knows how to say so
    with sqlite3.connect(workspace.record_file) as connection:
        connection.execute("DROP TABLE copies")
    assert first_look(workspace) is None
    workspace.close()
