"""An encoder may not take the machine: as root, the AV1 encoder would raise itself to a real-time class (findings)."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import av
import pytest

from tests.making import sliding_frames
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.priority import lower_all_threads, tame_encoders


def policies_while_encoding(prepare: bool, reporter: Reporter) -> set[int]:
    """The scheduling classes of all threads of this process while an AV1 encoder is at work."""
    if prepare:
        tame_encoders()
    context = av.CodecContext.create("libsvtav1", "w")
    assert isinstance(context, av.VideoCodecContext)
    context.width, context.height, context.pix_fmt = 320, 240, "yuv420p"
    context.framerate, context.time_base = Fraction(25), Fraction(1, 25)
    context.options = {"preset": "12", "crf": "40"}
    context.open(strict=False)
    if prepare:
        lower_all_threads()
    seen: set[int] = set()
    for number, luma in enumerate(sliding_frames(24)):
        frame = av.VideoFrame(320, 240, "yuv420p")
        for index, plane in enumerate(frame.planes):
            plane_samples(plane)[...] = luma if index == 0 else 128
        frame.pts = number
        context.encode(frame)
        seen |= {os.sched_getscheduler(int(thread.name)) for thread in Path("/proc/self/task").iterdir()}
    context.encode(None)
    return seen


def try_to_rise(_request: None, reporter: Reporter) -> str:
    tame_encoders()
    try:
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(1))
    except PermissionError:
        return "refused"
    return "allowed"


def test_the_av1_encoder_stays_in_the_ordinary_class() -> None:
    seen = Job(policies_while_encoding, True, name="encoder").start().wait(60).answer()
    assert seen <= {os.SCHED_OTHER, os.SCHED_BATCH}


def test_the_right_to_rise_is_given_up() -> None:
    if os.geteuid() != 0:
        pytest.skip("only root has the right to begin with")
    assert Job(try_to_rise, None, name="riser").start().wait(20).answer() == "refused"
