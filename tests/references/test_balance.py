"""Balance against outside sources."""

from __future__ import annotations

import itertools
import warnings

import bjontegaard
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.balance.test_curves_and_choices import tried_point, tried_set
from yomikomi.core.balance.curves import PlanePoint, bytes_against, plane_points

_FIRST = {"h264": 20, "hevc": 22}


def _measured(codec: str, points: list[tuple[float, float]]) -> list[PlanePoint]:
    tried = [tried_point(codec, _FIRST[codec] + 3 * n, size, decibels) for n, (size, decibels) in enumerate(points)]
    return [point for point in plane_points(tried_set(tried))[codec] if point.prediction.measured]


_CURVES = st.tuples(
    st.floats(1e6, 1e9), st.lists(st.floats(1.15, 2.5), min_size=3, max_size=3), st.floats(38, 50),
    st.lists(st.floats(1.0, 5.0), min_size=3, max_size=3),
).map(lambda given: list(zip(
    given[0] / np.cumprod([1.0, *given[1]]), given[2] - np.cumsum([0.0, *given[3]]), strict=True
)))  # fmt: skip


@given(_CURVES, _CURVES)
def test_bytes_at_the_same_fidelity_are_those_of_the_package(one: list[tuple[float, float]], other: list[tuple[float, float]]) -> None:
    """ITU-T VCEG-M33 with shape-preserving cubics, by the package ``bjontegaard``, whose anchor is the other curve."""
    low, high = max(one[-1][1], other[-1][1]), min(one[0][1], other[0][1])
    ours = bytes_against(_measured("hevc", one), _measured("h264", other))
    if high - low < 2.0:
        assert ours is None
        return
    # Sizes are kept in whole bytes and decibels in thousandths.
    rounded = [[(round(size), round(decibels, 3)) for size, decibels in curve] for curve in (other, one)]
    (anchor, anchor_db), (test, test_db) = (zip(*reversed(curve), strict=True) for curve in rounded)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of how little curves overlap
        theirs = bjontegaard.bd_rate(anchor, anchor_db, test, test_db, method="pchip", require_matching_points=False, min_overlap=0)
    assert ours == pytest.approx(theirs / 100, abs=2e-3 * (1 + abs(theirs / 100)))


def test_a_copy_of_half_the_bytes_needs_half_the_bytes() -> None:
    curve = [(8e7, 50.0), (4e7, 46.0), (2e7, 41.0), (1e7, 35.0)]
    half = [(size / 2, decibels) for size, decibels in curve]
    assert bytes_against(_measured("hevc", half), _measured("h264", curve)) == pytest.approx(-0.5, abs=1e-3)
    for one, two in itertools.permutations((_measured("hevc", half), _measured("h264", curve))):
        assert (1 + (bytes_against(one, two) or 0)) * (1 + (bytes_against(two, one) or 0)) == pytest.approx(1.0)
    # What trials scatter: a larger copy that keeps less says nothing, and breaks nothing.
    odd = [*curve, (3e7, 40.9)]
    assert bytes_against(_measured("hevc", sorted(odd, reverse=True)), _measured("h264", curve)) is not None
