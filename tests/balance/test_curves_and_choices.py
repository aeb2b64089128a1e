"""The curves between what was tried, and the choices that stand out."""

from __future__ import annotations

import itertools

import pytest

from yomikomi.core.balance.choice import choices, smallest_possible
from yomikomi.core.balance.curves import PlanePoint, outermost, plane_points
from yomikomi.core.balance.models import Detail, Estimate, TrialPoint, TrialSet, TriedSegment
from yomikomi.core.balance.viewing import STEPS, VIEWINGS
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.recipe import recipe_for


def tried_point(codec: str, quality: int, size: float, db: float, seconds: float = 60.0) -> TrialPoint:
    return TrialPoint(
        recipe=recipe_for(codec, quality), size_bytes=Estimate(expected=size, low=size * 0.9, high=size * 1.1), ssim_db=db / 2,
        psnr_db=db + 20, detail=Detail(television=db, desk=db - 2, phone=db + 1, noise_kept=0.5),
        encode_seconds=Estimate(expected=seconds, low=seconds * 0.7, high=seconds * 1.4), tried_frames=180,
    )  # fmt: skip


def tried_set(points: list[TrialPoint]) -> TrialSet:
    return TrialSet(
        deinterlace="double", field_order="tff", rate="60000/1001", frames=6000, duration_seconds=100, sound_bytes=0,
        segments=[TriedSegment(first_frame=0, frames=30, role="hardest")], whole=False, points=points, trial_seconds=9,
    )  # fmt: skip


PLANE = plane_points(
    tried_set(
        [tried_point("h264", q, 8e7 * 0.86 ** (q - 17), 50 - 0.75 * (q - 17), 50 - q / 4) for q in (17, 20, 24, 29)]
        + [tried_point("hevc", q, 5e7 * 0.86 ** (q - 19), 49 - 0.75 * (q - 19), 140) for q in (19, 22, 26, 32)]
        + [tried_point("av1", q, 4e7 * 0.93 ** (q - 16), 48.8 - 0.36 * (q - 16), 200) for q in (16, 28, 36, 48)]
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
    one = plane_points(tried_set([tried_point("h264", 20, 1e7, 15)]))["h264"]
    assert [p.size for p in one] == [1e7]
    two = plane_points(tried_set([tried_point("h264", 20, 1e7, 15), tried_point("h264", 24, 5e6, 13)]))["h264"]
    assert [round(p.fidelity, 2) for p in two] == [15, 14.5, 14, 13.5, 13]
    assert plane_points(tried_set([])) == {}


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
    poor = plane_points(tried_set([tried_point("h264", q, 8e6 * 0.8 ** (q - 29), 39 - (q - 29)) for q in (29, 33)]))
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
    trials = tried_set([tried_point("h264", q, 8e6 * 0.8 ** (q - 20), 45 - (q - 20)) for q in (20, 26)])
    seen = {viewing: plane_points(trials, viewing)["h264"][0].prediction.fidelity for viewing in VIEWINGS}
    assert {viewing: one.step for viewing, one in seen.items() if one} == {"television": "none", "desk": "barely", "phone": "none"}
    unjudged = trials.points[0].model_copy(update={"detail": None})
    assert plane_points(tried_set([unjudged])) == {}  # of older sets nothing is shown as if it were measured


def test_no_plane_no_choice() -> None:
    assert choices({}, limit_bytes=None) == []
    assert smallest_possible({}) is None
    assert isinstance(PLANE["h264"][0], PlanePoint)


def test_who_has_no_wish_is_offered_good_better_and_best() -> None:
    found = choices(PLANE, limit_bytes=None, wanted=None)
    assert [one.title for one in found] == ["Best", "Better", "Good"]
    for one, step in zip(found, STEPS, strict=False):
        assert one.point.fidelity >= step.least
        assert one.point.size == min(p.size for curve in PLANE.values() for p in curve if p.fidelity >= step.least)
    assert found[0].point.size > found[1].point.size > found[2].point.size
    # Of little difference there is no choice, and of poor material the best that was tried.
    steep = plane_points(tried_set([tried_point("h264", q, 8e6 * 0.8 ** (q - 17), 50 - 0.1 * (q - 17)) for q in (17, 20)]))
    assert [one.title for one in choices(steep, limit_bytes=None, wanted=None)] == ["Best"]
    poor = plane_points(tried_set([tried_point("h264", q, 8e6 * 0.8 ** (q - 29), 33 - (q - 29)) for q in (29, 31)]))
    assert [one.key for one in choices(poor, limit_bytes=None, wanted=None)] == ["best"]


def test_what_is_outermost_is_smallest_for_what_it_keeps() -> None:
    every = [point for curve in PLANE.values() for point in curve]
    hull = outermost(every)
    assert len(hull) > 3
    for point in hull:
        assert not any(other.size < point.size and other.fidelity >= point.fidelity for other in every)
    for point in every:
        assert any(other.size <= point.size and other.fidelity >= point.fidelity for other in hull)
