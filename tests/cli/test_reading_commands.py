"""Reading from the command line: what scripts get for film, repeats, samples, comparisons and reports. In this process, for speed."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path
from typing import Any

import jsonschema
import pytest

from tests.making import programme_frames, pulled_down, repeated, write_clip
from yomikomi.cli.main import main
from yomikomi.cli.reading_documents import CompareDocument, ReadDocument
from yomikomi.core.video.standards import FieldOrder

Answer = Callable[..., dict[str, Any]]


@pytest.fixture
def told(monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Answer:
    """Runs a command and gives its JSON."""

    def run(*words: object, code: int = 0) -> dict[str, Any]:
        monkeypatch.setattr(sys, "argv", ["yomikomi", *(str(word) for word in words), "--json"])
        ended = 0
        try:
            main()
        except SystemExit as error:
            ended = int(error.code or 0)
        assert ended == code
        out = capsys.readouterr().out
        return json.loads(out) if out else {}

    return run


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """23.976 film in 29.97 fields, bottom field first, lossless."""
    frames = pulled_down(programme_frames(60, width=360, height=288, seed=2), (2, 3), FieldOrder.BFF)
    return write_clip(tmp_path_factory.mktemp("film") / "film.mkv", frames, rate=Fraction(30000, 1001), codec="ffv1", sound_seconds=2.4)


@pytest.mark.parametrize("mode", [(), ("--quick",)])
def test_film_in_fields(told: Answer, film: Path, mode: tuple[str, ...]) -> None:
    found = told("read", film, *mode)
    jsonschema.validate(found, ReadDocument.model_json_schema())
    assert (found["scan"]["kind"], found["scan"]["field_order"]) == ("film_2_3", "bff")
    assert (found["rate"]["nominal"], found["rate"]["true"]) == ("30000/1001", "24000/1001")
    assert found["mode"] == ("quick" if mode else "full")
    part = found["scan"]["segments"][0]
    assert {"start", "end", "kind", "field_order", "confidence"} <= set(part)
    assert part["kind"] == "film_2_3"
    assert part["start"] == 0
    assert part["end"] == pytest.approx(found["duration_seconds"], abs=0.6)
    assert found["proposals"][0]["key"] == "recover film"
    assert found["findings"][0]["frame"] is not None


def test_pictures_shown_two_and_three_times(told: Answer, tmp_path: Path) -> None:
    frames = repeated(programme_frames(40, width=360, height=288, seed=2), (2, 3))
    path = write_clip(tmp_path / "p60.mp4", frames, rate=Fraction(60000, 1001), sound_seconds=1.5)
    found = told("read", path)
    assert found["scan"]["kind"] == "repeats"
    assert (found["rate"]["nominal"], found["rate"]["true"]) == ("60000/1001", "24000/1001")


def test_kept_readings_reports_and_comparison(told: Answer, film: Path, tmp_path: Path) -> None:
    first = told("read", film)
    assert told("read", film)["read_seconds"] == first["read_seconds"]
    assert told("read", film, "--again")["scan"] == first["scan"]
    for name in ("report.html", "report.pdf", "report.json"):
        told("read", film, "--report", tmp_path / name)
        assert (tmp_path / name).stat().st_size > 1000
    assert told("read", film, "--report", tmp_path / "report.txt", code=2) == {}
    found = told("compare", film, film)
    jsonschema.validate(found, CompareDocument.model_json_schema())
    assert found["better"] == "alike"
    assert found["rows"]
