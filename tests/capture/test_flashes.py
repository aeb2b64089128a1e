"""All flashes of a sync test explained together: known light in, its moment out."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from yomikomi.core.capture.flash_fit import fit_flashes
from yomikomi.core.capture.flashes import Flash, flashes, lit_first

Series = NDArray[np.float64]


def _light(times: Series, on: float, length: float, exposed: float) -> Series:
    """The part of the exposure, which begins at each time, during which the light is on."""
    return np.asarray(np.clip(np.minimum(times + exposed, on + length) - np.maximum(times, on), 0, None) / exposed)


def _pairs(offset: float, length: float, exposed: float, lasts: float, rng: np.random.Generator, error: float) -> list[tuple[Flash, float]]:
    made = []
    for number in range(6):
        on = number + float(rng.uniform(0, lasts))
        times = (np.floor(on / lasts) - 1 + np.arange(int(length / lasts) + 4)) * lasts
        light = 100 * (_light(times, on, length, exposed * lasts) + rng.normal(0, error, len(times)))
        made.append((Flash(at=on, begins=float(times[0]), light=tuple(light)), on + offset))
    return made


def test_the_offset_lies_within_its_bound_as_often_as_it_says() -> None:
    """95 times in 100; and far outside never."""
    rng = np.random.default_rng(5)
    inside, far, count = 0, 0.0, 40
    for _ in range(count):
        offset, length = float(rng.uniform(-0.4, 0.4)), float(rng.uniform(0.03, 0.2))
        exposed, lasts = float(rng.choice([1.0, 0.8, 0.5])), float(rng.choice([1 / 60, 1 / 50, 1 / 30, 1 / 25]))
        fit = fit_flashes(_pairs(offset, length, exposed, lasts, rng, 0.01), lasts)
        assert fit is not None
        inside += abs(fit.offset - offset) <= fit.bound
        far = max(far, abs(fit.offset - offset) - fit.bound)
        if length > 2 * lasts and exposed == 1:
            assert fit.offset == pytest.approx(offset, abs=0.0015)
    assert inside >= 0.9 * count
    assert far < 0.005


def test_one_flash_that_goes_wrong_moves_the_others_little() -> None:
    pairs = _pairs(0.05, 0.12, 1.0, 1 / 50, np.random.default_rng(3), 0.01)
    bad = pairs[2][0]
    pairs[2] = (Flash(bad.at, begins=bad.begins, light=tuple(0.4 * one for one in bad.light[:2]) + bad.light[2:]), pairs[2][1])
    fit = fit_flashes(pairs, 1 / 50)
    assert fit is not None
    assert fit.offset == pytest.approx(0.05, abs=0.001)


def test_sounds_that_belong_to_no_flash_are_explained_by_nothing() -> None:
    rng = np.random.default_rng(5)
    pairs = [(flash, sound + float(rng.uniform(-0.03, 0.03))) for flash, sound in _pairs(0.0, 0.15, 1.0, 1 / 60, rng, 0.01)]
    assert fit_flashes(pairs, 1 / 60) is None


@pytest.mark.parametrize(("later", "told"), [(0.5, "tff"), (-0.5, "bff"), (0.0, None)])
def test_the_field_that_is_lit_first_is_found(later: float, told: str | None) -> None:
    """Frames of fields that nobody marked as such: the other field sees each light half a frame later."""
    lasts, rng = 1 / 25, np.random.default_rng(7)
    times = np.arange(200) * lasts
    ons = [0.6 + 1.1 * n + float(rng.uniform(0, lasts)) for n in range(6)]
    cells = []
    for shift in (max(0.0, -later), max(0.0, later)):
        part = sum(_light(times + shift * lasts, on, 0.13, 0.5 * lasts) for on in ons)
        seen = np.full((200, 24, 40), 60, np.float32) + rng.normal(0, 0.5, (200, 24, 40)).astype(np.float32)
        seen[:, 6:14, 8:20] += 90 * np.asarray(part, np.float32)[:, None, None]
        cells.append(seen)
    assert lit_first(cells[0], cells[1], times, lasts) == told
    assert len(flashes((cells[0] + cells[1]) / 2, times, lasts, kinds=1)) == 6
