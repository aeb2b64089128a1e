"""Which spots of a copy a person looks at: of every risk one, in time, apart, the same each time; and where they stand after cuts."""

from __future__ import annotations

from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.looking.placing import joints, place_in_copy
from yomikomi.core.looking.spots import Risks, choose_spots
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import CutOut, Trim
from yomikomi.core.treatment.steps.trim import Part

_places = st.lists(st.floats(-5, 700), max_size=6)


@given(st.floats(0, 600), _places, _places, _places, st.integers(0, 12), st.integers(0, 99))
def test_spots_lie_within_apart_and_in_order_whatever_the_risks(
    seconds: float, hard: list[float], meeting: list[float], lost: list[float], count: int, seed: int
) -> None:
    risks = Risks(hard, meeting, lost)
    found = choose_spots(seconds, risks, count, seed=seed)
    assert len(found) <= count
    assert found == choose_spots(seconds, risks, count, seed=seed)
    places = [one.seconds for one in found]
    assert places == sorted(places)
    assert all(0 <= one <= seconds for one in places)
    least = min(2.0, seconds / 8)
    assert all(two - one >= least - 1e-9 for one, two in pairwise(places))
    if seconds >= 60 and count:
        assert len(found) == count  # there is room for all


def test_one_of_each_risk_comes_before_a_second_of_any() -> None:
    found = choose_spots(600.0, Risks(hard=(100, 200, 300), joints=(250,), losses=(400, 500)), 5, seed=1)
    assert {one.why for one in found} == {"hard scene", "frames lost", "joint", "beginning", "end"}
    more = choose_spots(600.0, Risks(hard=(100, 200, 300)), 7, seed=1)
    assert [one.why for one in more].count("hard scene") == 3
    assert [one.why for one in more].count("at random") == 2


@pytest.mark.parametrize(("at", "place"), [(5.0, None), (12.0, 2.0), (25.0, None), (40.0, 20.0), (55.0, 30.0), (95.0, None)])
def test_moments_move_with_what_is_cut_before_them(at: float, place: float | None) -> None:
    """In at 10 s, out at 90 s; 20 to 30 s and 45 to 50 s left out."""
    cuts = CutOut(parts=(Part(start=20, end=30), Part(start=45, end=50)))
    treatment = Treatment(steps=(Trim(start=10, end=90), cuts))
    assert place_in_copy(treatment, at) == place
    assert joints(treatment) == [10.0, 25.0]
    assert place_in_copy(Treatment(), at) == at
