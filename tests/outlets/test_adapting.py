"""Recipes and treatments made to fit outlets; what cannot be is told, and a level that is asked for is kept by the stream itself."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from yomikomi.core.outlets.adapting import adapted, codecs_for, fitting_treatment, limit_of, shape_fits
from yomikomi.core.outlets.conforming import conformity
from yomikomi.core.outlets.fitting import fits
from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.core.recipes.codecs import TRIED
from yomikomi.core.recipes.plan import plan_for, set_up
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, RateCap, Size
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.standards import FieldOrder

OUTLETS = st.sampled_from(list(outlets().values()))


def _format(width: int, height: int, rate: str = "30000/1001", *, order: FieldOrder | None = None) -> PictureFormat:
    return PictureFormat(Geometry(width, height, Fraction(1)), Fraction(rate), "yuv420p", ColourTags(1, 1, 1, 1), order)


@given(OUTLETS, st.sampled_from(list(TRIED)), st.sampled_from(["mp4", "mkv"]), st.sampled_from([(), (1,), (2,), (6,), (2, 6)]))
def test_what_is_adapted_fits_or_says_why(outlet: Outlet, codec: str, container: str, channels: tuple[int, ...]) -> None:
    """Small progressive pictures fit wherever the codec is played; made to fit twice is made to fit once; quality is not touched."""
    recipe = recipe_for(codec, TRIED[codec].probes[1]).model_copy(update={"container": container, "sound_kbps": 320})
    made = adapted(recipe, outlet, channels=channels)
    made.check()
    Recipe.model_validate(made.model_dump())
    assert made.quality == recipe.quality
    assert adapted(made, outlet, channels=channels) == made
    wrong = [one.limit for one in fits(made, _format(640, 360), outlet, channels=channels)]
    assert (wrong == []) == (TRIED[codec] in codecs_for(outlet)), (outlet.key, wrong)


_SOURCES = [
    _format(3840, 2160, "60000/1001"), _format(4096, 3072, "60000/1001"), _format(1920, 1080, "60"), _format(1080, 1920, "30"),
    _format(720, 576, "25", order=FieldOrder.TFF),
]  # fmt: skip


@given(OUTLETS, st.sampled_from(_SOURCES))
def test_pictures_are_made_to_fit_by_as_little_as_helps(outlet: Outlet, source: PictureFormat) -> None:
    mode = Deinterlace.LEAVE
    before = Treatment.of_fields(mode, source.field_order)
    made = fitting_treatment(before, source, outlet)
    if not codecs_for(outlet):
        return  # of which nothing is on the plane
    assert made is not None
    assert shape_fits(made.formats(source)[-1], outlet)
    if shape_fits(before.formats(source)[-1], outlet):
        assert made == before
    size = made.get(Size)
    if size is not None:
        # The next larger size would not have fitted.
        larger = [height for height in (2160, 1440, 1080, 720, 576, 480, 360, 288) if size.height < height < source.geometry.height]
        for height in larger[-1:]:
            assert not shape_fits(made.having(Size(height=height)).formats(source)[-1], outlet)


def test_an_action_camera_for_old_boxes() -> None:
    """HEVC of 2160p at 59.94 from a camera card for a box that reads H.264 at level 4.0 (trade, common practice, no source): a quarter of
    the pixels, half of the frames."""
    source, box = _format(3840, 2160, "60000/1001"), outlets()["media-box"]
    made = fitting_treatment(Treatment(), source, box)
    assert made is not None
    out = made.formats(source)[-1]
    assert (out.geometry.width, out.geometry.height, out.rate) == (1920, 1080, Fraction(30000, 1001))
    assert made.get(RateCap) == RateCap(each=2)
    # A tall picture of a telephone: its longer side is turned to the box's shorter one.
    tall = fitting_treatment(Treatment(), _format(1080, 1920, "30"), box)
    assert tall is not None
    assert tall.formats(_format(1080, 1920, "30"))[-1].geometry.height == 1080


def test_the_most_bytes() -> None:
    """2 to 3 Mb/s is what a small computer decodes; an attachment has its own limit."""
    assert limit_of(outlets()["small-computer"], seconds=3600, other_bytes=72e6) == pytest.approx(3000 * 125 * 3600 + 72e6)
    assert limit_of(outlets()["e-mail"], seconds=3600, other_bytes=0) == 18_000_000
    assert limit_of(outlets()["archive"], seconds=3600, other_bytes=0) is None


@pytest.mark.parametrize(("codec", "speed", "level"), [("h264", "slow", "1"), ("hevc", "superfast", "1")])
def test_a_level_is_kept_by_the_stream_itself(codec: str, speed: str, level: str, tmp_path: Path) -> None:
    """Noise at high quality, the worst there is: without a level the stream needs far more than it says; with one, peaks and the pictures
    it leans on stay inside (ITU-T H.264 and H.265, Annex A each)."""
    phone = outlets()["phone-old"].model_copy(update={"video": outlets()["phone-old"].video + outlets()["phone"].video[1:]})
    phone = phone.model_copy(update={"video": tuple(one.model_copy(update={"level": level}) for one in phone.video)})
    treated = _format(176, 144, "15")
    free = recipe_for(codec, 12, speed=speed)
    found = {}
    for name, recipe in (("free", free), ("kept", adapted(free, phone, channels=()))):
        plan = plan_for(recipe, treated)
        path = tmp_path / f"{name}.mp4"
        with av.open(str(path), "w", options={"movflags": "faststart"}) as sink:
            stream = sink.add_stream(plan.encoder, rate=15)
            set_up(stream.codec_context, recipe, treated, plan, plan.in_pass(1, None))
            noise = np.random.default_rng(1)
            for number in range(32):
                frame = av.VideoFrame.from_ndarray(noise.integers(108, 148, (144 * 3 // 2, 176), dtype=np.uint8), format="yuv420p")
                frame.pts = number
                sink.mux(stream.encode(frame))
            sink.mux(stream.encode(None))
        found[name] = [one.limit for one in conformity(path, phone).violations]
    assert "level by its pictures" in found["free"]
    assert found["kept"] == []
