"""Predictions against whole encodes of unlike programmes: size, whether the interval held, time, and what trying cost."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from bench import material
from bench.programmes import TUNED, UNSEEN, programme
from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.trials import TrialRequest, run_trials, segments_for
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import usual_recipes
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

# What the size of a take is promised for begins at five minutes.
_SECONDS = 300
# The copies that are made whole: each codec, H.264 where it is good and where it is small.
_WHOLE = {("h264", 20), ("h264", 29), ("hevc", 26), ("av1", 36)}


@dataclass(frozen=True)
class Held:
    """One prediction held against its copy: errors as shares of the copy's, and whether the interval held it."""

    size: float
    inside: bool
    words: str


def run(seconds: int = _SECONDS) -> Iterator[str]:
    yield f"programmes of {seconds} s; predicted size against the real one, the interval that was told, time; processor seconds"
    for names, words in ((TUNED, "tuned on"), (UNSEEN, "not looked at while tuning")):
        held = []
        for name in names:
            for found in _programme(name, seconds):
                if isinstance(found, Held):
                    held.append(found)
                yield found.words if isinstance(found, Held) else found
        off = [abs(each.size) for each in held]
        inside = sum(each.inside for each in held)
        yield f"{words}: median {100 * np.median(off):.1f} %, worst {100 * max(off):.1f} %, intervals held {inside} of {len(held)}"


def _programme(name: str, seconds: int) -> Iterator[Held | str]:
    path = programme(name, seconds)
    reading = read(ReadRequest(path), SilentReporter())
    order = reading.scan.field_order if reading.scan.kind == "interlaced" else None
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder(order)) if order else Treatment.of_fields(Deinterlace.LEAVE, None)
    parts, more = segments_for(reading.duration_seconds)
    recipes = tuple(usual_recipes(fields=False))
    began = time.process_time()
    trials = run_trials(TrialRequest(path, reading, treatment, recipes, parts, more), SilentReporter())
    spent = time.process_time() - began
    yield f"{name}: {len(recipes)} recipes tried, sizes estimated from {trials.sized_on} segments, {spent:.0f} processor seconds"
    for point in trials.points:
        if (point.recipe.codec, point.recipe.quality) in _WHOLE:
            yield _against_its_copy(name, path, reading, treatment, point)


def _against_its_copy(name: str, path: Path, reading: Reading, treatment: Treatment, point: Prediction) -> Held:
    target = material.folder() / f"{name}-{point.recipe.file_words}.{point.recipe.container}"
    began = time.process_time()
    made = make_copy(CopyRequest(path, target, reading, treatment, point.recipe), SilentReporter())
    spent = time.process_time() - began
    target.unlink()
    size = point.size_bytes
    off, inside = size.expected / made.size_bytes - 1, size.low <= made.size_bytes <= size.high
    width = 50 * (size.high - size.low) / size.expected
    slower = 100 * (point.encode_seconds.expected / made.encode_seconds - 1)
    words = f"{name}, {point.recipe.words}: {100 * off:+.1f} % ({'inside' if inside else 'OUTSIDE'} ±{width:.0f} %), time {slower:+.0f} %"
    return Held(off, inside, f"{words}, copy {spent:.0f} processor seconds{'' if made.verified else ', NOT VERIFIED'}")
