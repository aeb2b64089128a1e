"""The commands of capturing, as scripts use them."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.cli.test_commands import answer, schemas, yomikomi  # noqa: F401  (a fixture)
from yomikomi.cli.main import main
from yomikomi.core.video.media import probe


def test_captured_cut_and_joined(tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    take = tmp_path / "take.mkv"
    wanted = ["--source", "sim:laserdisc", "--fast", "--seconds", "1.5", "--part-minutes", str(1 / 60), "--timecode", "01:00:00:00"]
    document = answer("capture", *wanted, "-o", take)
    jsonschema.validate(document, schemas["capture"])
    assert (document["frames"], document["lost"], document["gaps"], document["trouble"]) == (45, 0, [], "")
    assert len(document["files"]) == 2
    assert document["health"]["loudness"]["integrated"] < -10
    assert probe(take).geometry.shape_words == "16:9"
    joined = answer("join", *document["files"], "-o", tmp_path / "joined.mkv")
    jsonschema.validate(joined, schemas["join"])
    assert joined["frames"] == 45
    clip = answer("cut", tmp_path / "joined.mkv", "--from", "7", "--to", "20", "-o", tmp_path / "clip.mkv")
    assert (clip["frames"], clip["moved"]) == (13, [0])
    merged = answer("merge", tmp_path / "clip.mkv", tmp_path / "clip.mkv", "-o", tmp_path / "merged.mkv")
    assert merged["frames"] == 26
    assert "exists already" in yomikomi("capture", "--source", "sim", "--seconds", "1", "-o", take, code=2).stderr


@pytest.mark.parametrize(("kind", "offset", "within"), [("synctest", -123.0, 2.0), ("clap", 250.0, 10.0)])
def test_an_offset_goes_in_and_comes_back(
    kind: str,
    offset: float,
    within: float,
    tmp_path: Path,
    schemas: dict[str, Any],  # noqa: F811
) -> None:
    path = tmp_path / "test.mkv"
    made = answer("simulate", "--kind", kind, "--offset-ms", str(offset), "--seconds", "7", "-o", path)
    assert made["truth"]["offset_ms"] == offset
    found = answer("synctest", path)
    jsonschema.validate(found, schemas["synctest"])
    assert found["offset_ms"] == pytest.approx(offset, abs=within)
    assert found["events"] >= 4
    assert set(found) >= {"offset_ms", "spread_ms", "events", "drift_ms_per_hour"}


def test_a_trial_and_the_sources(tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    found = answer("trial", "--size", "320x240", "--rate", "25", "--seconds", "3", "--codecs", "utvideo,uncompressed", "--folder", tmp_path)
    jsonschema.validate(found, schemas["trial"])
    assert [row["codec"] for row in found["rows"]] == ["utvideo", "uncompressed"]
    assert found["reason"]
    assert Fraction(found["rate"]) == 25
    listed = answer("sources")
    jsonschema.validate(listed, schemas["sources"])
    assert {"sim:vhs", "sim:camera", "sim:console-protected", "sim:raw"} <= {one["name"] for one in listed["sources"]}


@pytest.mark.parametrize(
    ("words", "code", "says"),
    [
        (["capture", "--source", "sim:wire", "--seconds", "1", "-o", "x.mkv"], 2, "no simulated source"),
        (["capture", "--source", "sim", "--seconds", "1", "-o", "x.mov"], 2, "recorded to .mkv"),
        (["capture", "--source", "sim", "--codec", "wire", "--seconds", "1", "-o", "x.mkv"], 2, "no capture codec"),
        (["capture", "--source", "/dev/video99", "--seconds", "1", "-o", "x.mkv"], 4, "no device /dev/video99"),
        (["capture", "--source", "sim", "--timecode", "25 past", "--fast", "--seconds", "1", "-o", "x.mkv"], 2, "no timecode"),
        (["trial", "--size", "wide", "--rate", "25"], 2, "no picture size"),
        (["trial", "--size", "720x480", "--rate", "never"], 2, "no frame rate"),
        (["trial", "--size", "720x480", "--rate", "25", "--codecs", "wire"], 2, "no trial of wire"),
        (["cut", "none.mkv", "-o", "x.mkv"], 3, "no file none.mkv"),
        (["cut", "none.mkv", "--from", "9", "--to", "3", "-o", "x.mkv"], 2, "before the beginning"),
        (["synctest", "none.mkv"], 3, "no file none.mkv"),
    ],
)
def test_errors_are_one_line_with_a_remedy(
    words: list[str], code: int, says: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    """In this process, for speed: the entry point is what the command runs."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setattr("sys.argv", ["yomikomi", *words])
    with pytest.raises(SystemExit) as ended:
        main()
    told = capsys.readouterr()
    assert ended.value.code == code
    assert told.out == ""
    assert told.err.count("\n") == 1
    assert says in told.err
    assert list(tmp_path.iterdir()) == []
