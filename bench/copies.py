"""How far true copies stay from what calls a copy false, and what chunks cost, on programmes that neither was tried on before."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from bench.programmes import programme
from yomikomi.core.copying.encode import Encoded, encode
from yomikomi.core.copying.making import prove_copy, write_copy
from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter

_PROGRAMMES = ("screen", "game", "interview", "cartoon", "slides", "montage", "stage")
# Good, and as poor as anybody would ask for.
_RECIPES = (("h264", 20, "medium"), ("h264", 45, "veryfast"), ("hevc", 45, "veryfast"), ("av1", 63, "10"))
_TOLD = ("pictures as treated", "levels", "frame by frame", "close to the treated take")


def proof() -> Iterator[str]:
    """All of these are true copies: whatever fails is a false alarm."""
    alarms = made_of = 0
    for name in _PROGRAMMES:
        path, reading = _read(name, 40)
        for codec, quality, speed in _RECIPES:
            with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
                target = Path(folder) / "copy.mp4"
                request = CopyRequest(path, target, reading, Treatment(), recipe_for(codec, quality, speed=speed))
                made = write_copy(request, target, SilentReporter())
                checks = prove_copy(request, made.at(target), SilentReporter()).checks
            wrong = [check.name for check in checks if not check.passed]
            alarms, made_of = alarms + bool(wrong), made_of + 1
            told = "; ".join(check.found for check in checks if check.name in _TOLD)
            yield f"{name}, {codec} {quality}: {told}" + (f"; FALSE ALARM: {', '.join(wrong)}" if wrong else "")
    yield f"{alarms} of {made_of} true copies called false"


def chunks() -> Iterator[str]:
    """Three minutes in one piece and in chunks of a minute."""
    for name in ("game", "screen", "stage"):
        path, reading = _read(name, 180)
        for codec, quality, speed in (("h264", 23, "fast"), ("hevc", 26, "veryfast"), ("av1", 40, "10")):
            with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
                request = CopyRequest(path, Path(folder) / "copy.mp4", reading, Treatment(), recipe_for(codec, quality, speed=speed))
                whole, took = _made(request, "whole", None)
                parts, longer = _made(request, "parts", Path(folder) / "chunks")
            more, slower = 100 * (parts.size_bytes / whole.size_bytes - 1), 100 * (longer / took - 1)
            yield f"{name}, {codec} {quality}: {more:+.2f} % bytes, {slower:+.0f} % time"


def _made(request: CopyRequest, name: str, folder: Path | None) -> tuple[Encoded, float]:
    began, target = time.monotonic(), request.target.with_name(f"{name}.mp4")
    return encode(replace(request, target=target), target, SilentReporter(), folder), time.monotonic() - began


def _read(name: str, seconds: int) -> tuple[Path, Reading]:
    path = programme(name, seconds)
    return path, read(ReadRequest(path), SilentReporter())
