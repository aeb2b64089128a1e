"""Recipes that make other pictures than the take's: smaller ones, and ones whose noise players make anew."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.balance.test_curves_and_choices import tried_point, tried_set
from tests.making import noisy, programme_frames, write_clip
from yomikomi.core.balance.curves import plane_points, smaller_below
from yomikomi.core.balance.models import TrialPoint
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.errors import WrongUseError
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.recipe import Recipe, recipe_for, usual_recipes
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.media import probe
from yomikomi.core.work import SilentReporter

QUICK = recipe_for("h264", 24, speed="superfast")


def _tried(path: Path, *recipes: Recipe) -> list[TrialPoint]:
    reading = read(ReadRequest(path), SilentReporter())
    return run_trials(TrialRequest(path, reading, Treatment(), recipes, segments=3), SilentReporter()).points


def test_smaller_pictures_are_tried_at_full_size_and_copied_as_they_were_tried(tmp_path: Path) -> None:
    path = write_clip(tmp_path / "a.mkv", programme_frames(75, width=320, height=240), rate=25)
    small = QUICK.model_copy(update={"lines": 160})
    large = QUICK.model_copy(update={"lines": 480})
    whole, less, same = _tried(path, QUICK, small, large)
    assert less.size_bytes.expected < 0.8 * whole.size_bytes.expected
    assert less.detail is not None
    assert whole.detail is not None
    assert less.detail.television < whole.detail.television - 3, "held against the take, not against the smaller pictures"
    assert same.size_bytes.expected == whole.size_bytes.expected, "nothing is enlarged"
    reading = read(ReadRequest(path), SilentReporter())
    made = make_copy(CopyRequest(path, tmp_path / "c.mp4", reading, Treatment(), small), SilentReporter())
    assert made.verified, made.checks
    assert less.size_bytes.low <= made.size_bytes <= less.size_bytes.high
    shown = probe(tmp_path / "c.mp4").geometry
    assert shown.height == 160
    assert shown.width == pytest.approx(213, abs=2)
    plane = plane_points(run_trials(TrialRequest(path, reading, Treatment(), (QUICK, small), segments=3), SilentReporter()))
    assert set(plane) == {"h264", "h264-160"}


def test_they_are_tried_where_pictures_are_large_and_never_with_fields() -> None:
    def tried(lines: int, *, fields: bool = False) -> list[tuple[str, int | None]]:
        return [(one.codec, one.lines) for one in usual_recipes(fields=fields, lines=lines) if one.lines is not None]

    assert tried(480) == [("h264", 320)] * 3
    assert tried(1080) == [("h264", 720)] * 3
    assert tried(360) == []
    assert tried(480, fields=True) == []


@pytest.mark.parametrize(("shift", "below"), [(0.6, None), (0.0, 39.0), (-0.6, 42.0)])
def test_where_smaller_pictures_take_less(shift: float, below: float | None) -> None:
    """Straight lines in decibels over the logarithm of bytes that cross at 39 dB, one of them moved."""
    whole = [tried_point("h264", q, 1e7 * 2 ** ((db - 39) / 4), db) for q, db in ((17, 48), (20, 45), (24, 39), (29, 33))]
    small = [tried_point("h264", q, 1e7 * 2 ** ((db - 39) / 3 + shift), db) for q, db in ((20, 42), (24, 37), (29, 33))]
    small = [one.model_copy(update={"recipe": one.recipe.model_copy(update={"lines": 320})}) for one in small]
    plane = plane_points(tried_set([*whole, *small]))
    found = smaller_below(plane["h264-320"], plane["h264"])
    assert found == (None if below is None else pytest.approx(below, abs=0.6))


def test_noise_that_players_make_anew(tmp_path: Path) -> None:
    """On noise that nothing compresses: fewer bytes, and as much noise as there was."""
    path = write_clip(tmp_path / "n.mkv", noisy(programme_frames(50, width=320, height=240), 4.0), rate=25)
    plain = recipe_for("av1", 20, speed="10")
    grainy = plain.model_copy(update={"grain": 19})
    kept, anew = _tried(path, plain, grainy)
    assert anew.size_bytes.expected < 0.9 * kept.size_bytes.expected
    assert kept.detail is not None
    assert anew.detail is not None
    assert kept.detail.noise_kept is not None
    assert anew.detail.noise_kept is not None
    assert anew.detail.noise_kept > kept.detail.noise_kept + 0.2
    with pytest.raises(WrongUseError, match="no grain synthesis"):
        QUICK.model_copy(update={"grain": 10}).check()
