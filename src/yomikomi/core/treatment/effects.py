"""What each step of a treatment does to a take and what it costs, measured on the second that is looked at."""

from __future__ import annotations

import time
from dataclasses import dataclass

import av
import numpy as np

from yomikomi.core.treatment.combing import combing
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.loop import LoopSource
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import AnyStep, BurnIn, Fields, Film, RateCap
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.planes import bits, luma, plane_samples
from yomikomi.core.video.units import number_text
from yomikomi.core.work import Reporter

# Every so many frames are measured, and where black and white are read off: parts of all samples, percent.
_EACH, _BLACK, _WHITE = 6, 1.0, 99.0


@dataclass(frozen=True)
class Effect:
    """``words``: what was measured before and after, with the measure's name; ``cost``: seconds of work for a second of the take."""

    step: str
    words: str
    cost: float


@dataclass(frozen=True)
class _Measured:
    seconds: float
    combing: float
    black: float
    white: float
    chroma: float
    format: PictureFormat


def measure_effects(source: LoopSource, treatment: Treatment, reporter: Reporter) -> list[Effect]:
    """Of every step of the picture that works on frames, in their order: the chain is run with one step more each time."""
    found: list[Effect] = []
    steps = treatment.untimed.steps
    if not steps:
        return found
    before = _measure(source, Treatment(), reporter)
    for number, step in enumerate(steps, 1):
        after = _measure(source, Treatment(steps=steps[:number]), reporter)
        found.append(Effect(step.step, _words(step, before, after), max(0.0, after.seconds - before.seconds)))
        before = after
    return found


def _measure(source: LoopSource, treatment: Treatment, reporter: Reporter) -> _Measured:
    request = source.request
    timing = Timing.of(request.reading, treatment)
    outputs = timing.outputs(source.frames.start, source.frames.stop)
    treated = TreatedFrames(
        request.path, request.reading, treatment, outputs, "yuv420p", reporter.check, held=source.held, most_filled_s=None
    )  # fmt: skip
    spent, mark = 0.0, time.perf_counter()
    looked: list[av.VideoFrame] = []
    for number, frame in enumerate(treated):
        spent += time.perf_counter() - mark
        if number % _EACH == 0:
            looked.append(frame)
        mark = time.perf_counter()
    lasted = max(1, len(outputs)) / float(timing.rate)
    lumas = [luma(frame) for frame in looked]
    teeth = float(np.mean([combing(one, depth=bits(frame)) for one, frame in zip(lumas, looked, strict=True)])) if looked else 0.0
    black, white = (float(np.mean([np.percentile(one[::4, ::4], part) for one in lumas])) if lumas else 0.0 for part in (_BLACK, _WHITE))
    chroma = float(np.mean([_chroma(frame) for frame in looked])) if looked else 0.0
    made = treatment.formats(source_format(request.reading))[-1]
    return _Measured(spent / lasted, teeth, black, white, chroma, made)


def _chroma(frame: av.VideoFrame) -> float:
    """How far chroma lies from grey, code values."""
    return float(np.mean([np.abs(plane_samples(plane).astype(np.float32) - 128).mean() for plane in frame.planes[1:3]]))


def _words(step: AnyStep, before: _Measured, after: _Measured) -> str:
    if isinstance(step, Fields | Film):
        return f"combing {number_text(before.combing, places=1)} to {number_text(after.combing, places=1)} code values"
    if isinstance(step, BurnIn):
        return "letters become part of the picture"
    one, two = before.format.geometry, after.format.geometry
    if isinstance(step, RateCap):
        return "half of the motion" if step.each == 2 else f"one frame of {step.each}"
    if (one.width, one.height) != (two.width, two.height):
        return f"{100 * two.width * two.height / (one.width * one.height):.0f} % of the samples"
    if one.sample_aspect != two.sample_aspect:
        return f"{one.shape_words} to {two.shape_words}"
    black, white = ((f"{first:.0f} to {second:.0f}") for first, second in ((before.black, after.black), (before.white, after.white)))
    if step.step == "colour":
        return f"mean chroma {number_text(before.chroma, places=1)} to {number_text(after.chroma, places=1)} code values"
    return f"black {black}, white {white} (1st and 99th percentile)"
