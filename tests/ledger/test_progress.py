"""How far the collection has come, and when it will be done."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np
import pytest

from tests.ledger.done import capture, finish
from yomikomi.core.ledger.progress import forecast_end, progress_of
from yomikomi.core.ledger.record import Record
from yomikomi.core.planning.intake import CarrierDetails, Intake
from yomikomi.core.reading.models import Reading

TODAY = date(2026, 5, 4)


def test_sums_are_those_of_what_was_done(record: Record, tape_reading: Reading) -> None:
    done = finish(record, "K-001", tape_reading)
    capture(record, "K-002")
    tagged = CarrierDetails(tags=("harbour",))
    record.shelf.change(done.carrier, Intake(label="K-001", title="", kind="vhs", format="525i", seconds=60.0, details=tagged))
    record.shelf.add(label="K-003", title="", kind="vhs", standard="525i", nominal_seconds=1800.0)
    told = progress_of(record.progress.worked(), [view.spine for view in record.carriers()])
    first = tape_reading.duration_seconds
    assert (told.whole.carriers, told.whole.captured, told.whole.verified) == (2, pytest.approx(first + 3.0), pytest.approx(first))
    assert told.whole.in_bytes == done.take_file.stat().st_size * 2
    assert told.whole.out_bytes == done.copy_files[0].stat().st_size
    assert told.tags["harbour"].carriers == 1
    assert list(told.operators) != [""]
    assert told.left == pytest.approx(3.0 + 1800.0)
    assert told.waits == {"the reading, by the machine": 1, "a path, from you": 1}
    assert told.end is None  # a day's work says nothing of the pace


def _weekly(hours: list[float], today: date = TODAY) -> list[tuple[date, float]]:
    return [(today - timedelta(days=7 * ago + 3), 3600 * one) for ago, one in enumerate(hours) if one]


def test_a_steady_pace_is_gone_on_with() -> None:
    end = forecast_end(_weekly([10.0] * 16), 3600 * 200, today=TODAY)
    assert end is not None
    assert end.expected == TODAY + timedelta(weeks=20)
    assert end.latest <= TODAY + timedelta(weeks=20)
    assert forecast_end(_weekly([10.0] * 3), 3600 * 200, today=TODAY) is None
    assert forecast_end(_weekly([0.01] * 16), 3600 * 20_000, today=TODAY) is None
    assert forecast_end([(TODAY + timedelta(days=400), 3600.0)] * 20, 3600.0, today=TODAY) is None  # some clock was wrong


def test_nine_of_ten_ends_lie_in_the_interval() -> None:
    """Years of work simulated: weeks are independent, some idle, the rest of any length (gamma). Source of the model: none; it is unlike
    the bootstrap's own."""
    drawn, held, count = np.random.default_rng(5), 0, 240
    for _ in range(count):
        busy, mean = drawn.uniform(0.5, 1.0), drawn.uniform(2, 20)

        def week(busy: float = busy, mean: float = mean) -> float:
            return float(drawn.gamma(2.0, mean / 2)) if drawn.random() < busy else 0.0

        past = [week() for _ in range(16)]
        left = mean * busy * drawn.uniform(4, 40)
        end = forecast_end(_weekly(past), 3600 * left, today=TODAY)
        weeks, done = 0, 0.0
        while done < left:
            done += week()
            weeks += 1
        true = TODAY + timedelta(weeks=weeks)
        held += end is None or end.earliest <= true <= end.latest
    assert 0.84 <= held / count <= 0.98
