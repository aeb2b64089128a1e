"""Hitting a size, against encoders that are made up: however they answer, what is kept is never over it where anything can be under."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.copying.aiming import Aim
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.rates import TargetSize
from yomikomi.core.recipes.recipe import recipe_with
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry

_FORMAT = PictureFormat(Geometry(640, 480, Fraction(1)), Fraction(25), "yuv420p", ColourTags(1, 1, 1, 1))
_OTHER = 50_000


def _made(aim: Aim, seed: int, *, step: float, rough: float, bias: float) -> int:
    """Bytes of pictures that an encoder makes of what it is told: near an exponential in quality, or a rate, each with its own error,
    the same every time it is told the same."""
    plan = aim.plan
    told = float(plan.params.get("crf", 0)) if plan.bit_rate is None else plan.bit_rate
    noise = rough * np.random.default_rng([seed, round(1000 * told)]).normal()
    if plan.bit_rate is None:
        return int(4e6 * np.exp(-step * told + noise))
    return int(plan.bit_rate / 8 * 20 * np.exp(bias + noise))


@given(
    st.sampled_from(["h264", "hevc", "av1"]), st.integers(200_000, 3_000_000), st.integers(0, 10_000), st.floats(0.03, 0.09),
    st.floats(0, 0.02), st.floats(-0.3, 0.1), st.floats(1, 63),
)  # fmt: skip
def test_what_is_kept_is_not_over_the_size(
    codec: str, size: int, seed: int, step: float, rough: float, bias: float, begin: float
) -> None:
    recipe = recipe_with(CODECS[codec], TargetSize(size_bytes=size))
    aim = Aim(recipe, _FORMAT, seconds=20.0, other_bytes=_OTHER, quality=None if recipe.row.two_passes else begin)
    sizes = []
    while True:
        pictures = _made(aim, seed, step=step, rough=rough, bias=bias)
        sizes.append(pictures + _OTHER)
        if aim.hit(picture_bytes=pictures, file_bytes=sizes[-1]):
            break
        assert len(sizes) < 9
    if min(sizes) <= size:
        assert sizes[-1] <= size
        assert sizes[-1] == max(one for one in sizes if one <= size)
    possible = codec != "av1" or 4e6 * np.exp(-step * 61) + _OTHER < 0.9 * size
    assert not possible or sizes[-1] <= size
