"""What is tried, how it is raised to the whole, the curves between, and the choices that stand out."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.balance import estimate
from yomikomi.core.balance.choice import choices, smallest_possible
from yomikomi.core.balance.curves import PlanePoint, plane_points
from yomikomi.core.balance.models import Detail, Estimate, TrialPoint, TrialSet, TriedSegment
from yomikomi.core.balance.recipes import CODECS, EFFORTS, Recipe, effort_of, recipe_for, sound_bits_per_second, usual_recipes
from yomikomi.core.balance.segments import Plan, plan_segments
from yomikomi.core.balance.trial import Trial
from yomikomi.core.balance.viewing import STEPS, VIEWINGS
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.models import Complexity

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
        drawn = [s for s in plan.segments if not s.certain]
        assert plan.kept == pytest.approx(len(drawn) / (len(drawn) + len(plan.more)))
        assert len(plan.more) <= more + 1


def test_a_second_phase_makes_the_estimate_sharper_and_keeps_its_word() -> None:
    """Bytes scatter about complexity by half, but all recipes scatter together: sized by the anchor on 16 more segments, the
    interval is much narrower, and still holds nine in ten."""
    halves: dict[int, list[float]] = {0: [], 16: []}
    inside: dict[int, list[bool]] = {0: [], 16: []}
    for take in range(25):
        rng = np.random.default_rng(take)
        complexity = rng.lognormal(9, 0.9, 300).astype(int) + 1
        anchor_bytes = complexity * rng.lognormal(0, 0.45, 300)
        true = anchor_bytes * 1.7 * rng.lognormal(0, 0.08, 300)
        cells = [int(c) // 2 + part for c in complexity for part in (0, int(c) % 2)]
        for more in (0, 16):
            for draw in range(8):
                plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=cells), frames=9000, count=6, more=more, seed=draw)
                unit = {s.first: s.first // 30 for s in (*plan.segments, *plan.more)}
                pairs = _pairs(plan, {first: float(true[number]) for first, number in unit.items()})
                sized = [(s, Trial(round(anchor_bytes[unit[s.first]]), 30, 0, 0, 0.01, 0.9, 1)) for s in (*plan.segments, *plan.more)]
                known = estimate.Anchor(sized[: len(plan.segments)], sized[len(plan.segments) :])
                one = estimate.picture_bytes(pairs, plan, total_complexity=sum(cells), key_bytes=0, anchor=known)
                halves[more].append((one.high - one.low) / 2 / one.expected)
                inside[more].append(bool(one.low <= true.sum() <= one.high))
    assert np.mean(halves[16]) < 0.65 * np.mean(halves[0])
    assert np.mean(inside[16]) > 0.87
    assert np.mean(inside[0]) > 0.87


def _pairs(plan: Plan, bytes_of: dict[int, float]) -> list[estimate.Pair]:
    return [(s, Trial(round(bytes_of[s.first]), s.frames, 0, 0, 0.01, 0.95, 8.0)) for s in plan.segments]


@pytest.mark.parametrize("spread", [0.3, 0.6, 0.9])
def test_estimates_are_right_on_average_and_within_their_interval(spread: float) -> None:
    """Takes whose bytes follow complexity with scatter: over many takes and draws the mean is right, and the interval of
    nine in ten holds at least 87 of 100."""
    inside = [_inside(np.random.default_rng(take), spread) for take in range(12)]
    assert np.mean(inside) >= 0.87


def _inside(rng: np.random.Generator, spread: float) -> float:
    """The share of 20 draws from one take whose interval holds the truth."""
    complexity = rng.lognormal(9, 1.0, 300).astype(int) + 1
    true = complexity * rng.lognormal(0, spread / 3, 300) * 2.2
    cells = [int(c) // 2 + part for c in complexity for part in (0, int(c) % 2)]
    found, inside = [], 0
    for draw in range(20):
        plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=cells), frames=9000, count=16, seed=draw)
        one = estimate.picture_bytes(
            _pairs(plan, {30 * i: float(b) for i, b in enumerate(true)}), plan, total_complexity=sum(cells), key_bytes=0.0
        )
        found.append(one.expected)
        inside += one.low <= true.sum() <= one.high
    assert np.mean(found) == pytest.approx(true.sum(), rel=0.08)
    return inside / 20


def test_a_take_tried_whole_is_not_estimated() -> None:
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=[10, 20, 30]), frames=45)
    one = estimate.picture_bytes(_pairs(plan, {0: 12_345}), plan, total_complexity=60, key_bytes=99)
    assert one.expected == 12_345
    assert one.low < one.expected < one.high


def test_key_frames_of_long_shots_are_added() -> None:
    """Without cuts a take of 3000 frames has a forced key frame every 150; with a cut every second hardly one is forced."""
    plan = plan_segments(Complexity(frames_per_cell=15, cell_bytes=[100] * 200), frames=3000)
    segments = plan.segments
    still = [(s, Trial(1000, 30, 0, 5000, 0.01, 0.9, 1)) for s in segments]
    cutting = [(s, Trial(1000, 30, 1, 5000, 0.01, 0.9, 1)) for s in segments]
    each = 5000 - 1000 / 30
    assert estimate.periodic_key_bytes(still, frames=3000, key_distance=150) == pytest.approx(20 * each)
    assert estimate.periodic_key_bytes(cutting, frames=3000, key_distance=150) < 1.2 * each
    assert estimate.periodic_key_bytes([(s, Trial(1000, 30, 0, 0, 0.01, 0.9, 1)) for s in segments], frames=3000, key_distance=150) == 0


def _point(codec: str, quality: int, size: float, db: float, seconds: float = 60.0) -> TrialPoint:
    return TrialPoint(
        recipe=recipe_for(codec, quality), size_bytes=Estimate(expected=size, low=size * 0.9, high=size * 1.1), ssim_db=db / 2,
        psnr_db=db + 20, detail=Detail(television=db, desk=db - 2, phone=db + 1, noise_kept=0.5),
        encode_seconds=Estimate(expected=seconds, low=seconds * 0.7, high=seconds * 1.4), tried_frames=180,
    )  # fmt: skip


def _trials(points: list[TrialPoint]) -> TrialSet:
    return TrialSet(
        deinterlace="double", field_order="tff", rate="60000/1001", frames=6000, duration_seconds=100, sound_bytes=0,
        segments=[TriedSegment(first_frame=0, frames=30, role="hardest")], whole=False, points=points, trial_seconds=9,
    )  # fmt: skip


PLANE = plane_points(
    _trials(
        [_point("h264", q, 8e7 * 0.86 ** (q - 17), 50 - 0.75 * (q - 17), 50 - q / 4) for q in (17, 20, 24, 29)]
        + [_point("hevc", q, 5e7 * 0.86 ** (q - 19), 49 - 0.75 * (q - 19), 140) for q in (19, 22, 26, 32)]
        + [_point("av1", q, 4e7 * 0.93 ** (q - 16), 48.8 - 0.36 * (q - 16), 200) for q in (16, 28, 36, 48)]
    )
)


def test_curves_pass_through_what_was_measured_and_nothing_lies_outside() -> None:
    for codec, curve in PLANE.items():
        qualities = [p.prediction.recipe.quality for p in curve]
        probes = CODECS[codec].probes
        assert qualities == list(range(probes[0], probes[-1] + 1))
        assert [p.prediction.recipe.quality for p in curve if p.prediction.measured] == list(probes)
        assert all(a.size > b.size and a.fidelity > b.fidelity for a, b in itertools.pairwise(curve))
        for point in curve:
            size = point.prediction.size_bytes
            assert size.low < size.expected < size.high
    between = next(p for p in PLANE["h264"] if p.prediction.recipe.quality == 22)
    assert between.size == pytest.approx(8e7 * 0.86**5, rel=0.02)  # straight in the logarithm stays straight
    measured = next(p for p in PLANE["h264"] if p.prediction.recipe.quality == 20)
    widths = [p.prediction.size_bytes.high / p.prediction.size_bytes.low for p in (measured, between)]
    assert widths[1] > widths[0]  # what was not tried is less sure


def test_one_and_two_probes_do() -> None:
    one = plane_points(_trials([_point("h264", 20, 1e7, 15)]))["h264"]
    assert [p.size for p in one] == [1e7]
    two = plane_points(_trials([_point("h264", 20, 1e7, 15), _point("h264", 24, 5e6, 13)]))["h264"]
    assert [round(p.fidelity, 2) for p in two] == [15, 14.5, 14, 13.5, 13]
    assert plane_points(_trials([])) == {}


def test_the_best_under_a_limit_is_the_best_and_stays_under_it() -> None:
    points = [p for curve in PLANE.values() for p in curve]
    for limit in (1.2e7, 2.5e7, 6e7, 1e9):
        found = choices(PLANE, limit_bytes=limit)
        best = found[0]
        assert best.key == "best"
        rivals = [p for p in points if p.prediction.size_bytes.high <= limit]
        assert best.point.fidelity == max(p.fidelity for p in rivals)
        assert all(c.point.prediction.size_bytes.high <= limit for c in found)
        assert "sure to stay under" in best.why
    assert choices(PLANE, limit_bytes=10) == []
    smallest = smallest_possible(PLANE)
    assert smallest is not None
    assert smallest.prediction.size_bytes.high == min(p.prediction.size_bytes.high for p in points)


def test_the_smallest_at_the_fidelity_that_is_wanted() -> None:
    for wanted in STEPS[:3]:
        found = {c.key: c for c in choices(PLANE, limit_bytes=None, wanted=wanted)}
        good = [p for curve in PLANE.values() for p in curve if p.fidelity >= wanted.least]
        assert found["smallest"].point.size == min(p.size for p in good)
        assert found["smallest"].point.prediction.recipe.codec == "av1"
        assert f"“{wanted.words}”; HEVC needs" in found["smallest"].why
        assert found["soonest"].point.prediction.recipe.codec == "h264"
        assert found["soonest"].point.fidelity >= wanted.least
    assert {c.key for c in choices({"av1": PLANE["av1"]}, limit_bytes=None)} == {"smallest"}


def test_where_nothing_reaches_what_is_wanted_the_nearest_is_offered() -> None:
    poor = plane_points(_trials([_point("h264", q, 8e6 * 0.8 ** (q - 29), 39 - (q - 29)) for q in (29, 33)]))
    found = choices(poor, limit_bytes=None)
    assert [(c.key, c.point.fidelity) for c in found] == [("best", 39)]
    assert "None of the tried recipes reaches “no visible difference”" in found[0].why


def test_what_is_no_smaller_than_the_take_itself_is_not_offered() -> None:
    """There is no gain in a rate above the source's own (common practice, no source)."""
    points = sorted((p for curve in PLANE.values() for p in curve), key=lambda p: p.size)
    for own in (points[5].size, points[30].size, 1e12):
        found = choices(PLANE, limit_bytes=None, own_bytes=own)
        assert found
        assert all(choice.point.size < own for choice in found)
    assert choices(PLANE, limit_bytes=None, own_bytes=points[0].size) == []


def test_the_way_of_watching_decides() -> None:
    trials = _trials([_point("h264", q, 8e6 * 0.8 ** (q - 20), 45 - (q - 20)) for q in (20, 26)])
    seen = {viewing: plane_points(trials, viewing)["h264"][0].prediction.fidelity for viewing in VIEWINGS}
    assert {viewing: one.step for viewing, one in seen.items() if one} == {"television": "none", "desk": "barely", "phone": "none"}
    unjudged = trials.points[0].model_copy(update={"detail": None})
    assert plane_points(_trials([unjudged])) == {}  # of older sets nothing is shown as if it were measured


def test_no_plane_no_choice() -> None:
    assert choices({}, limit_bytes=None) == []
    assert smallest_possible({}) is None
    assert isinstance(PLANE["h264"][0], PlanePoint)


def test_recipes_are_checked_because_the_library_would_not() -> None:
    unknown = (("mpeg7", 20, None), ("h264", 20, "ludicrous"), ("av1", 30, "medium"))
    for wrong in (*unknown, ("h264", 52, None), ("h264", -1, None), ("av1", 64, None)):
        with pytest.raises(WrongUseError) as caught:
            recipe_for(wrong[0], wrong[1], speed=wrong[2])
        assert caught.value.remedy
    with pytest.raises(WrongUseError):
        Recipe(codec="hevc", quality=60, speed="medium").check()


def test_every_pace_names_a_preset_and_back() -> None:
    for effort in EFFORTS:
        recipes = usual_recipes(fields=False, effort=effort)
        assert {r.codec for r in recipes} == {"h264", "hevc", "av1"}
        assert all(effort_of(r) == effort for r in recipes)
    assert {r.codec for r in usual_recipes(fields=True)} == {"h264"}  # the others cannot mark fields
    assert effort_of(recipe_for("h264", 20, speed="veryslow")) is None


def test_sound_rates() -> None:
    recipe = recipe_for("h264", 20)
    assert [sound_bits_per_second(recipe, n) for n in (1, 2, 6)] == [80_000, 160_000, 480_000]
