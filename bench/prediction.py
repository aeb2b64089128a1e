"""Predictions against full encodes of a three-minute programme of mixed scenes: size, SSIM, time."""

from __future__ import annotations

import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import numpy as np

from bench import material
from yomikomi.core.balance.curves import plane_points
from yomikomi.core.balance.metrics import SampleMeter, ssim_db
from yomikomi.core.balance.recipes import recipe_for, usual_recipes
from yomikomi.core.balance.trials import SIZING_SEGMENTS, TrialRequest, run_trials
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.run.copying import CopyRequest, make_copy
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import Job

_SECONDS = 180
# What is encoded whole: one value of each codec, the first between probes.
_WHOLE = (("h264", 22), ("hevc", 26), ("av1", 36))
_LOOK_EVERY = 40


def run() -> Iterator[str]:
    path = material.tape(_SECONDS)
    reading = Job(read, ReadRequest(path), name="reading").start().wait().answer()
    treatment = Treatment.of_fields(Deinterlace.SINGLE, FieldOrder(reading.scan.field_order or "bff"))
    began = time.monotonic()
    request = TrialRequest(path, reading, treatment, tuple(usual_recipes(fields=False, effort="low")), more=SIZING_SEGMENTS)
    trials = Job(run_trials, request, name="trials").start().wait().answer()
    plane = plane_points(trials)
    parts = f"{len(trials.segments)} segments, sized on {trials.sized_on}"
    yield f"{len(trials.points)} recipes tried on {_SECONDS} s ({parts}) in {time.monotonic() - began:.0f} s"
    errors = []
    for codec, quality in _WHOLE:
        told = next(p.prediction for p in plane[codec] if p.prediction.recipe.quality == quality)
        target = material.folder() / f"whole-{codec}-{quality}.mp4"
        recipe = recipe_for(codec, quality, speed=told.recipe.speed)
        made = Job(make_copy, CopyRequest(path, target, reading, treatment, recipe), name="copy").start().wait().answer()
        off = made.size_bytes / told.size_bytes.expected - 1
        errors.append(off)
        size = told.size_bytes
        inside = "inside" if size.low <= made.size_bytes <= size.high else "OUTSIDE"
        width = 100 * (size.high - size.low) / 2 / size.expected
        fidelity = _fidelity(path, target, reading, treatment)
        slower = 100 * (made.encode_seconds / told.encode_seconds.expected - 1)
        how = "" if told.measured else " (interpolated)"
        yield (
            f"{told.recipe.words}{how}: size {100 * off:+.1f} % off ({inside} its ±{width:.0f} %), "
            f"SSIM {fidelity - told.quality.value:+.2f} dB off, time {slower:+.0f} % off"
            f"{'' if made.verified else ', NOT VERIFIED'}"
        )
    yield f"sizes: mean error {100 * np.mean(errors):+.1f} %, mean absolute {100 * np.mean(np.abs(errors)):.1f} %"


def _fidelity(path: Path, copy: Path, reading: Reading, treatment: Treatment) -> float:
    """Mean SSIM of frames taken evenly from the whole copy, in decibels."""
    chain = chain_for(reading, treatment)
    source = chain.treat(frames_from(path, start_seconds=Fraction(0)), time_base=Fraction(1, 1000))
    found: list[float] = []
    meter: SampleMeter | None = None
    for number, (one, two) in enumerate(zip(source, frames_from(copy, start_seconds=Fraction(0)), strict=False)):
        if number % _LOOK_EVERY:
            continue
        meter = meter or SampleMeter(one, rate=chain.format.rate)
        found += [like.ssim for like in meter.feed(one, two)]
    return ssim_db(float(np.mean(found)))
