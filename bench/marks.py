"""Marks that the strip of a recording sets on sources without a fault: ten minutes of every kind that can be simulated."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from fractions import Fraction

from yomikomi.core.capture.content import ContentJudge
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

_SECONDS = 600
_29_97, _59_94, _23_976 = Fraction(30000, 1001), Fraction(60000, 1001), Fraction(24000, 1001)
SOURCES: dict[str, TapePlayerSpec | FeedSpec] = {
    "VHS": TapePlayerSpec(seed=1993, mixture="lively", real_time=False),
    "VHS, corrected": TapePlayerSpec(seed=3, corrector=True, real_time=False),
    "Video8, 625 lines": TapePlayerSpec(standard="625i", seed=8, tape="video8", real_time=False),
    "laser disc": TapePlayerSpec(seed=7, tape="laserdisc", wide=True, real_time=False),
    "a sign that stands": TapePlayerSpec(seed=9, tape="perfect", mixture="still", real_time=False),
    "camera, fields": FeedSpec(640, 360, _29_97, interlaced=True, seed=16, real_time=False),
    "camera, film in fields": FeedSpec(640, 360, _29_97, interlaced=True, cadence="film", seed=6, real_time=False),
    "console, 59.94": FeedSpec(640, 360, _59_94, seed=5, real_time=False),
    "film in 59.94": FeedSpec(640, 360, _59_94, cadence="film", seed=15, real_time=False),
    "3:2 camera, PQ, 23.976": FeedSpec(640, 360, _23_976, shape="3:2", hdr=True, seed=8, real_time=False),
}


def run() -> Iterator[str]:
    with ProcessPoolExecutor(os.cpu_count()) as pool:
        yield from pool.map(_watched, SOURCES)


def _watched(name: str) -> str:
    source = SOURCES[name].open()
    rate = source.format.standard.rate
    judge = ContentJudge(float(rate), fields=source.format.field_order is not None)
    frames = round(_SECONDS * rate)
    for number in range(frames):
        judge.saw(number, source.picture(number).y)
    return f"{name}: {len(judge.repeats)} marks in {frames} frames {judge.repeats[:10] or ''}"
