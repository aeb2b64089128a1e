"""What settings by hand come to: from what was tried where that tells, and only there."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.balance.test_curves_and_choices import tried_point, tried_set
from yomikomi.core.balance.besides import other_estimate
from yomikomi.core.balance.by_hand import notches, told_by_hand
from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.offer import Offer, Wanted
from yomikomi.core.balance.scales import Scale
from yomikomi.core.balance.serving import Footage
from yomikomi.core.errors import WrongUseError
from yomikomi.core.outlets.model import outlets
from yomikomi.core.reading.models import Measured, Reading
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.documents import read_recipe, write_recipe
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantQuality, ConstantRate, Lossless, Rate, TargetSize
from yomikomi.core.recipes.recipe import Recipe, recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder

TREATMENT = Treatment.of_fields(Deinterlace.DOUBLE, FieldOrder.BFF)


@pytest.fixture
def offer(short_reading: Reading) -> Offer:
    """H.264 and HEVC were tried on a take of less than a second."""
    points = [tried_point("h264", q, 8e5 * 0.86 ** (q - 17), 50 - 0.75 * (q - 17)) for q in (17, 20, 24, 29)]
    points += [tried_point("hevc", q, 5e5 * 0.86 ** (q - 19), 49 - 0.75 * (q - 19)) for q in (19, 22, 26, 32)]
    return Offer(Wanted(), Footage(short_reading, TREATMENT), tried_set(points), take_bytes=50_000_000)


_RATES: st.SearchStrategy[Rate] = st.one_of(
    st.integers(0, 63).map(lambda q: ConstantQuality(quality=q)), st.just(Lossless()),
    st.builds(CappedQuality, quality=st.integers(0, 51), cap_kbps=st.integers(50, 20_000)),
    st.builds(AverageRate, kbps=st.integers(50, 20_000), passes=st.sampled_from([1, 2])),
    st.builds(ConstantRate, kbps=st.integers(50, 20_000)), st.builds(TargetSize, size_bytes=st.integers(10_000, 2_000_000)),
)  # fmt: skip


def test_another_effort_stands_beside_the_curves_and_a_point_of_a_curve_does_not(offer: Offer) -> None:
    prediction = offer.raw["h264"][3].prediction
    slow = PlanePoint(prediction.model_copy(update={"recipe": prediction.recipe.model_copy(update={"speed": "slow"})}))
    assert replace(offer, by_hand=slow).beside == [slow]
    assert replace(offer, by_hand=offer.raw["h264"][3]).beside == []


def test_leaving_noise_to_players_is_offered_on_noisy_takes_alone(offer: Offer) -> None:
    av1 = recipe_for("av1", 36)
    assert offer.footage is not None
    assert offer.footage.reading.tape is not None
    for noise, level in ((3.2, 15), (1.0, None)):
        measured = Measured(value=noise, unit="code values", low=noise, high=noise, samples=9)
        tape = offer.footage.reading.tape.model_copy(update={"luma_noise": measured})
        footage = replace(offer.footage, reading=offer.footage.reading.model_copy(update={"tape": tape}))
        found = [one.recipe.grain for one in notches(replace(offer, footage=footage), av1) if one.recipe.grain]
        assert found == ([level] if level else [])


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    codec=st.sampled_from([key for key in CODECS if key != "source"]), rate=_RATES, speed=st.sampled_from(["medium", "faster", "usual"]),
    sound=st.sampled_from(["aac", "opus", "pcm"]), container=st.sampled_from(["mp4", "mkv", "mov"]), kbps=st.integers(32, 512),
    lines=st.sampled_from([None, 160, 4000]), grain=st.sampled_from([0, 0, 9]),
)  # fmt: skip
def test_any_settings_are_told_or_refused_with_a_reason(
    offer: Offer, codec: str, rate: Rate, speed: str, sound: str, container: str, kbps: int, lines: int | None, grain: int
) -> None:
    """Never an error, never a figure beyond what was tried, and what is known before an encode is exact."""
    recipe = Recipe.model_validate(
        {"codec": codec, "rate": rate, "speed": speed, "sound_codec": sound, "container": container, "sound_kbps": kbps,
         "lines": lines, "grain": grain}
    )  # fmt: skip
    told = told_by_hand(offer, recipe)
    assert [told.prediction is not None, bool(told.reason), bool(told.wrong)].count(True) == 1
    if told.prediction is None:
        return
    assert told.prediction.recipe == recipe
    assert offer.footage is not None
    other = other_estimate(offer.footage.reading, TREATMENT, recipe)
    size, curve = told.prediction.size_bytes, offer.raw[offer.footage.curve_of(recipe)]
    assert size.low <= size.expected <= size.high
    fidelity = told.prediction.fidelity
    assert fidelity is not None
    assert curve[-1].fidelity <= fidelity.value <= curve[0].fidelity
    if isinstance(rate, ConstantQuality) and recipe.codec_level is None:
        point = next(one for one in curve if one.prediction.recipe.quality == rate.quality)
        was = other_estimate(offer.footage.reading, TREATMENT, point.prediction.recipe)
        assert size.expected == pytest.approx(point.size - was.expected + other.expected)
    if isinstance(rate, CappedQuality):
        assert size.expected <= rate.cap_kbps * 125 * offer.footage.reading.duration_seconds + other.expected + 1
        # What a cap takes from the bytes, it takes from the detail: no copy looks better than one of its size.
        larger = [point.fidelity for point in curve if point.size >= size.expected / 1.05 + abs(other.high - other.low)]
        assert fidelity.value <= (min(larger) if larger else curve[0].fidelity) + 0.8
    if isinstance(rate, TargetSize):
        assert size.high <= rate.size_bytes


def test_what_a_person_should_know_is_said(offer: Offer) -> None:
    seconds = offer.footage.reading.duration_seconds if offer.footage else 0.0
    poor = replace(offer, take_bytes=round(2_000_000 / 8 * seconds))  # a take of 2 Mb/s
    base = recipe_for("h264", 20)
    fast = told_by_hand(poor, base.model_copy(update={"rate": AverageRate(kbps=6000, passes=1)}))
    assert any("above the take's own gains nothing: 6.0 Mb/s asked for, 2.0 Mb/s in the take" in one for one in fast.remarks)
    assert any("One pass may miss" in one for one in fast.remarks)
    assert any("larger than the take itself" in one for one in told_by_hand(poor, base).remarks)
    assert told_by_hand(offer, base).remarks == ()
    boxed = replace(offer, wanted=Wanted(outlets=(outlets()["media-box"],)))
    assert any("Does not play at" in one and "codec" in one for one in told_by_hand(boxed, recipe_for("hevc", 22)).remarks)
    best = told_by_hand(offer, recipe_for("h264", 17)).prediction
    held = told_by_hand(offer, recipe_for("h264", 17).model_copy(update={"rate": CappedQuality(quality=17, cap_kbps=2400)})).prediction
    assert best is not None
    assert held is not None
    assert best.fidelity is not None
    assert held.fidelity is not None
    assert held.fidelity.value < best.fidelity.value - 4, "a cap that bites is seen"
    assert held.size_bytes.high < 0.5 * best.size_bytes.expected
    low = told_by_hand(offer, recipe_for("h264", 20).model_copy(update={"codec_level": "1.2"}))
    assert "Level 1.2 of H.264 cannot hold pictures of 720 × 576" in low.wrong
    assert "Choose level 3.1 or higher" in low.wrong  # 1620 macroblocks at 50 a second: table A-1
    kept = Treatment.of_fields(Deinterlace.LEAVE, FieldOrder.BFF)
    assert offer.footage is not None
    fields = told_by_hand(replace(offer, footage=Footage(offer.footage.reading, kept)), recipe_for("hevc", 22))
    assert "cannot mark fields" in fields.wrong
    other = told_by_hand(offer, recipe_for("h264", 20, speed="slow"))
    assert other.prediction is None
    assert "not with slow" in other.reason


def test_habits_of_the_trade_are_told_on_this_footage(offer: Offer) -> None:
    """Constant quality 19 to 20 for standard definition; 2000 kb/s comfortable, 1500 the least (common practice, no source)."""
    found = notches(offer, recipe_for("h264", 24))
    assert [one.recipe.rate for one in found] == [ConstantQuality(quality=20), AverageRate(kbps=2000), AverageRate(kbps=1500)]
    assert found[0].told is not None
    # Of less than a second at 2000 kb/s: fewer bytes than the smallest that was tried.
    assert [one.told is None for one in found] == [False, *[one.told is None for one in found[1:]]]
    assert notches(offer, recipe_for("av1", 30)) == []


def test_recipes_come_back_from_their_files(tmp_path: Path) -> None:
    path = tmp_path / "own.json"
    for recipe in (recipe_for("hevc", 22), Recipe(codec="h264", rate=TargetSize(size_bytes=700_000_000), speed="slow", sound_kbps=96)):
        write_recipe(path, recipe)
        assert read_recipe(path) == recipe
    for text, why in (
        ('{"codec": "h264", "quality": 20, "speed": "medium", "sound_kpbs": 96}', "sound_kpbs"), ("[]", "no recipe"), ("", "no recipe"),
        ('{"codec": "h264", "quality": 60, "speed": "medium"}', "0 to 51"), ('{"codec": "h266", "quality": 20, "speed": "x"}', "codec"),
        ('{"codec": "h264", "quality": 20, "speed": "medium"' + " " * 1_000_000 + "}", "too large"),
    ):  # fmt: skip
        path.write_text(text)
        with pytest.raises(WrongUseError, match=why):
            read_recipe(path)
    for odd in (tmp_path, tmp_path / "missing.json"):
        with pytest.raises(WrongUseError):
            read_recipe(odd)


@pytest.mark.parametrize(
    ("scale", "size", "words"),
    [
        # 2160p to an upload service: 10 GB in 13 min 20 s are 100 Mb/s; 1 GB an hour is 2000 kb/s with sound and some (common practice,
        # no source); a copy of 900 MB takes half an hour at 4 Mb/s.
        (Scale("rate", seconds=800.0), 10e9, "100 Mb/s"), (Scale("upload", 4e6), 900e6, "30 min"), (Scale("share", 4.7e9), 2.35e9, "50 %"),
        (Scale(), 2e6, "2 MB"),
    ],
)  # fmt: skip
def test_sizes_are_said_as_rates_times_and_shares(scale: Scale, size: float, words: str) -> None:
    assert min(scale.ticks, key=lambda tick: abs(tick[0] - size)) == (pytest.approx(size), words)
    assert [at for at, _ in scale.ticks] == sorted(at for at, _ in scale.ticks)


def test_what_an_outlet_would_hold_back_all_along_is_not_offered(offer: Offer) -> None:
    """A cap keeps the bytes and not the look: a quality whose average is above it is never reached."""
    assert offer.footage is not None
    seconds = offer.footage.reading.duration_seconds
    box = outlets()["television"].model_copy(update={"height": 576, "peak_kbps": 2600, "rate": 60.0})
    held = replace(offer, wanted=Wanted(outlets=(box,)))
    offered = [point for curve in held.served.plane.values() for point in curve]
    assert offered
    assert len(offered) < sum(len(curve) for curve in offer.served.plane.values())
    other = offer.footage.other_bytes
    assert all((point.size - other(point.prediction.recipe).expected) / 125 / seconds <= 2600 for point in offered)
    nothing = replace(offer, wanted=Wanted(outlets=(box.model_copy(update={"peak_kbps": 60}),)))
    assert nothing.served.plane == {}
    assert {one.limit for wrong in nothing.served.outside.values() for one in wrong} == {"peak"}
