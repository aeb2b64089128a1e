"""The shelf as it is first shown: by plain SQL, before the record with its documents is loaded."""

from __future__ import annotations

import contextlib
import json
import sqlite3
from collections import defaultdict
from dataclasses import dataclass
from typing import Any

from yomikomi.core.balance import TRIALS_VERSION
from yomikomi.core.ledger.connecting import plain_connection
from yomikomi.core.ledger.spine import Spine, TakeSpine
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.planning.intake import CarrierDetails
from yomikomi.core.planning.machine import MachineSpeeds

_NEWEST = f"""
SELECT t.carrier_id, t.id, t.path, t.origin, t.state, t.seconds, t.frames, t.late, t.dropped, t.size_bytes, t.note, t.started_at,
       t.details,
       EXISTS (SELECT 1 FROM readings r WHERE r.take_id = t.id),
       EXISTS (SELECT 1 FROM treatments r WHERE r.take_id = t.id),
       EXISTS (SELECT 1 FROM trial_sets r WHERE r.take_id = t.id AND r.digest = (
           SELECT digest FROM treatments c WHERE c.take_id = t.id ORDER BY c.id DESC LIMIT 1)
           AND (NOT json_valid(r.document) OR coalesce(json_extract(r.document, '$.schema_version'), 1) >= {TRIALS_VERSION})),
       (SELECT count(*) FROM takes o WHERE o.carrier_id = t.carrier_id AND o.state != 'lost')
FROM takes t
WHERE t.id = (SELECT max(o.id) FROM takes o WHERE o.carrier_id = t.carrier_id AND o.state != 'lost')
"""
_TAKE_COLUMNS = ("origin", "state", "seconds", "frames", "late", "dropped", "size_bytes", "note", "started_at")
_COPIES = "SELECT take_id, state FROM copies ORDER BY id"
_PLANNED = "SELECT DISTINCT carrier_id FROM path_sheets WHERE take_id IS NULL"
_MACHINE = "SELECT document FROM machine_trials ORDER BY id DESC LIMIT 1"
_CARRIERS = "SELECT id, label, title, kind, standard, nominal_seconds, source, note, details, created_at FROM carriers ORDER BY id"


@dataclass(frozen=True)
class FirstLook:
    """All carriers in the order they were added, and the newest measurement of this machine."""

    spines: list[Spine]
    machine: MachineSpeeds | None


def first_look(workspace: Workspace) -> FirstLook | None:
    """What the record tells of the shelf; None where the record itself has to say what is wrong.

    Damaged documents count as made: the record, which parses them, corrects that as soon as it is loaded."""
    try:
        with contextlib.closing(plain_connection(workspace.record_file)) as connection:
            carriers, takes = connection.execute(_CARRIERS).fetchall(), connection.execute(_NEWEST).fetchall()
            planned = {one for (one,) in connection.execute(_PLANNED)}
            copies: dict[int, list[str]] = defaultdict(list)
            for take_id, state in connection.execute(_COPIES):
                copies[take_id].append(state)
            machine = connection.execute(_MACHINE).fetchone()
        newest = {row[0]: row[1:] for row in takes}
        spines = [_spine(workspace, row, newest.get(row[0]), planned, copies) for row in carriers]
        return FirstLook(spines, MachineSpeeds.model_validate(_document(machine[0])) if machine else None)
    except (sqlite3.Error, ValueError, TypeError, RecursionError):
        return None


def _spine(
    workspace: Workspace, row: tuple[Any, ...], newest: tuple[Any, ...] | None, planned: set[int], copies: dict[int, list[str]]
) -> Spine:
    source = _document(row[6])
    take = _take(workspace, newest) if newest else None
    return Spine(
        id=row[0], label=row[1], title=row[2], kind=row[3], standard=row[4], nominal_seconds=row[5],
        source=source if isinstance(source, dict) else None, note=row[7], details=_details(row[8]), created_at=row[9],
        take=take, takes=newest[15] if newest else 0, planned=row[0] in planned,
        read=bool(newest and newest[12]), treated=bool(newest and newest[13]), tried=bool(newest and newest[14]),
        copies=tuple(copies.get(take.id, ())) if take else (),
    )  # fmt: skip


def _take(workspace: Workspace, row: tuple[Any, ...]) -> TakeSpine:
    details = _document(row[11])
    details = details if isinstance(details, dict) else {}
    plain = dict(zip(_TAKE_COLUMNS, row[2:11], strict=True))
    return TakeSpine(
        id=row[0], path=workspace.path(row[1]), **plain, codec=_codec(details), codec_bits=_bits(details.get("codec_bits"))
    )  # fmt: skip


def _codec(details: dict[str, Any]) -> str:
    record_as = details.get("record_as")
    return str(record_as.get("codec", "ffv1")) if isinstance(record_as, dict) else "ffv1"


def _bits(found: object) -> dict[str, float]:
    return {str(key): float(value) for key, value in found.items()} if isinstance(found, dict) else {}


def _document(raw: str | None) -> object:
    return json.loads(raw) if raw else None


def _details(raw: str | None) -> CarrierDetails:
    try:
        return CarrierDetails.model_validate(_document(raw) or {})
    except ValueError:  # as the record does: a damaged row costs what stands in it
        return CarrierDetails()
