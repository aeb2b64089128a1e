"""Recipes: what goes together, what is refused, and documents of before."""

from __future__ import annotations

import pytest

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.codecs import CODECS, EFFORTS
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantQuality, ConstantRate, Lossless, TargetSize
from yomikomi.core.recipes.recipe import Recipe, effort_of, recipe_for, recipe_with, usual_recipes


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
    assert [recipe.sound_bits_per_second(n) for n in (1, 2, 6)] == [80_000, 160_000, 480_000]
    assert recipe.model_copy(update={"sound_channels": 1}).sound_bits_per_second(6) == 80_000
    ac3 = recipe.model_copy(update={"sound_codec": "ac3", "sound_kbps": 150})
    assert [ac3.sound_bits_per_second(n) for n in (1, 2)] == [80_000, 160_000]  # the rates that AC-3 knows
    pcm = recipe.model_copy(update={"sound_codec": "pcm"})
    assert pcm.sound_bits_per_second(2) == 48_000 * 24 * 2


def test_documents_of_before_are_constant_quality() -> None:
    """Recipes were kept as codec, quality, speed; the keys stay, and what is written now says the rate besides."""
    old = {"codec": "hevc", "quality": 22, "speed": "veryfast", "container": "mkv", "sound_codec": "opus", "sound_kbps": 128}
    recipe = Recipe.model_validate(old)
    assert recipe.rate == ConstantQuality(quality=22)
    written = recipe.model_dump(mode="json")
    assert old.items() <= written.items()
    assert Recipe.model_validate(written) == recipe
    capped = recipe.model_copy(update={"rate": CappedQuality(quality=20, cap_kbps=4000)})
    assert Recipe.model_validate_json(capped.model_dump_json()) == capped  # the rate counts, not the number beside it


def test_every_kind_of_rate_survives_writing_and_has_words_and_a_name_of_its_own() -> None:
    rates = (
        ConstantQuality(quality=20), CappedQuality(quality=20, cap_kbps=4000), AverageRate(kbps=2000), TargetSize(size_bytes=700_000_000),
        ConstantRate(kbps=8000), Lossless(),
    )  # fmt: skip
    recipes = [recipe_with(CODECS["h264"], rate) for rate in rates]
    assert [Recipe.model_validate_json(one.model_dump_json()) for one in recipes] == recipes
    assert len({one.file_words for one in recipes}) == len({one.words for one in recipes}) == len(rates)
    assert all("/" not in one.file_words and " " not in one.file_words for one in recipes)


def test_what_a_codec_cannot_hold_is_refused_with_what_it_can() -> None:
    wrong = (
        ("av1", ConstantRate(kbps=2000), None, "aac"), ("ffv1", ConstantQuality(quality=0), None, "aac"),
        ("mpeg2", AverageRate(kbps=5000, passes=2), None, "aac"), ("h264", ConstantQuality(quality=20), "mp4", "pcm"),
        ("av1", ConstantQuality(quality=20), "mov", "aac"), ("h264", CappedQuality(quality=60, cap_kbps=4000), None, "aac"),
    )  # fmt: skip
    for codec, rate, container, sound in wrong:
        with pytest.raises(WrongUseError) as caught:
            recipe_with(CODECS[codec], rate, container=container, sound=sound)
        assert caught.value.remedy
