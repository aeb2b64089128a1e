"""The ledger from scripts: found again, read again, mended, copied elsewhere, looked at, released."""

from __future__ import annotations

import contextlib
import json
import sqlite3
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.cli.test_commands import answer, schemas, within, yomikomi  # noqa: F401  the fixture
from tests.ledger.done import finish
from tests.making import sliding_frames, write_clip
from yomikomi.core.ledger.ledger_rules import LedgerRules
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.reading.models import Reading
from yomikomi.core.release.rules import ReleaseRules


@pytest.fixture
def archive(tmp_path: Path, tape_reading: Reading) -> Path:
    """Two carriers that are done, and the rights of the first settled."""
    workspace = Workspace(tmp_path / "archive")
    record = Record(workspace)
    done = finish(record, "K-001", tape_reading)
    finish(record, "K-002", tape_reading, kind="video8", title="Kiln opening")
    details = CarrierDetails(rights=True)
    record.shelf.change(done.carrier, Intake(label="K-001", title="Lantern parade", kind="vhs", format="525i", details=details))
    workspace.close()
    return tmp_path / "archive"


def _ledger(archive: Path, *words: str | Path) -> dict[str, Any]:
    return answer("--workspace", archive, "ledger", *words)


def _fails(archive: Path, *words: str | Path, code: int) -> dict[str, Any]:
    done = within("--workspace", archive, "ledger", *words, "--json")
    assert done.returncode == code, done.stderr
    return json.loads(done.stdout)  # type: ignore[no-any-return]


def test_shown_and_found(archive: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    page = _ledger(archive, "show", "K-001")
    jsonschema.validate(page, schemas["ledger-show"])
    assert [one["stage"] for one in page["entries"]][:2] == ["shelf", "capture"]
    hits = _ledger(archive, "search", "kiln", "--kind", "video8")
    jsonschema.validate(hits, schemas["ledger-search"])
    assert {one["carrier"] for one in hits["hits"]} == {"K-002"}
    assert "no carrier X-1" in yomikomi("--workspace", archive, "ledger", "show", "X-1", code=2).stderr
    assert "nothing to search for" in yomikomi("--workspace", archive, "ledger", "search", "--", "--", code=2).stderr


def test_read_again_mended_moved_and_in_two_places(archive: Path, tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    first = _ledger(archive, "verify")
    jsonschema.validate(first, schemas["ledger-verify"])
    assert (first["hashed"], first["checked"], {one["state"] for one in first["files"]}) == (4, 4, {"whole"})
    (tmp_path / "drive").mkdir()
    places = _ledger(archive, "places", "--add", tmp_path / "drive", "--name", "Blue drive")
    jsonschema.validate(places, schemas["ledger-places"])
    assert places["places"][0]["there"]
    copied = _ledger(archive, "second-copy", "Blue drive", "K-001")
    jsonschema.validate(copied, schemas["ledger-second-copy"])
    assert copied["copied"] == 2
    assert _ledger(archive, "second-copy", "Blue drive", "--copies-only")["copied"] == 1
    take = next((archive / "takes").glob("k-001*"))
    good = take.read_bytes()
    take.write_bytes(b"X" + good[1:])
    found = _fails(archive, "verify", "K-001", code=4)
    assert [(one["state"], one["note"]) for one in found["files"] if one["what"] == "take"] == [
        ("changed", "same length, other content; 1 byte at 0, between pictures or in the sound"), ("whole", "unchanged"),
    ]  # fmt: skip
    assert _ledger(archive, "verify", "K-001", "--repair")["repaired"] == 1
    assert take.read_bytes() == good
    assert take.with_name(f"{take.stem}.damaged.mkv").exists()
    (tmp_path / "drive").rename(tmp_path / "pulled")
    for _ in ("pulled", "another drive under its name"):
        away = _ledger(archive, "verify", "K-001")
        assert sorted(one["state"] for one in away["files"]) == ["away", "away", "whole", "whole"]
        (tmp_path / "drive").mkdir(exist_ok=True)
    take.rename(archive / "takes" / "renamed by hand.mkv")
    moved = _ledger(archive, "find", archive)
    jsonschema.validate(moved, schemas["ledger-find"])
    assert (moved["missing"], list(moved["found"].values())) == (1, [str(archive / "takes" / "renamed by hand.mkv")])
    assert "no place Red drive" in yomikomi("--workspace", archive, "ledger", "second-copy", "Red drive", code=2).stderr


def test_what_belongs_to_others_is_read_and_never_replaced(archive: Path, tmp_path: Path) -> None:
    """A file by reference, copied to a place, then changed by whoever it belongs to."""
    write_clip(tmp_path / "holiday.mkv", sliding_frames(5))
    answer("--workspace", archive, "shelf", "import", tmp_path / "holiday.mkv")
    (tmp_path / "drive").mkdir()
    _ledger(archive, "places", "--add", tmp_path / "drive", "--name", "Blue drive")
    assert _ledger(archive, "second-copy", "Blue drive")["copied"] == 5
    (tmp_path / "holiday.mkv").write_bytes(b"edited since")
    _fails(archive, "verify", "--repair", code=4)
    assert (tmp_path / "holiday.mkv").read_bytes() == b"edited since"
    assert sorted(one.name for one in tmp_path.iterdir()) == ["archive", "drive", "holiday.mkv"]


def test_looked_at_judged_released_and_brought_back(archive: Path, tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    judged = _fails(archive, "release", "K-001", "--go", code=4)
    jsonschema.validate(judged, schemas["ledger-release"])
    assert {one["rule"] for one in judged["takes"][0]["judgement"]["results"] if not one["held"]} == {"drives", "looked at", "age"}
    rules = tmp_path / "rules.json"
    rules.write_text(LedgerRules(release=ReleaseRules(disks=1, looked=1, age_days=0), operator="Mio").model_dump_json())
    yomikomi("--workspace", archive, "ledger", "rules", "--use", rules)
    spots = _ledger(archive, "spots", "1")
    jsonschema.validate(spots, schemas["ledger-spots"])
    assert "verdict 'fine' is not known" in yomikomi("--workspace", archive, "ledger", "looked", "1", "1.0", "fine", code=2).stderr
    at = spots["spots"][0]
    assert _ledger(archive, "looked", "1", str(at["seconds"]), "good")["spots"] == [{**at, "verdict": "good"}]
    take = next((archive / "takes").glob("k-001*"))
    released = _ledger(archive, "release", "K-001", "--go")
    assert (released["takes"][0]["released"], released["releases"][0]["who"]) == (1, "Mio")
    assert not take.exists()
    assert "Its term ends" in yomikomi("--workspace", archive, "ledger", "release", "--end-term", "1", code=2).stderr
    assert _ledger(archive, "release", "--undo", "1")["releases"][0]["state"] == "undone"
    assert take.exists()
    assert "renamed" not in yomikomi("--workspace", archive, "ledger", "release").stdout


def test_backed_up_put_back_damaged_saved_and_joined(archive: Path, tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    (tmp_path / "second").mkdir()
    made = _ledger(archive, "backup", "--to", tmp_path / "second")
    jsonschema.validate(made, schemas["ledger-backup"])
    (line,) = made["backups"]
    assert (line["carriers"], (tmp_path / "second" / line["file"]).exists()) == (2, True)
    yomikomi("--workspace", archive, "shelf", "add", "K-050", "--kind", "vhs")
    assert "kept as" in yomikomi("--workspace", archive, "ledger", "restore", line["file"]).stdout
    assert len(answer("--workspace", archive, "shelf", "list")["carriers"]) == 2
    joined = answer("--workspace", tmp_path / "other", "ledger", "merge", archive)
    jsonschema.validate(joined, schemas["ledger-merge"])
    assert (joined["carriers"], joined["files"]) == (2, 4)
    assert yomikomi("--workspace", archive, "ledger", "check").stdout == "The record is whole.\n"
    with contextlib.closing(sqlite3.connect(archive / "workspace.sqlite")) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        (page,) = connection.execute("SELECT rootpage FROM sqlite_master WHERE name = 'events'").fetchone()
    raw = bytearray((archive / "workspace.sqlite").read_bytes())
    raw[(page - 1) * 4096 : page * 4096] = b"\xff" * 4096
    (archive / "workspace.sqlite").write_bytes(raw)
    assert "damaged" in yomikomi("--workspace", archive, "ledger", "check", code=4).stderr
    assert "rows saved" in yomikomi("--workspace", archive, "ledger", "check", "--repair").stdout
    assert len(answer("--workspace", archive, "shelf", "list")["carriers"]) == 2
    assert list(archive.glob("workspace-damaged-*.sqlite"))
    (archive / "workspace.sqlite").write_bytes(b"no database at all, nothing of the kind" * 500)
    assert "yomikomi ledger restore" in yomikomi("--workspace", archive, "shelf", "list", code=4).stderr
    assert "kept as" in within("--workspace", archive, "ledger", "restore", line["file"]).stdout
    assert len(answer("--workspace", archive, "shelf", "list")["carriers"]) == 2


@pytest.mark.parametrize("name", ["all.json", "all csv", "bag", "page.html", "page.pdf", "record.xml", "cut.otio"])
def test_handed_on_and_taken_in_again(archive: Path, tmp_path: Path, schemas: dict[str, Any], name: str) -> None:  # noqa: F811
    forms = {"all csv": "csv", "bag": "bag", "record.xml": "premis"}
    form = ["--form", forms[name]] if name in forms else []
    labels = [] if name.startswith("all") else ["K-001"]
    told = _ledger(archive, "export", *labels, "-o", tmp_path / name, *form)
    jsonschema.validate(told, schemas["ledger-export"])
    assert (tmp_path / name).exists()
    again = yomikomi("--workspace", archive, "ledger", "export", *labels, "-o", tmp_path / name, *form, code=2)
    assert "exists already" in again.stderr
    if name in {"all.json", "all csv", "bag"}:
        joined = answer("--workspace", tmp_path / "other", "ledger", "import", tmp_path / name)
        jsonschema.validate(joined, schemas["ledger-merge"])
        assert joined["carriers"] == (1 if name == "bag" else 2)
    if name == "record.xml":
        assert "not validated" in told["note"]
