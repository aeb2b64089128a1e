"""Recipes held against outlets before anything is made; what several outlets have in common."""

from __future__ import annotations

import itertools
from fractions import Fraction
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.outlets.fitting import fits, together
from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import CappedQuality, ConstantQuality, ConstantRate, Lossless, TargetSize
from yomikomi.core.recipes.recipe import Recipe, recipe_for, recipe_with
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.standards import FieldOrder


def _format(width: int = 720, height: int = 480, rate: Fraction = Fraction(30000, 1001), **more: Any) -> PictureFormat:
    known: dict[str, Any] = {"pixel_format": "yuv420p", "colour": ColourTags(1, 1, 1, 1)}
    return PictureFormat(Geometry(width, height, Fraction(1)), rate, **(known | more))


def _limits(recipe: Recipe, treated: PictureFormat, outlet: Outlet, **more: Any) -> list[str]:
    return [one.limit for one in fits(recipe, treated, outlet, **more)]


def test_what_goes_to_the_old_media_box() -> None:
    """It reads H.264 at level 4.0 with AAC of at most 160 kb/s, or refuses (trade, common practice, no source)."""
    box, tape = outlets()["media-box"], _format()
    assert fits(recipe_for("h264", 20), tape, box) == []
    assert _limits(recipe_for("hevc", 20), tape, box) == ["codec"]
    assert _limits(recipe_for("h264", 20, container="mkv"), tape, box) == ["container"]
    assert _limits(recipe_for("h264", 20).model_copy(update={"sound_kbps": 192}), tape, box) == ["sound rate"]
    assert _limits(recipe_for("h264", 20), tape, box, channels=(6,)) == ["sound channels", "sound rate"]
    assert _limits(recipe_for("h264", 20), _format(3840, 2160), box) == ["level", "size"]
    assert _limits(recipe_for("h264", 20), _format(1920, 1080, Fraction(60)), box) == ["level", "frame rate"]
    assert _limits(recipe_for("h264", 20), _format(field_order=FieldOrder.TFF), box) == ["scan"]
    assert _limits(recipe_with(CODECS["h264"], Lossless()), tape, box) == ["profile"]
    assert "level" in _limits(recipe_with(CODECS["h264"], CappedQuality(quality=18, cap_kbps=60_000)), tape, box)


def test_sizes_rates_and_keys() -> None:
    mail, disc, tv = (outlets()[key] for key in ("e-mail", "video-disc", "television"))
    assert _limits(recipe_with(CODECS["h264"], TargetSize(size_bytes=25_000_000)), _format(), mail) == ["file size"]
    assert _limits(recipe_with(CODECS["h264"], TargetSize(size_bytes=5_000_000_000), container="mkv"), _format(), tv) == ["file size"]
    made = recipe_with(CODECS["mpeg2"], ConstantRate(kbps=12_000), sound="ac3")
    assert _limits(made, _format(field_order=FieldOrder.TFF), disc) == ["peak", "key distance"]
    kept = recipe_with(CODECS["mpeg2"], ConstantRate(kbps=8000), sound="ac3").model_copy(update={"key_seconds": 0.5})
    assert fits(kept, _format(field_order=FieldOrder.TFF), disc) == []
    assert fits(recipe_with(CODECS["ffv1"], Lossless(), sound="flac"), _format(pixel_format="yuv422p10le"), outlets()["archive"]) == []
    assert fits(recipe_with(CODECS["rdd36"], ConstantQuality(quality=0), sound="pcm"), _format(), outlets()["editor"]) == []


_TRIED = [
    recipe_with(CODECS[codec], rate, container=container, sound=sound)
    for codec, rate in (("h264", ConstantQuality(quality=20)), ("hevc", ConstantQuality(quality=24)), ("av1", ConstantQuality(quality=30)))
    for container in ("mp4", "mkv")
    for sound in ("aac", "opus")
]
_FORMATS = [_format(), _format(1280, 720, Fraction(25)), _format(1920, 1080, Fraction(50)), _format(pixel_format="yuv420p10le")]


@given(st.lists(st.sampled_from(sorted(outlets())), min_size=1, max_size=4, unique=True))
def test_what_fits_several_together_is_what_fits_each(keys: list[str]) -> None:
    several = [outlets()[key] for key in keys]
    found = together(several)
    for recipe, treated in itertools.product(_TRIED, _FORMATS):
        each = all(not fits(recipe, treated, one) for one in several)
        assert each == (found.outlet is not None and not fits(recipe, treated, found.outlet)), (keys, recipe.words)


def test_where_they_have_nothing_in_common_the_least_sacrifice_is_named() -> None:
    found = together([outlets()[key] for key in ("media-box", "television", "editor")])
    assert found.outlet is None
    assert any("codec" in one for one in found.conflicts)
    assert found.alone == ("Editing program",)
    assert together([outlets()["archive"], outlets()["e-mail"]]).alone == ("Archive", "Attachment of an e-mail")
    with pytest.raises(ValueError, match="no outlet"):
        together([])
