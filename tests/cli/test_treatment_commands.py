"""What a treatment is on the command line: advised, kept as JSON, used for a lossless file, a prediction and a copy."""

from __future__ import annotations

import json
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest

from tests.cli.test_commands import answer, yomikomi
from tests.making import Luma, programme_frames, pulled_down, write_clip
from yomikomi.core.video.planes import luma
from yomikomi.core.video.standards import FieldOrder

VIDEO = Fraction(30000, 1001)


@pytest.fixture(scope="module")
def film(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, list[Luma]]:
    pictures = programme_frames(60, width=320, height=240, seed=4)
    frames = pulled_down(pictures, (2, 3), FieldOrder.TFF)
    path = tmp_path_factory.mktemp("film") / "film.mkv"
    write_clip(path, frames, rate=VIDEO, codec="ffv1", options={}, sound_seconds=len(frames) / float(VIDEO))
    return path, pictures


def _pictures(path: Path) -> list[Luma]:
    with av.open(str(path)) as container:
        return [luma(frame).copy() for frame in container.decode(video=0)]


def test_advice_becomes_a_file_and_a_copy(tmp_path: Path, film: tuple[Path, list[Luma]]) -> None:
    path, pictures = film
    told = answer("advise", path)
    assert told["rate"] == "24000/1001"
    assert told["steps"][0]["settings"] == {"step": "film", "rate": "24000/1001", "order": "tff"}
    assert told["steps"][0]["reason"]
    assert {one["settings"]["step"] for one in told["steps"][0]["alternatives"] if one["settings"]} == {"fields", "film"}
    kept = tmp_path / "treatment.json"
    kept.write_text(json.dumps(told))
    made = answer("treat", path, "-o", tmp_path / "whole.mkv", "--treatment", kept)
    assert (made["digest"], made["interpolated"]) == (told["digest"], 0)
    out = _pictures(tmp_path / "whole.mkv")
    assert made["frames"] == len(out)
    known = {picture.tobytes() for picture in pictures}
    assert sum(picture.tobytes() in known for picture in out) >= len(out) - 1
    some = answer("treat", path, "-o", tmp_path / "some.mkv", "--as-suggested", "--span", "0.5-1.25")
    first = round(Fraction(1, 2) * Fraction(24000, 1001))
    part = _pictures(tmp_path / "some.mkv")
    assert len(part) == some["frames"] == round(Fraction(5, 4) * Fraction(24000, 1001)) - first
    assert all(np.array_equal(one, two) for one, two in zip(part, out[first:], strict=False))
    with av.open(str(tmp_path / "some.mkv")) as container:
        samples = sum(block.samples for block in container.decode(audio=0))
        assert abs(samples - some["frames"] * 1001 / 24000 * 48000) <= 1
    quick = ("--codec", "h264", "--quality", "30", "--speed", "ultrafast")
    copy = answer("copy", path, "-o", tmp_path / "copy.mp4", *quick, "--treatment", kept)
    assert (copy["verified"], copy["frames"]) == (True, len(out))
    assert answer("predict", path, *quick, "--treatment", kept)["size_bytes"]["expected"] > 0


def test_what_is_no_treatment_is_one_line(tmp_path: Path, film: tuple[Path, list[Luma]]) -> None:
    path, _ = film
    bad = tmp_path / "bad.json"
    for words, code in (("{", 2), ('{"steps": [{"step": "blur"}]}', 2), ("[" * 100_000, 2), ("[]", 2)):
        bad.write_text(words)
        done = yomikomi("treat", path, "-o", tmp_path / "x.mkv", "--treatment", bad, code=code)
        assert len(done.stderr.strip().splitlines()) == 1, done.stderr
    assert "no treatment" in done.stderr
    yomikomi("treat", path, "-o", tmp_path / "x.mkv", "--treatment", tmp_path / "none.json", code=3)
    yomikomi("treat", path, "-o", tmp_path / "x.mp4", code=2)
    yomikomi("treat", path, "-o", tmp_path / "x.mkv", "--span", "9-99", code=2)
    yomikomi("treat", path, "-o", tmp_path / "x.mkv", "--span", "a-b", code=2)
    bad.write_text('{"steps": [{"step": "crop", "top": 200, "bottom": 100}]}')
    assert "leaves nothing" in yomikomi("treat", path, "-o", tmp_path / "x.mkv", "--treatment", bad, code=2).stderr
    yomikomi("copy", path, "-o", tmp_path / "x.mp4", "--codec", "h264", "--quality", "20", "--treatment", bad, "--as-suggested", code=2)
    assert not list(tmp_path.glob("*x.m*"))
