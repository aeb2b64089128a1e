"""When each copy of a night begins and ends: held against the same reckoning done one copy after another with dates."""

from __future__ import annotations

import math
from datetime import datetime, time, timedelta, timezone

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.run.hours import Hours
from yomikomi.core.run.night import mended, night_of

_NOW = datetime(2031, 5, 4, 21, 30, tzinfo=timezone(timedelta(hours=2)))
_HOURS = Hours(begin=time(22, 0), end=time(6, 0))
_ROUNDING = timedelta(milliseconds=5)


def _opened(at: datetime, hours: Hours | None) -> datetime:
    return at if hours is None or hours.open_at(at) else hours.next_change(at)


def _after(begin: datetime, seconds: float, hours: Hours | None) -> datetime:
    at, left = _opened(begin, hours), timedelta(seconds=seconds)
    while hours is not None and left > timedelta():
        closes = hours.next_change(at)
        if at + left <= closes:
            break
        left, at = left - (closes - at), hours.next_change(closes)
    return at + left


@given(
    lengths=st.lists(st.integers(1, 40_000), max_size=30),
    lanes=st.integers(1, 4),
    running=st.integers(0, 3),
    hours=st.sampled_from([None, _HOURS, Hours(begin=time(9, 0), end=time(17, 15))]),
    at=st.integers(0, 86_399),
)
def test_one_after_another_in_the_lane_that_is_free_first(
    lengths: list[int], lanes: int, running: int, hours: Hours | None, at: int
) -> None:
    now = _NOW + timedelta(seconds=at)
    running = min(running, len(lengths))
    spans = np.array([(0.8 * one, one, 1.5 * one) for one in lengths]).reshape(-1, 3)
    night = night_of(range(len(lengths)), spans, running=running, lanes=lanes, now=now, hours=hours)
    free = dict.fromkeys(range(max(lanes, running)), now)
    late = dict.fromkeys(free, 0.0)
    assert list(night) == list(range(len(lengths)))
    for copy, length in enumerate(lengths):
        lane = copy if copy < running else min(free, key=lambda lane: (free[lane], lane))
        bar = night[copy]
        begin = _opened(free[lane], hours)
        late[lane] += (0.5 * length) ** 2
        if bar.lane != lane:  # two were free within a rounding
            assert abs(free[bar.lane] - free[lane]) < _ROUNDING
            return
        assert abs(bar.begin - begin) < _ROUNDING
        free[lane] = _after(begin, length, hours)
        assert abs(bar.end - free[lane]) < _ROUNDING
        assert bar.begin <= bar.earliest <= bar.end <= bar.latest
        assert abs(bar.latest - _after(free[lane], math.sqrt(late[lane]), hours)) < _ROUNDING
    if lengths:
        assert night.last is not None
        assert night.last.end == max(bar.end for bar in night.values())


def test_what_nobody_knows_is_a_guess_and_says_so() -> None:
    night = night_of((7, 9), np.array([(math.nan,) * 3, (60.0, 60.0, 60.0)]), running=0, lanes=1, now=_NOW)
    assert night.unknown == 1
    assert not night[7].known
    assert night[9].begin == night[7].end == _NOW + timedelta(minutes=10)
    assert night_of((), np.empty((0, 3)), running=0, lanes=2, now=_NOW).last is None


def test_what_ends_as_they_close_is_done_and_the_next_begins_as_they_open() -> None:
    night = night_of((1, 2), np.array([(3600.0,) * 3] * 2), running=0, lanes=1, now=_NOW.replace(hour=5, minute=0), hours=_HOURS)
    assert night[1].end == _NOW.replace(hour=6, minute=0)
    assert night[2].begin == _NOW.replace(hour=22, minute=0)


def test_predictions_are_mended_by_what_was_made() -> None:
    assert mended([]) == 1
    assert mended([(100, 200)] * 30) > 1.9
    assert 1 < mended([(100, 200)]) < 1.5  # one copy alone says little
