"""The command line as scripts use it: JSON and nothing else on standard output, exit codes, one-line errors."""

from __future__ import annotations

import contextlib
import io
import json
import os
import subprocess
import sys
from dataclasses import dataclass
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.making import sliding_frames, write_clip
from yomikomi.cli.main import main
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.video.media import probe


@dataclass(frozen=True)
class Done:
    returncode: int
    stdout: str
    stderr: str


def process(*words: str | Path, home: Path | None = None) -> Done:
    """As a shell runs it."""
    environment = {k: v for k, v in os.environ.items() if k not in {"DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"}}
    if home:
        environment |= {"HOME": str(home), "XDG_DATA_HOME": str(home)}
    command = [sys.executable, "-m", "yomikomi", *map(str, words)]
    done = subprocess.run(command, capture_output=True, text=True, env=environment, timeout=240, check=False)
    return Done(done.returncode, done.stdout, done.stderr)


def within(*words: str | Path) -> Done:
    """The same entry point called here: starting an interpreter takes longer than most commands."""
    out, err, before = io.StringIO(), io.StringIO(), sys.argv
    sys.argv = ["yomikomi", *map(str, words)]
    code = 0
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            main()
    except SystemExit as error:
        code = int(error.code or 0)
    finally:
        sys.argv = before
    return Done(code, out.getvalue(), err.getvalue())


def yomikomi(*words: str | Path, code: int = 0, home: Path | None = None) -> Done:
    done = process(*words, home=home) if home else within(*words)
    assert done.returncode == code, done.stderr
    if code:
        assert done.stdout == ""
        assert done.stderr.startswith("yomikomi: ")
        assert done.stderr.count("\n") == 1
        assert "Traceback" not in done.stderr
    return done


def answer(*words: str | Path) -> dict[str, Any]:
    done = yomikomi(*words, "--json")
    return json.loads(done.stdout)  # type: ignore[no-any-return]


@pytest.fixture(scope="module")
def schemas() -> dict[str, Any]:
    return json.loads(process("schema").stdout)  # type: ignore[no-any-return]


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, dict[str, Any]]:
    folder = tmp_path_factory.mktemp("cli")
    path, told = folder / "tape.mkv", folder / "truth.json"
    wanted = ["--standard", "525i", "--field-order", "bff", "--seconds", "1", "--seed", "7", "--scenes", "lively"]
    document = answer("simulate", *wanted, "-o", path, "--truth", told)
    assert json.loads(told.read_text()) == document["truth"]
    return path, document


def test_simulate_then_read_finds_what_was_put_in(made: tuple[Path, dict[str, Any]], schemas: dict[str, Any]) -> None:
    path, document = made
    jsonschema.validate(document, schemas["simulate"])
    reading = answer("read", path)
    jsonschema.validate(reading, schemas["read"])
    truth = document["truth"]
    assert reading["scan"]["kind"] == truth["scan"]["kind"] == "interlaced"
    assert reading["scan"]["field_order"] == truth["scan"]["field_order"] == "bff"
    assert 0.8 < reading["scan"]["confidence"] <= 1
    assert reading["rate"]["nominal"] == truth["rate"] == "30000/1001"
    assert reading["rate"]["constant"] is True
    assert (reading["geometry"]["width"], reading["geometry"]["height"]) == (truth["width"], truth["height"])
    assert Fraction(reading["geometry"]["sample_aspect"]) == Fraction(truth["sample_aspect"])
    assert reading["duration_seconds"] == pytest.approx(truth["seconds"], abs=0.01)
    assert len(reading["sound"]) == 1


def test_predict_then_copy(made: tuple[Path, dict[str, Any]], schemas: dict[str, Any], tmp_path: Path) -> None:
    path, _ = made
    how = ["--codec", "h264", "--quality", "24", "--speed", "superfast"]
    told = answer("predict", path, *how)
    jsonschema.validate(told, schemas["predict"])
    assert told["size_bytes"]["low"] <= told["size_bytes"]["expected"] <= told["size_bytes"]["high"]
    assert told["quality"]["metric"] == "ssim_db"
    assert told["fidelity"]["metric"] == "detail_db"
    assert told["fidelity"]["viewing"] == "television"
    near = answer("predict", path, *how, "--watched-on", "desk")["fidelity"]
    assert (near["viewing"], near["value"] < told["fidelity"]["value"]) == ("desk", True)
    assert told["encode_seconds"]["expected"] > 0
    copy = answer("copy", path, "-o", tmp_path / "c.mp4", *how, "--predict")
    jsonschema.validate(copy, schemas["copy"])
    assert copy["verified"] is True
    assert copy["frames"] == 60  # double rate, as the reading asks for
    assert copy["size_bytes"] == (tmp_path / "c.mp4").stat().st_size
    assert copy["predicted"]["size_bytes"]["low"] <= copy["size_bytes"] <= copy["predicted"]["size_bytes"]["high"]
    assert all(check["passed"] for check in copy["checks"])
    plain = answer("copy", path, "-o", tmp_path / "c.mkv", "--codec", "av1", "--quality", "45", "--speed", "12", "--deinterlace", "single")
    assert plain["frames"] == 30
    assert plain["predicted"] is None
    assert probe(tmp_path / "c.mkv").container == "matroska"


def test_words_for_people(made: tuple[Path, dict[str, Any]]) -> None:
    told = yomikomi("read", made[0]).stdout
    assert told.startswith("Interlaced, bottom field first (")
    assert "29.97 fps, constant" in told


def test_wrong_use_is_2(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    path, _ = made
    assert "no codec" not in yomikomi("copy", path, "-o", tmp_path / "x.mp4", "--codec", "mpeg9", "--quality", "20", code=2).stderr
    assert "quality 0 to 51" in yomikomi("predict", path, "--codec", "h264", "--quality", "99", code=2).stderr
    assert "knows no speed" in yomikomi("predict", path, "--codec", "av1", "--quality", "30", "--speed", "fast", code=2).stderr
    assert "already" in yomikomi("copy", path, "-o", path, "--codec", "h264", "--quality", "20", code=2).stderr
    assert "already" in yomikomi("simulate", "-o", path, code=2).stderr
    assert "ends in .mkv" in yomikomi("simulate", "-o", tmp_path / "x.avi", code=2).stderr
    yomikomi("dance", code=2)
    yomikomi("read", code=2)
    yomikomi("schema", "poem", code=2)
    progressive = write_clip(tmp_path / "p.mp4", sliding_frames(60, width=160, height=120))
    assert (
        "no fields"
        in yomikomi(
            "copy", progressive, "-o", tmp_path / "y.mp4", "--codec", "h264", "--quality", "20", "--deinterlace", "double", code=2
        ).stderr
    )


@pytest.mark.workers
def test_unreadable_input_is_3(tmp_path: Path) -> None:
    empty, letters = tmp_path / "empty.mkv", tmp_path / "letters.mp4"
    empty.touch()
    letters.write_text("letters")
    for path in (empty, letters, tmp_path / "gone.mkv", tmp_path):
        assert yomikomi("read", path, "--json", code=3).stderr.count(".") >= 2  # what is wrong, and what to do
    yomikomi("predict", empty, "--codec", "h264", "--quality", "20", code=3)
    yomikomi("copy", letters, "-o", tmp_path / "c.mp4", "--codec", "h264", "--quality", "20", code=3)
    assert not (tmp_path / "c.mp4").exists()


def test_what_cannot_be_finished_is_4(made: tuple[Path, dict[str, Any]], tmp_path: Path) -> None:
    path, _ = made
    nowhere = tmp_path / "no folder" / "c.mp4"
    assert "not there" in yomikomi("copy", path, "-o", nowhere, "--codec", "h264", "--quality", "30", "--speed", "ultrafast", code=4).stderr
    assert "no display" in yomikomi(code=4, home=tmp_path).stderr


def test_real_processes_answer_the_same(tmp_path: Path) -> None:
    """What the other tests ask within their own process, a shell gets too: exit code, and one line on standard error."""
    for words in (("reckon", "size"), ("read", str(tmp_path / "gone.mkv"))):
        assert process(*words) == within(*words)


def test_one_schema_by_name(schemas: dict[str, Any]) -> None:
    assert json.loads(yomikomi("schema", "read").stdout) == schemas["read"]
    commands = (
        "read compare advise treatment treat recipe predict copy accuracy outlets sets predict-set copy-set conforms simulate trials titles"
        " reckon shelf import path diagnose equipment capture"
        " sources synctest trial cut join merge run run-report cluster process house-rules"
            " ledger-show ledger-search ledger-same-way ledger-verify ledger-places ledger-second-copy ledger-find ledger-spots"
            " ledger-rules ledger-release ledger-backup ledger-merge ledger-export"
    )
    assert set(schemas) == set(commands.split())


@pytest.mark.workers
def test_the_demo_without_a_display_does_the_main_job(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Simulate, capture, read, predict, copy, verify, with a closing table."""
    monkeypatch.setattr("yomikomi.cli.terminal_demo._CAPTURE_S", 2.0)
    monkeypatch.setattr("yomikomi.cli.terminal_demo.recipe_for", partial(recipe_for, speed="superfast"))
    done = yomikomi("demo", "--workspace", tmp_path / "demo")
    for words in ("no display", "Interlaced, bottom field first", "checks passed", "copy and verify", "verified"):
        assert words in done.stdout, words
    assert len(list((tmp_path / "demo" / "takes").glob("*.mkv"))) == 1
    assert len(list((tmp_path / "demo" / "copies").iterdir())) == 1


def test_a_simulated_disc_and_its_titles(tmp_path: Path, schemas: dict[str, Any]) -> None:
    """What is found on a disc against what was put on it, from a folder and from an image."""
    folder, image, told = tmp_path / "disc", tmp_path / "disc.iso", tmp_path / "truth.json"
    made = answer("simulate", "--kind", "disc", "--seconds", "1.5", "--seed", "4", "-o", folder, "--truth", told)
    jsonschema.validate(made, schemas["simulate"])
    truth = json.loads(told.read_text())
    assert truth == made["truth"]
    found = answer("titles", folder)
    jsonschema.validate(found, schemas["titles"])
    for title, true in zip(found["titles"], truth["titles"], strict=True):
        assert (title["index"], title["kind"], title["chapters"]) == (true["index"], true["kind"], true["chapters"])
        assert title["seconds"] == pytest.approx(true["seconds"], abs=0.05)
        assert [s["language"] for s in title["sound"]] == [s["language"] for s in true["sound"]]
        assert [s["language"] for s in title["subtitles"]] == [s["language"] for s in true["subtitles"]]
        assert 0 < title["confidence"] < 1
        assert title["reason"]
    yomikomi("simulate", "--kind", "disc", "--layout", "series", "--seconds", "0.9", "-o", image)
    series = answer("titles", image)["titles"]
    assert [title["kind"] for title in series] == ["programme", "episode", "episode", "episode", "extra"]
    assert series[0]["joins"] == [2, 3, 4]
    assert "plays titles 2, 3 and 4" in yomikomi("titles", image).stdout
    assert "exists already" in yomikomi("simulate", "--kind", "disc", "-o", image, code=2).stderr
    assert "no VIDEO_TS" in yomikomi("titles", tmp_path, code=3).stderr
    assert "readable image" in yomikomi("titles", told.rename(tmp_path / "x.iso"), code=3).stderr


def test_reckoning(schemas: dict[str, Any]) -> None:
    made = answer("reckon", "size", "time=2h", "size=4.7GB", "container=0")
    jsonschema.validate(made, schemas["reckon"])
    assert made["given"] == ["time", "size", "container"]
    assert made["values"]["video"] == pytest.approx(4.7e9 * 8 / 7200 - 160e3)
    assert made["text"]["time"] == "2:00:00"
    assert "÷ 8 bits a byte" in " ".join(made["explanation"])
    assert "(given)" in yomikomi("reckon", "timecode", "rate=25", "code=01:00:00:00").stdout
    assert answer("reckon", "card", "needs=20", "card=40")["values"]["time"] is None
    listed = answer("reckon")["sheets"]
    assert {"size", "capture", "timecode", "crop", "levels", "upload"} <= set(listed)
    assert "no sheet" in yomikomi("reckon", "cooking", code=2).stderr
    assert "side=value" in yomikomi("reckon", "size", "time", code=2).stderr


def test_the_shelf_from_scripts(tmp_path: Path, schemas: dict[str, Any]) -> None:
    place = ("--workspace", tmp_path / "w")

    def shelf(*words: str | Path) -> dict[str, Any]:
        return json.loads(yomikomi(*place, "shelf", *words, "--json").stdout)  # type: ignore[no-any-return]

    made = shelf("add", "T-09", "--count", "3", "--kind", "vhs", "--marked", "120", "--speed", "LP", "--standard", "525i", "--tags", "a, b")
    jsonschema.validate(made, schemas["shelf"])
    assert [one["label"] for one in made["carriers"]] == ["T-09", "T-10", "T-11"]
    assert {(one["seconds"], one["next_station"], tuple(one["tags"])) for one in made["carriers"]} == {(14_400.0, "path", ("a", "b"))}
    table = tmp_path / "inventory.csv"
    table.write_text("label,title,kind,standard,length\nT-11,Taken,vhs,525i,1h\nT-20,Parade,vhs,525i,1:58:00\n")
    clip = write_clip(tmp_path / "clip.mp4", sliding_frames(12), rate=25)
    taken = shelf("import", table, clip)
    jsonschema.validate(taken, schemas["import"])
    assert [one["label"] for one in taken["carriers"]] == ["T-20", "F-001"]
    assert "T-11 is there already" in taken["problems"][0]
    listed = shelf("list")
    assert [one["label"] for one in listed["carriers"]] == ["T-09", "T-10", "T-11", "T-20", "F-001"]
    for words, code, piece in (
        (["add", "T-09"], 2, "already"), (["add", "X", "--standard", "9"], 2, "no standard"),
        (["import", tmp_path / "gone.mp4"], 3, "no file"),
    ):  # fmt: skip
        assert piece in yomikomi(*place, "shelf", *words, code=code).stderr
    assert len(shelf("list")["carriers"]) == 5


@pytest.fixture
def table(tmp_path: Path) -> Path:
    """A camcorder, a grabber, one cable: the sound has no way."""
    file = tmp_path / "have.json"
    file.write_text(json.dumps({"pieces": [{"kind": kind} for kind in ("camcorder_8", "usb_grabber", "computer", "cable_s_video")]}))
    return file


def test_path_lists_what_breaks_and_what_would_lift(table: Path, schemas: dict[str, Any], tmp_path: Path) -> None:
    document = answer("path", "--carrier", "video8", "--standard", "625i", "--have", table)
    jsonschema.validate(document, schemas["path"])
    first = document["paths"][0]
    assert [one["rule"] for one in first["breaks"]] == ["cable missing"]
    assert first["symptoms"] == ["band", "no sound", "wobble"]
    picture = [link for link in first["links"] if link["strand"] == "picture"]
    assert [(link["source"], link["target"], link["carries"]) for link in picture] == [
        ("camcorder_8-1", "usb_grabber-1", "625i 25"), ("usb_grabber-1", "computer-1", "data"),
    ]  # fmt: skip
    assert picture[1]["margin"] == pytest.approx(320 / (720 * 576 * 25 * 16 / 1e6 + 2.304), abs=1e-3)
    assert first["reasons"]
    assert ["cable_jack_line"] in [one["adds"] for one in document["improvements"]]
    marked = answer("path", "--carrier", "video8", "--have", table, "--set", "camcorder_8-1.information=on")
    assert "marks" in marked["paths"][0]["symptoms"]
    sheet = tmp_path / "sheet.md"
    words = yomikomi("path", "--carrier", "video8", "--have", table, "--sheet", sheet).stdout
    assert "BREAKS HERE" in words
    assert "**Input**: S-Video" in sheet.read_text()
    assert "left alone" in yomikomi("path", "--carrier", "video8", "--have", table, "--sheet", sheet, code=2).stderr
    kinds = answer("equipment")
    jsonschema.validate(kinds, schemas["equipment"])
    assert {"usb_grabber", "cable_s_video"} <= {kind["key"] for kind in kinds["kinds"]}


def test_diagnose_asks_and_narrows(table: Path, schemas: dict[str, Any]) -> None:
    asked = ("diagnose", "--carrier", "video8", "--have", table, "--seen", "blue")
    document = answer(*asked)
    jsonschema.validate(document, schemas["diagnose"])
    assert sum(one["probability"] for one in document["suspects"]) == pytest.approx(1)
    assert (document["suspects"][0]["piece"], document["suspects"][0]["setting"]) == ("usb_grabber-1", "input")
    test = document["next_test"]
    told = answer(*asked, "--answer", f"{test['key']}=no")
    assert told["suspects"][0]["probability"] > document["suspects"][0]["probability"]
    assert told["answered"] == {test["key"]: "no"}
    assert "no symptom" in yomikomi("diagnose", "--carrier", "video8", "--have", table, "--seen", "ghosts", code=2).stderr
    assert "answers no test" in yomikomi(*asked, "--answer", "look nothing=yes", code=2).stderr


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (["--carrier", "antenna"], 2, "no kind"),
        (["--carrier", "vhs", "--standard", "405i"], 2, "no standard"),
        (["--carrier", "vhs", "--have", "gone.json"], 3, "cannot be read"),
        (["--carrier", "vhs", "--have", "pyproject.toml"], 3, "not JSON"),
    ],
)
def test_path_refuses_what_makes_no_sense(words: list[str], code: int, says: str) -> None:
    assert says in yomikomi("path", *words, code=code).stderr
