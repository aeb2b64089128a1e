"""What is foretold of a copy's time by trials made alone and by trials made beside other programs, against how long it takes."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import psutil

from bench import material
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job

_SECONDS = 20


def run() -> Iterator[str]:
    path = material.tape(_SECONDS)
    reading = Job(read, ReadRequest(path), name="reading").start().wait().answer()
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder(reading.scan.field_order or "bff"))
    recipes: tuple[Recipe, ...] = (recipe_for("h264", 22), recipe_for("hevc", 26), recipe_for("av1", 36))
    request = TrialRequest(path, reading, treatment, recipes, segments=3)
    for name, beside in (("alone", 0), ("beside one program", 1), ("beside as many as there are processors", psutil.cpu_count() or 1)):
        spin = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(beside)]
        try:
            trials = Job(run_trials, request, name="trials").start().wait().answer()
        finally:
            for one in spin:
                one.kill()
                one.wait()
        told = ", ".join(f"{point.recipe.codec} {point.encode_seconds.expected:.1f} s" for point in trials.points)
        yield f"{name}: {told}; {100 * trials.disturbed:.0f} % of the time held up"
    for recipe in recipes:
        with tempfile.TemporaryDirectory(prefix="yomikomi-bench-") as folder:
            began = time.monotonic()
            wanted = CopyRequest(path, Path(folder) / f"copy.{recipe.container}", reading, treatment, recipe)
            done = Job(make_copy, wanted, name="copy").start().wait().answer()
            yield f"{recipe.codec}: the copy took {done.encode_seconds:.1f} s, with its checks {time.monotonic() - began:.1f}"
