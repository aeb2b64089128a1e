"""Predictions against whole encodes of unlike programmes: size, whether the interval held, time, and what trying cost."""

from __future__ import annotations

import time
from collections.abc import Iterator

import numpy as np

from bench import material
from bench.programmes import TUNED, UNSEEN, programme
from yomikomi.core.balance.trials import TrialRequest, run_trials, segments_for
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.codecs import TRIED
from yomikomi.core.recipes.recipe import usual_recipes
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job

# Of each codec's probes those that are encoded whole: a good one and a small one; the anchor lies between them.
_WHOLE = (1, 3)


def run() -> Iterator[str]:
    yield "programme, recipe: predicted size against the real one, the interval that was told; time"
    for names, words in ((TUNED, "tuned on"), (UNSEEN, "not looked at while tuning")):
        errors, held = [], []
        for name in names:
            for line, off, inside in _programme(name):
                yield line
                if off is not None:
                    errors.append(abs(off))
                    held.append(inside)
        yield (
            f"{words}: median {100 * np.median(errors):.1f} %, worst {100 * max(errors):.1f} %, intervals held {sum(held)} of {len(held)}"
        )


def _programme(name: str) -> Iterator[tuple[str, float | None, bool]]:
    path = programme(name)
    reading = Job(read, ReadRequest(path), name="reading").start().wait().answer()
    order = reading.scan.field_order if reading.scan.kind == "interlaced" else None
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder(order)) if order else Treatment.of_fields(Deinterlace.LEAVE, None)
    began = time.monotonic()
    parts, more = segments_for(reading.duration_seconds)
    recipes = tuple(usual_recipes(fields=False))
    trials = Job(run_trials, TrialRequest(path, reading, treatment, recipes, parts, more), name="trials").start().wait().answer()
    yield f"{name}: {len(recipes)} recipes tried on {trials.sized_on} segments in {time.monotonic() - began:.0f} s", None, False
    spent = 0.0
    for point in trials.points:
        recipe = point.recipe
        if TRIED[recipe.codec].probes.index(recipe.level) not in _WHOLE:
            continue
        target = material.folder() / f"{name}-{recipe.file_words}.{recipe.container}"
        made = Job(make_copy, CopyRequest(path, target, reading, treatment, recipe), name="copy").start().wait().answer()
        size, spent = point.size_bytes, spent + made.encode_seconds
        off, inside = size.expected / made.size_bytes - 1, size.low <= made.size_bytes <= size.high
        width = 50 * (size.high - size.low) / size.expected
        slower = 100 * (point.encode_seconds.expected / made.encode_seconds - 1)
        words = f"{name}, {recipe.words}: {100 * off:+.1f} % ({'inside' if inside else 'OUTSIDE'} ±{width:.0f} %), time {slower:+.0f} %"
        yield words + ("" if made.verified else ", NOT VERIFIED"), off, inside
    yield f"{name}: the copies took {spent:.0f} s", None, False
