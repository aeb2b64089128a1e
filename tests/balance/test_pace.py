"""How much of an encode's work is done: what is hard takes longer, and a bar never runs backwards."""

from __future__ import annotations

import itertools

import pytest

from yomikomi.core.balance.kept import Pace
from yomikomi.core.reading.models import Complexity, Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.treatment.timing import Timing


def _pace(reading: Reading, cells: list[int], treatment: Treatment) -> tuple[Pace, int]:
    each = max(1, reading.frames // max(1, len(cells)))
    made = reading.model_copy(update={"complexity": Complexity(frames_per_cell=each, cell_bytes=cells)})
    timing = Timing.of(made, treatment)
    return Pace(made, timing), timing.frames


@pytest.mark.parametrize("cells", [[], [0, 0], [5], [100, 300], [900, 100, 100, 100, 100]])
def test_it_goes_from_nothing_to_all_and_never_back(short_reading: Reading, cells: list[int]) -> None:
    pace, frames = _pace(short_reading, cells, Treatment())
    parts = [pace.part(number) for number in range(frames + 3)]
    assert parts[0] == 0.0
    assert parts[frames] == parts[-1] == pytest.approx(1.0)
    assert all(one <= two for one, two in itertools.pairwise(parts))


def test_a_hard_beginning_counts_for_more_than_its_pictures(short_reading: Reading) -> None:
    pace, frames = _pace(short_reading, [900, 100, 100, 100, 100], Treatment())
    assert pace.part(frames // 5) > 0.35
    pace, frames = _pace(short_reading, [100, 100, 100, 100, 900], Treatment())
    assert pace.part(frames // 5) < 0.16


def test_of_a_part_it_is_the_pace_of_that_part(short_reading: Reading) -> None:
    treatment = Treatment(steps=(Trim(start=0.5, end=0),))
    pace, frames = _pace(short_reading, [900, 100, 100, 100, 100], treatment)
    assert pace.part(frames // 2) == pytest.approx(0.5, abs=0.1)
    assert pace.part(frames) == pytest.approx(1.0)
