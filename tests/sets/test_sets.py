"""Several copies of one take: every copy is made to fit its outlets, or says why not; none meets another's file; bad sets are refused."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.cli.test_commands import answer, yomikomi
from tests.making import interlace, programme_frames, write_clip
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.sets.model import CopySet, all_sets, named_set, read_set, shipped_sets
from yomikomi.core.sets.planning import SetProgress, SetRequest, plan_set, predict_set
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.steps import Size
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter


@pytest.fixture(scope="module")
def tape(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, Reading]:
    frames = interlace(programme_frames(80, width=176, height=144, seed=8), FieldOrder.TFF)
    path = write_clip(tmp_path_factory.mktemp("sets") / "parade.mkv", frames, codec="rawvideo", rate=25, sound_seconds=1.5)
    return path, read(ReadRequest(path), SilentReporter())


def test_copies_of_the_shipped_sets_fit_a_tape(tape: tuple[Path, Reading]) -> None:
    """The archive's keep their fields, players' do not; each recipe is one that its outlet takes."""
    reading = tape[1]
    for wanted in shipped_sets().values():
        for one in plan_set(wanted, reading, fields_treatment(reading)):
            assert one.wrong == (), one
            made = one.treatment.formats(source_format(reading))[-1]
            assert made.interlaced == (one.name == "archive")
            assert one.outlet is not None
            assert one.recipe.container in one.outlet.containers


def test_what_cannot_fit_says_why_and_keeps_nobody(tape: tuple[Path, Reading]) -> None:
    path, reading = tape
    document = json.loads(shipped_sets()["keep-and-watch"].model_dump_json())
    document["copies"][0] |= {"outlets": ["e-mail", "archive"], "name": "both"}
    document["copies"][1] |= {"steps": [Size(height=72).model_dump()]}
    planned = plan_set(CopySet.model_validate(document), reading, fields_treatment(reading))
    assert any("codec" in one for one in planned[0].wrong)
    assert planned[1].treatment.get(Size) == Size(height=72)
    reporter = SilentReporter()
    told = predict_set(SetRequest(path, reading, tuple(planned)), reporter)
    assert told[0] is None
    assert told[1] is not None
    assert isinstance(reporter.last, SetProgress)
    assert reporter.last.part == 1.0


def test_a_copy_goes_into_the_folder_that_the_set_says_and_never_over_a_file(tape: tuple[Path, Reading], tmp_path: Path) -> None:
    path, away = tape[0], tmp_path / "drive"
    recipe = {"codec": "h264", "rate": {"kind": "quality", "quality": 40}, "speed": "ultrafast", "lines": 72}
    copies = [{"name": "here", "recipe": recipe}, {"name": "there", "recipe": recipe, "folder": str(away)}]
    file = tmp_path / "two.json"
    file.write_text(json.dumps({"key": "two", "words": "Two", "copies": copies}))
    assert "is not there" in yomikomi("copy", path, "-o", tmp_path, "--set", file, "--json", code=2).stderr
    assert not list(tmp_path.glob("*.mp4")), "nothing was begun"
    away.mkdir()
    (away / "parade-there.mp4").write_bytes(b"a person's own")
    rows = answer("copy", path, "-o", tmp_path, "--set", file)["copies"]
    assert [row["result"]["file"] for row in rows] == ["parade-here.mp4", "parade-there-2.mp4"]
    assert (tmp_path / "parade-here.mp4").is_file()
    assert (away / "parade-there-2.mp4").is_file()
    assert (away / "parade-there.mp4").read_bytes() == b"a person's own"
    file.write_text(json.dumps({"key": "two", "words": "Two", "copies": [{"name": "there", "recipe": recipe, "folder": "beside"}]}))
    with pytest.raises(WrongUseError):
        read_set(file)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"copies": []}, "copies"), ({"key": "../../etc"}, "key"), ({"more": 1}, "more"), ({"schema_version": 2}, "schema_version"),
        ({"copies": [0, 0]}, "two copies of it have one name"),
    ],
)  # fmt: skip
def test_damaged_and_hostile_sets_are_refused(tmp_path: Path, change: dict[str, Any], words: str) -> None:
    document = json.loads(shipped_sets()["keep-and-watch"].model_dump_json())
    if change.get("copies"):
        change = {"copies": [document["copies"][0], document["copies"][0] | {"name": "ARCHIVE"}]}
    path = tmp_path / "set.json"
    path.write_text(json.dumps(document | change))
    with pytest.raises(WrongUseError, match=words):
        read_set(path)
    assert set(all_sets(tmp_path)) == set(shipped_sets()), "a folder with a damaged one gives the others"


def test_more_that_is_no_set(tmp_path: Path) -> None:
    document = json.loads(shipped_sets()["keep-and-watch"].model_dump_json())
    for name, change in (("outlet", {"outlets": ["attic"]}), ("name", {"name": "a/b"}), ("codec", {"recipe": {"codec": "h264"}})):
        path = tmp_path / f"{name}.json"
        path.write_text(json.dumps(document | {"copies": [document["copies"][0] | change]}))
        with pytest.raises(WrongUseError, match="is no set"):
            read_set(path)
    (tmp_path / "large.json").write_bytes(b" " * 1_000_001)
    with pytest.raises(WrongUseError, match="too large"):
        read_set(tmp_path / "large.json")
    with pytest.raises(WrongUseError, match="There is no set 'attic'"):
        named_set("attic", tmp_path)
    with pytest.raises(WrongUseError, match="cannot be read"):
        named_set(str(tmp_path / "gone.json"), tmp_path)


def test_a_set_on_the_command_line(tape: tuple[Path, Reading], tmp_path: Path) -> None:
    """Exported, changed, named as a file: its copies are made, and a second time none is overwritten."""
    shown = answer("sets")
    document = next(one for one in shown["sets"] if one["key"] == "keep-and-watch")
    document["copies"][1]["recipe"] |= {"speed": "ultrafast", "rate": {"kind": "quality", "quality": 30}}
    document["copies"][1]["recipe"].pop("quality")
    path = tmp_path / "mine.json"
    path.write_text(json.dumps(document))
    told = answer("predict", tape[0], "--set", path)
    assert [one["name"] for one in told["copies"]] == ["archive", "viewing"]
    folder = tmp_path / "out"
    folder.mkdir()
    made = answer("copy", tape[0], "-o", folder, "--set", path)
    assert [one["result"]["verified"] for one in made["copies"]] == [True, True]
    for one in made["copies"]:
        assert any(check["name"].startswith("plays at") and check["passed"] for check in one["result"]["checks"])
    size = told["copies"][1]["prediction"]["size_bytes"]  # the sound of the other, a plain tone, packs better than any sound
    assert 0.9 * size["low"] <= made["copies"][1]["result"]["size_bytes"] <= 1.1 * size["high"]
    first = {file.name: file.read_bytes() for file in folder.iterdir()}
    assert set(first) == {"parade-archive.mkv", "parade-viewing.mp4"}
    answer("copy", tape[0], "-o", folder, "--set", path)
    assert len(list(folder.iterdir())) == 4
    assert {name: (folder / name).read_bytes() for name in first} == first
    assert "recipes come from the set" in yomikomi("predict", tape[0], "--set", path, "--codec", "h264", code=2).stderr
    assert "is no folder" in yomikomi("copy", tape[0], "-o", tmp_path / "nowhere", "--set", path, code=2).stderr
