"""What is tried, and how it is raised to the whole."""

from __future__ import annotations

import itertools
from fractions import Fraction

import av
import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray

from yomikomi.core.balance.picture_sizes import picture_sizes
from yomikomi.core.balance.segments import Plan, Segment, plan_segments
from yomikomi.core.balance.sizing import Anchor, Starts, half_width, picture_bytes
from yomikomi.core.balance.trial import Pair, Trial
from yomikomi.core.reading.models import Complexity
from yomikomi.core.video.planes import frame_from_planes

CELLS = st.lists(st.integers(1, 200_000), min_size=1, max_size=400)


@given(CELLS, st.integers(3, 30))
def test_segments_lie_apart_inside_the_take(cells: list[int], count: int) -> None:
    frames = 15 * len(cells) - 4 if len(cells) > 1 else 11
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=cells), frames=frames, count=count)
    assert all(s.first >= 0 and s.first + s.frames <= frames and s.frames > 0 for s in plan.segments)
    assert all(a.first + a.frames <= b.first for a, b in itertools.pairwise(plan.segments))
    assert plan.whole == (len(plan.segments) == 1 and plan.segments[0].frames == frames)
    if not plan.whole:
        assert 3 <= len(plan.segments) <= count + 1
        assert {"hardest", "easiest", "typical"} <= {s.role for s in plan.segments}


def test_the_hardest_and_easiest_are_what_they_say() -> None:
    cells = [100] * 200
    cells[60:62], cells[120:122] = [9000, 9000], [3, 3]
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=cells), frames=3000)
    roles = {s.role: s for s in plan.segments}
    assert roles["hardest"].first == 60 * 15
    assert roles["easiest"].first == 120 * 15
    assert roles["hardest"].certain
    assert not roles["typical"].certain


@given(CELLS, st.integers(3, 12), st.integers(0, 40))
def test_more_segments_for_one_recipe_lie_apart_from_the_others(cells: list[int], count: int, more: int) -> None:
    frames = 15 * len(cells)
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=cells), frames=frames, count=count, more=more)
    everything = sorted((*plan.segments, *plan.more), key=lambda s: s.first)
    assert all(a.first + a.frames <= b.first for a, b in itertools.pairwise(everything))
    assert all(0 < s.inclusion <= 1 and not s.certain for s in plan.more)
    if not plan.whole:
        assert {"hardest", "easiest", "typical"} <= {s.role for s in plan.segments}
        assert plan.drawn == len([s for s in plan.segments if not s.certain]) + len(plan.more)
        assert len(plan.more) <= more + 1


_EACH = 15  # frames of half a second
_UNITS = 240  # of two seconds


def _plan(complexity: NDArray[np.int64], *, count: int, more: int, seed: int) -> Plan:
    cells = [int(size) // 4 + (int(size) % 4 if part == 0 else 0) for size in complexity for part in range(4)]
    frames = _EACH * len(cells)
    return plan_segments(Complexity(frames_per_cell=_EACH, cell_bytes=cells), frames=frames, count=count, more=more, seed=seed)


def _pairs(segments: tuple[Segment, ...], between: NDArray[np.float64], keys: tuple[float, ...] = ()) -> list[Pair]:
    unit = 4 * _EACH
    return [(s, Trial(float(between[s.first // unit]), s.frames, 0.01, 0.95, 8.0, key_sizes=keys)) for s in segments]


def _tried(rng: np.random.Generator, scatter: float, more: int, draws: int) -> tuple[list[float], list[float], list[bool], list[bool]]:
    """Errors and whether the interval held, of an anchor and of another recipe of its codec, over draws from one take."""
    complexity = rng.lognormal(9, 0.9, _UNITS).astype(int) + 1
    anchor_bytes = complexity * rng.lognormal(0, scatter, _UNITS) * 2.0
    other_bytes = anchor_bytes ** rng.uniform(0.85, 1.15) * rng.lognormal(0, 0.06, _UNITS)
    errors: tuple[list[float], list[float]] = ([], [])
    held: tuple[list[bool], list[bool]] = ([], [])
    for draw in range(draws):
        plan = _plan(complexity, count=4, more=more, seed=draw)
        anchor = Anchor(_pairs(plan.segments, anchor_bytes), _pairs(plan.more, anchor_bytes))
        for which, true in enumerate((anchor_bytes, other_bytes)):
            pairs = anchor.pairs if which == 0 else _pairs(plan.segments, true)
            one = picture_bytes(pairs, plan, Starts(0), floor=0.0, anchor=anchor)
            errors[which].append(one.expected / true.sum() - 1)
            held[which].append(bool(one.low <= true.sum() <= one.high))
    return *errors, *held


@pytest.mark.parametrize("scatter", [0.15, 0.4])
def test_estimates_are_right_on_average_and_within_their_interval(scatter: float) -> None:
    """Takes whose bytes follow complexity with scatter, no floor under the intervals: over many takes and draws the mean is right, and
    the interval of nine in ten holds as often as that, for the anchor and for what follows it."""
    found = [_tried(np.random.default_rng(take), scatter, 12, 12) for take in range(25)]
    for errors in (0, 1):
        assert abs(np.mean([one[errors] for one in found])) < 0.03
    for held in (2, 3):
        assert np.mean([one[held] for one in found]) >= 0.85


def test_a_recipe_between_two_on_material_of_two_kinds() -> None:
    """Half of the take is noise, whose bytes fall fast from one quality to the next, half is drawn, where they hardly do: what lies between
    is right by both ends, and was far off by one of them alone."""
    by_one: list[float] = []
    by_both: list[float] = []
    for draw in range(60):
        rng = np.random.default_rng([3, draw])
        noisy = rng.permutation(_UNITS) < _UNITS // 2
        complexity = rng.lognormal(9, 0.5, _UNITS).astype(int) + 1
        fine = complexity * np.where(noisy, 8.0, 2.0) * rng.lognormal(0, 0.1, _UNITS)
        coarse = complexity * np.where(noisy, 0.5, 1.0) * rng.lognormal(0, 0.1, _UNITS)
        true = np.sqrt(fine * coarse) * rng.lognormal(0, 0.05, _UNITS)
        plan = _plan(complexity, count=5, more=12, seed=draw)
        ends = [Anchor(_pairs(plan.segments, one), _pairs(plan.more, one)) for one in (fine, coarse)]
        pairs = _pairs(plan.segments, true)
        for errors, anchor in ((by_one, ends[0]), (by_both, Anchor.between(pairs, ends))):
            errors.append(abs(picture_bytes(pairs, plan, Starts(0), floor=0.0, anchor=anchor).expected / true.sum() - 1))
    assert np.mean(by_both) < 0.09
    assert np.mean(by_both) < 0.8 * np.mean(by_one)


def test_more_segments_make_it_surer_and_every_beginning_of_them_serves() -> None:
    """Half of the further segments give a wider interval that holds as well: they are tried in an order that lies evenly."""
    rng = np.random.default_rng(5)
    widths: dict[int, list[float]] = {4: [], 8: [], 16: []}
    counts: dict[int, list[float]] = {4: [], 8: [], 16: []}
    for draw in range(60):
        complexity = rng.lognormal(9, 0.9, _UNITS).astype(int) + 1
        true = complexity * rng.lognormal(0, 0.4, _UNITS)
        plan = _plan(complexity, count=4, more=16, seed=draw)
        for many, found in widths.items():
            anchor = Anchor(_pairs(plan.segments, true), _pairs(plan.more[:many], true))
            found.append(half_width(picture_bytes(anchor.pairs, plan, Starts(0), floor=0.0, anchor=anchor)))
            sampled = [s for s, _ in anchor.everywhere(plan) if not s.certain]
            counts[many].append(sum(1 / s.inclusion for s in sampled))
    assert np.mean(widths[16]) < 0.75 * np.mean(widths[4])
    for many, found in counts.items():  # inverse probabilities count the units (Horvitz and Thompson)
        assert np.mean(found) == pytest.approx(_UNITS - 2, rel=0.08), many


def test_key_pictures_are_counted_and_not_sampled() -> None:
    """A still programme: half of its bytes are key pictures, none of which lies in a segment. A sample of the rest alone would be half."""
    complexity = np.full(_UNITS, 4000) + np.arange(_UNITS)
    between = complexity * 1.5
    plan = _plan(complexity, count=4, more=8, seed=1)
    keys = (20_000.0,)
    anchor = Anchor(_pairs(plan.segments, between, keys), _pairs(plan.more, between, keys))
    one = picture_bytes(anchor.pairs, plan, Starts(96), floor=0.0, anchor=anchor)
    assert one.expected == pytest.approx(between.sum() + 96 * 20_000, rel=0.01)


def test_a_take_tried_whole_is_not_estimated() -> None:
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=[10, 20, 30]), frames=45)
    one = picture_bytes([(plan.segments[0], Trial(12_000, 45, 0.01, 0.9, 8.0, begun_bytes=345))], plan, Starts(99), floor=0.06)
    assert one.expected == 12_345
    assert one.low < one.expected < one.high


@given(st.sets(st.integers(1, 2999)), st.integers(1, 3000), st.integers(1, 300), st.booleans())
def test_key_pictures_come_where_an_encoder_puts_them(cuts: set[int], frames: int, distance: int, cut_keys: bool) -> None:
    """Against a walk from picture to picture: a key at the beginning, at a cut, and where the last is the longest distance away."""
    keys, last = 1, 0
    for number in range(1, frames):
        at_cut = cut_keys and number in cuts and number - last >= max(1, distance // 10)
        if at_cut or number - last == distance:
            keys, last = keys + 1, number
    found = Starts.of(sorted(cuts), frames=frames, distance=distance, cut_keys=cut_keys)
    assert found.keys == keys
    assert found.cuts == (0 if cut_keys else len([cut for cut in cuts if cut < frames]))


def _av1(pictures: list[NDArray[np.uint8]]) -> list[av.Packet]:
    """Luma of 192 x 144, encoded."""
    grey = np.full((72, 96), 128, np.uint8)
    encoder = av.CodecContext.create("libsvtav1", "w")
    assert isinstance(encoder, av.VideoCodecContext)
    encoder.width, encoder.height, encoder.pix_fmt, encoder.framerate = 192, 144, "yuv420p", Fraction(30)
    encoder.options = {"preset": "9", "crf": "30"}
    packets: list[av.Packet] = []
    for number, luma in enumerate(pictures):
        frame = frame_from_planes(luma, grey, grey, pixel_format="yuv420p")
        frame.pts, frame.time_base = number, Fraction(1, 30)
        packets += encoder.encode(frame)
    return packets + encoder.encode(None)


def test_the_hidden_pictures_of_av1_are_spread_over_their_group() -> None:
    """Packets hold up to five pictures and one shows; spread, equal stretches of an even programme take nearly the same, where counted as
    they lie they scatter by a third. Nothing is lost or doubled."""
    rng = np.random.default_rng(3)
    wide = cv2.GaussianBlur(rng.integers(0, 256, (400, 900)).astype(np.uint8), (0, 0), 1.2)
    packets = _av1([np.ascontiguousarray(wide[40:184, 3 * number : 3 * number + 192]) for number in range(161)])
    sizes = picture_sizes(packets, codec="av1")
    assert sizes.between.sum() + sizes.keys.sum() == pytest.approx(sum(packet.size for packet in packets))
    raw = np.array([packet.size for packet in sorted(packets, key=lambda p: p.pts or 0)], float)
    windows = [slice(at, at + 20) for at in range(17, 130)]
    spread, as_they_lie = ([np.log(some[window].sum()) for window in windows] for some in (sizes.between, raw))
    assert np.std(spread) < 0.4 * np.std(as_they_lie)


def test_a_cut_without_a_key_picture_is_told_apart() -> None:
    """AV1 codes a new shot from nothing in the middle of a group; what that costs is no usual picture's."""
    rng = np.random.default_rng(4)
    shots = [cv2.GaussianBlur(rng.integers(0, 256, (144, 192)).astype(np.uint8), (0, 0), 1.0) for _ in range(2)]
    packets = _av1([shots[number >= 40] for number in range(81)])
    sizes = picture_sizes(packets, codec="av1", cuts=[40])
    assert sizes.cuts[40] > 0.5 * sizes.keys[0]
    assert sizes.between[20:60].max() < 0.1 * sizes.cuts[40]
    assert (sizes.between + sizes.keys + sizes.cuts).sum() == pytest.approx(sum(packet.size for packet in packets))
