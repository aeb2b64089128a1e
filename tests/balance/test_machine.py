"""What the machine trial measures of copies: the codecs that trials try, and no others."""

from __future__ import annotations

from pathlib import Path

from yomikomi.core.balance.machine import full_trial
from yomikomi.core.planning.machine_trial import capture_encoders
from yomikomi.core.recipes.recipe import usual_recipes


def test_every_codec_on_the_plane_is_measured_as_trials_try_it(tmp_path: Path) -> None:
    tried = {recipe.codec: recipe for recipe in usual_recipes(fields=False)}
    copies = full_trial(tmp_path).encoders[len(capture_encoders()) :]
    assert [one.name for one in copies] == list(tried)
    assert [dict(one.options)["preset"] for one in copies] == [recipe.speed for recipe in tried.values()]
