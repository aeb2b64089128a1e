"""The blind test recovers simulated viewers, and says of who sees nothing that nothing was seen."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.special import ndtr

from yomikomi.core.balance.threshold import FEWEST_ROUNDS, MOST_ROUNDS, BlindTest, Round

LEVELS = [31.0, 34.0, 36.5, 39.0, 41.5, 44.0, 47.0, 51.0]


def _sit(place: float, breadth: float, seed: int, *, lapses: float = 0.02) -> BlindTest:
    """A viewer who sees a difference with the chance of a normal curve, guesses otherwise, and sometimes presses the wrong key."""
    rng = np.random.default_rng(seed)
    test = BlindTest(LEVELS)
    while not test.over:
        level = LEVELS[test.next_level()]
        sees = rng.random() < ndtr((place - level) / breadth)
        right = (sees or rng.random() < 0.5) != (rng.random() < lapses)
        test = test.after(Round(level, bool(right)))
    return test


@pytest.mark.parametrize(("place", "breadth"), [(35.0, 1.5), (40.0, 2.0), (45.0, 3.0)])
def test_a_simulated_viewers_threshold_is_recovered(place: float, breadth: float) -> None:
    found = [_sit(place, breadth, seed).threshold for seed in range(30)]
    assert np.mean([one.detail_db for one in found]) == pytest.approx(place, abs=0.8)
    assert np.mean([one.low <= place <= one.high for one in found]) >= 0.8
    assert np.mean([abs(one.detail_db - place) <= 2.5 for one in found]) >= 0.9
    assert np.mean([one.seen for one in found]) >= 0.85


def test_who_only_guesses_has_seen_nothing() -> None:
    """At the level of the test: of a hundred who guess no more than about five are said to have seen anything."""
    found = [_sit(0.0, 1.0, seed, lapses=0.0) for seed in range(100)]
    assert sum(one.threshold.seen for one in found) <= 10
    assert np.median([one.threshold.detail_db for one in found]) < 33
    rounds = [len(one.rounds) for one in found]
    assert min(rounds) >= FEWEST_ROUNDS
    assert max(rounds) <= MOST_ROUNDS


def test_who_sees_everything_is_told_a_threshold_beyond_what_was_shown() -> None:
    found = _sit(70.0, 1.0, 1).threshold
    assert found.detail_db > 50
    assert found.seen


def test_a_test_needs_copies_to_choose_from() -> None:
    with pytest.raises(ValueError, match="between copies"):
        BlindTest([40.0])
    assert 0 <= BlindTest(LEVELS).next_level() < len(LEVELS)
