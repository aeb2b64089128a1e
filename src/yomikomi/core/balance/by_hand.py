"""What a recipe that a person sets by hand would come to, from what was tried already; where that cannot tell, why not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

from yomikomi.core.balance import sentences
from yomikomi.core.balance.curves import PlanePoint, nearest_in_size
from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.prediction import aimed, meant_bytes, untouched_prediction
from yomikomi.core.balance.serving import Footage, carried_over
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.errors import WrongUseError
from yomikomi.core.outlets.fitting import fits
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.copied_sound import check_copied_sound
from yomikomi.core.recipes.levels import exceeds, least_level
from yomikomi.core.recipes.plan import check_depth, most_kbps, plan_for
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantQuality, ConstantRate
from yomikomi.core.recipes.recipe import MOST_GRAIN, Recipe
from yomikomi.core.treatment.format import PictureFormat

# A rate of one pass misses its aim by more than this on short takes (measured: a quarter to a third on ten seconds; docs/science.md).
_SHORT_S = 60.0
# From so much noise on (code values, rms) leaving it to players is offered, at so many times its value (strength 15 kept as much noise as a
# tape of 3.2 had; docs/science.md).
_NOISY, _GRAIN_OF_NOISE = 2.0, 4.7
# Lines up to which a picture counts as standard definition.
_SD_LINES = 576


class Tried(Protocol):
    """What is known of footage: an offer.

    Parameters
    ----------
    footage : None where the take is not read, or its treatment not chosen.
    raw : all that was tried, by curve.
    outlet : where the copy has to play, None: anywhere. ``viewing``: how it is watched.
    take_bytes : size of the take's file.
    """

    @property
    def footage(self) -> Footage | None: ...

    @property
    def raw(self) -> Mapping[str, Sequence[PlanePoint]]: ...

    @property
    def outlet(self) -> Outlet | None: ...

    @property
    def viewing(self) -> Viewing: ...

    @property
    def take_bytes(self) -> int | None: ...


@dataclass(frozen=True)
class ByHand:
    """Parameters
    ----------
    prediction : None where what was tried does not tell.
    reason : why not; empty where there is one, and where nothing is wrong.
    wrong : the settings do not go together: what is wrong and what to do; empty where they do.
    remarks : what a person should know before using them.
    """

    recipe: Recipe
    prediction: Prediction | None = None
    reason: str = ""
    wrong: str = ""
    remarks: tuple[str, ...] = ()


@dataclass(frozen=True)
class Notch:
    """A setting that people of the trade know by heart, and what it means on this footage."""

    words: str
    recipe: Recipe
    told: Prediction | None


def told_by_hand(offer: Tried, recipe: Recipe) -> ByHand:
    """What a recipe comes to on the footage of an offer."""
    footage = offer.footage
    if footage is None:
        return ByHand(recipe, reason=sentences.NOT_READ)
    try:
        recipe.check()
        made = _checked(footage, recipe) if not recipe.untouched else None
    except WrongUseError as error:
        return ByHand(recipe, wrong=f"{error} {error.remedy}".strip())
    low = _level_too_low(recipe, made) if made is not None else None
    if low is not None:
        return ByHand(recipe, wrong=low)
    remarks = []
    outlet = offer.outlet
    if outlet is not None and made is not None:
        remarks += [sentences.does_not_fit(outlet, one) for one in fits(recipe, made, outlet, channels=footage.channels)]
    prediction, reason = _predicted(offer, recipe)
    rate, seconds = recipe.rate, footage.seconds
    own = offer.take_bytes
    kbps = rate.kbps if isinstance(rate, AverageRate | ConstantRate) else None
    source = own / 125 / max(0.04, footage.reading.duration_seconds) if own else None
    if source is not None and kbps is not None and kbps > source:
        remarks.append(sentences.above_the_source(kbps, source))
    elif prediction is not None and own and prediction.size_bytes.expected > own * min(1.0, seconds / footage.reading.duration_seconds):
        remarks.append(sentences.larger_than_the_source(prediction.size_bytes.expected))
    held = most_kbps(recipe)
    if held is not None and prediction is not None and prediction.worst is not None and prediction.worst.kbps > held:
        remarks.append(sentences.held_back(prediction.worst, held))
    if isinstance(rate, AverageRate) and rate.passes == 1 and recipe.row.two_passes:
        remarks.append(sentences.one_pass(short=seconds < _SHORT_S))
    return ByHand(recipe, prediction, reason, remarks=tuple(remarks))


def _level_too_low(recipe: Recipe, made: PictureFormat) -> str | None:
    """Where pictures need a higher level than the encoder is told to keep to."""
    if recipe.codec_level is None:
        return None
    shape = made.geometry
    needed = least_level(recipe.codec, width=shape.width, height=shape.height, rate=made.rate)
    if not exceeds(recipe.codec, needed, recipe.codec_level):
        return None
    return sentences.level_too_low(recipe, shape.width, shape.height, needed.name if needed is not None else None)


def _predicted(offer: Tried, recipe: Recipe) -> tuple[Prediction | None, str]:
    footage = offer.footage
    assert footage is not None
    if recipe.untouched:
        return untouched_prediction(footage.reading, footage.treatment, recipe, offer.viewing), ""
    curve = offer.raw.get(footage.curve_of(recipe), [])
    if not curve:
        return None, sentences.codec_not_tried(recipe)
    tried = curve[0].prediction.recipe
    by_preset = not recipe.row.highest_quality_number
    if not by_preset and recipe.speed != tried.speed:
        return None, sentences.effort_not_tried(recipe, tried)
    if recipe.key_seconds != tried.key_seconds and curve[0].prediction.key_excess is None:
        return None, sentences.keys_not_tried(tried)
    try:
        meant = meant_bytes(footage.reading, footage.treatment, recipe)
    except WrongUseError as error:
        return None, f"{error} {error.remedy}"
    if meant is not None:
        return _at_a_size(curve, recipe, meant)
    point = _same(curve, recipe, by_preset=by_preset)
    if point is None:
        return None, sentences.quality_not_tried(recipe, [one.prediction.recipe for one in curve])
    now = footage.other_bytes(recipe)
    found = carried_over(point, recipe, was=footage.other_bytes(point.prediction.recipe), now=now).prediction
    held = most_kbps(recipe)
    if held is None:
        return found, ""
    # Where a cap or a level leaves less than the quality takes, the copy looks like one of that size, not like the quality.
    most = held * 125 * footage.seconds + now.expected
    return _at_a_size(curve, recipe, most) if found.size_bytes.expected > most else (_capped(found, most), "")


def _same(curve: Sequence[PlanePoint], recipe: Recipe, *, by_preset: bool) -> PlanePoint | None:
    """The point of a curve that a recipe's pictures would be those of."""
    for point in curve:
        tried = point.prediction.recipe
        if by_preset and tried.speed == recipe.speed and tried.rate == recipe.rate:
            return point
        if not by_preset and isinstance(recipe.rate, ConstantQuality | CappedQuality) and tried.quality == recipe.quality:
            return point
    return None


def _at_a_size(curve: Sequence[PlanePoint], recipe: Recipe, meant: float) -> tuple[Prediction | None, str]:
    sizes = [point.size for point in curve]
    if not min(sizes) <= meant <= max(sizes):
        return None, sentences.size_not_tried(meant, min(sizes), max(sizes))
    return aimed(nearest_in_size(curve, meant).prediction, recipe, meant), ""


def _capped(told: Prediction, most: float) -> Prediction:
    size = told.size_bytes
    kept = {part: min(getattr(size, part), most) for part in ("expected", "low", "high")}
    return told.model_copy(update={"size_bytes": size.model_copy(update=kept), "measured": told.measured and size.high < most})


def notches(offer: Tried, recipe: Recipe) -> list[Notch]:
    """What people set by habit with a recipe's codec, and what each means here (common practice, no source: 19 to 20 for standard
    definition in H.264; 2000 kb/s is comfortable there and 1500 the least; 2 to 3 Mb/s for high definition on television)."""
    footage = offer.footage
    if footage is None or recipe.untouched:
        return []
    lines = footage.made_with(recipe).geometry.height
    known: list[tuple[str, Recipe]] = []
    if recipe.codec == "h264" and lines <= _SD_LINES:
        known.append((sentences.USUAL_SD, recipe.with_quality(20)))
    if "average" in recipe.row.rates:
        rates = ((2000, sentences.COMFORTABLE_SD), (1500, sentences.LEAST_SD)) if lines <= _SD_LINES else ((3000, sentences.TELEVISION_HD),)
        known += [(words, recipe.model_copy(update={"rate": AverageRate(kbps=kbps)})) for kbps, words in rates]
    tape = footage.reading.tape
    noise = tape.luma_noise if tape is not None else None
    if recipe.row.makes_grain and noise is not None and noise.value >= _NOISY:
        level = min(MOST_GRAIN, round(_GRAIN_OF_NOISE * noise.value))
        known.append((sentences.grain_for(level, noise.value), recipe.model_copy(update={"grain": level})))
    return [Notch(words, one, _predicted(offer, one)[0]) for words, one in known]


def _checked(footage: Footage, recipe: Recipe) -> PictureFormat:
    """The pictures that its encoder gets. Raises WrongUseError for those that it cannot take."""
    made = footage.made_with(recipe)
    check_depth(recipe, transfer=made.colour.transfer, bit_depth=footage.reading.bit_depth)
    plan_for(recipe, made)
    check_copied_sound(recipe, footage.treatment, footage.reading)
    return made
