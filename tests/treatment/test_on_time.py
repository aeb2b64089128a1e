"""In and out, cuts, splits, parts and key positions moved along the take: whatever a person does, the treatment stays one."""

from __future__ import annotations

import itertools
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.making import interlace, sliding_frames, write_clip
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.on_time import Handle, OnTime
from yomikomi.core.treatment.steps import CutOut, Film, KeyPosition, Reframe, Split, Trim
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter

VIDEO = Fraction(30000, 1001)


@pytest.fixture(scope="module")
def reading(tmp_path_factory: pytest.TempPathFactory) -> Reading:
    frames = interlace(sliding_frames(300, width=64, height=48), FieldOrder.TFF)
    path: Path = write_clip(tmp_path_factory.mktemp("on time") / "a.mkv", frames, rate=VIDEO, codec="rawvideo")
    return read(ReadRequest(path, complexity=False), SilentReporter())


_MOMENT = st.floats(-1, 7)
_WAYS = ["in", "out", "cut", "split", "film", "interlaced", "progressive", "move", "remove"]
_DONE = st.tuples(st.sampled_from(_WAYS), st.integers(0, 30), _MOMENT)


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(_DONE, max_size=14))
def test_whatever_is_done_by_hand_the_treatment_stays_one(reading: Reading, done: list[tuple[str, int, float]]) -> None:
    treatment = Treatment(steps=(Reframe(shape="1:1", keys=tuple(KeyPosition(at=at, x=at / 4) for at in (0, 1, 2, 3))),))
    for what, number, moment in done:
        on = OnTime(treatment, reading)
        handle = on.handles[number % len(on.handles)]
        if what in {"film", "interlaced", "progressive"}:
            treatment = on.made_as(what, moment)  # type: ignore[arg-type]
        elif what == "move":
            treatment = on.moved(handle, moment)
            others = [one.kind for one in OnTime(treatment, reading).handles if one.kind == handle.kind]
            assert len(others) == sum(one.kind == handle.kind for one in on.handles), "nothing goes by being moved"
        elif what == "remove":
            treatment = on.removed(handle)
        else:
            treatment = {"in": on.begun, "out": on.ended, "cut": on.cut, "split": on.split}[what](moment)
        assert Treatment.model_validate_json(treatment.model_dump_json()) == treatment
        now = OnTime(treatment, reading)
        assert 1 <= Timing.of(reading, treatment).frames <= 2 * reading.frames
        edges = [edge for pair in now.kept for edge in pair]
        assert edges == sorted(edges)
        spans = now.parts
        assert spans[0].start == 0
        assert spans[-1].end == pytest.approx(reading.duration_seconds)
        assert all(one.end == two.start and one.kind != two.kind for one, two in itertools.pairwise(spans))


def test_each_handle_stands_on_a_frame_and_between_its_neighbours(reading: Reading) -> None:
    on = OnTime(Treatment(), reading)
    assert [one.kind for one in on.handles] == ["in", "out"]
    frame = float(1 / VIDEO)
    begun = on.moved(on.handles[0], 2.01)
    assert begun.get(Trim) == Trim(start=round(60 * frame, 6))
    assert OnTime(begun, reading).moved(Handle("in", 0, round(60 * frame, 6)), 99).get(Trim) == Trim(start=round(149 * frame, 6))
    assert OnTime(begun, reading).removed(Handle("in", 0, round(60 * frame, 6))) == Treatment()
    assert on.moved(on.handles[1], 99) == Treatment()  # to the end: nothing is cut off
    cut = on.cut(3.0)
    assert cut.get(CutOut) is not None
    wide = OnTime(cut, reading)
    ends = next(one for one in wide.handles if one.kind == "cut ends")
    wider = wide.moved(ends, 5.0).get(CutOut)
    assert wider is not None
    assert [(round(part.start / frame), round(part.end / frame)) for part in wider.parts] == [(90, 150)]
    assert wide.removed(ends) == Treatment()
    two = OnTime(on.split(2.0), reading).split(4.0)
    split = two.get(Split)
    assert split is not None
    assert [round(at / frame) for at in split.at] == [60, 120]
    parts = on.made_as("progressive", 4.0)
    assert [(round(one.start / frame), one.kind) for one in OnTime(parts, reading).parts] == [(0, "interlaced"), (120, "progressive")]
    assert OnTime(parts, reading).removed(next(one for one in OnTime(parts, reading).handles if one.kind == "part")).get(Film)
    keys = Treatment(steps=(Reframe(keys=tuple(KeyPosition(at=at) for at in (0, 1, 2))),))
    moved = OnTime(keys, reading).moved(Handle("key", 1, 1), 9).get(Reframe)
    assert moved is not None
    assert moved.keys[1].at == pytest.approx(2 - frame, abs=1e-5)
