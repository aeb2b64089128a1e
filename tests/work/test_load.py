"""A time is only worth something where others did not take the processors."""

from __future__ import annotations

import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import psutil
import pytest

from yomikomi.core.balance.segments import Segment
from yomikomi.core.balance.spans import TreatedSpan
from yomikomi.core.balance.trial import judge_for, run_trial
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import SilentReporter
from yomikomi.core.work.load import Load, LoadWatch


@pytest.mark.parametrize(
    ("own", "others", "part"),
    [
        (18.0, 0.2, 1.0),  # alone: what the system does beside is nothing
        (9.0, 2.0, 1.0),  # others work, but nobody waits
        (9.0, 11.0, 0.5),  # others took half of a full machine
        (2.0, 18.0, 2 / 18),
        (0.0, 0.0, 1.0),
    ],
)
def test_what_it_would_have_taken_alone(own: float, others: float, part: float) -> None:
    """Ten seconds on two processors; an encoder alone keeps nine tenths of them busy."""
    assert Load(10.0, own, others, 2).quiet_part == pytest.approx(part)


@pytest.fixture
def busy() -> Iterator[None]:
    """Another program that takes every processor."""
    spin = [subprocess.Popen([sys.executable, "-c", "while True: pass"]) for _ in range(psutil.cpu_count() or 1)]
    time.sleep(0.2)
    yield
    for one in spin:
        one.kill()
        one.wait()


def test_a_trial_beside_other_programs_says_so(busy: None, short_tape: Path, short_reading: Reading) -> None:
    watch = LoadWatch()
    span = TreatedSpan(
        short_tape, short_reading, Treatment(), Segment(0, 16, 1000, certain=True, inclusion=1.0, role="whole"), "yuv420p", SilentReporter()
    )
    # Long enough for the system's clock of processor time, which ticks every hundredth of a second.
    trial = run_trial(span, recipe_for("h264", 22, speed="slow"), judge_for(span), SilentReporter())
    load = watch.load()
    assert load.others_share > 0.3
    assert load.own < load.wall * load.processors
    assert trial.quiet_part < 0.9
