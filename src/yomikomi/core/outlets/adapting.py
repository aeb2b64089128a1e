"""Making recipes and treatments fit an outlet, as far as that takes nothing from the pictures that a person would miss unasked."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from fractions import Fraction

from yomikomi.core.outlets.conforming import Violation, of_shape
from yomikomi.core.outlets.fitting import LIBRARY_SOUND, LIBRARY_VIDEO
from yomikomi.core.outlets.model import CodecLimit, Outlet, SoundLimit
from yomikomi.core.recipes.codecs import CODECS, TRIED, Codec
from yomikomi.core.recipes.levels import LEVELS, exceeds, least_level, level_kbps
from yomikomi.core.recipes.rates import CappedQuality, ConstantQuality
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.sound import ENCODED, SOUND_CODECS
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace, Fields, RateCap, Size

# Heights that pictures are made smaller to, and the most frames of which one is kept.
_HEIGHTS = (2160, 1440, 1080, 720, 576, 480, 360, 288, 240)
_MOST_FRAMES_OF_ONE = 4
# Below this nobody makes sound (our least in a recipe).
_LEAST_SOUND_KBPS = 32


def codecs_for(outlet: Outlet) -> list[Codec]:
    """Codecs that are tried for an outlet: the usual ones that it plays; where it plays none of them, the others."""
    usual = [codec for codec in TRIED.values() if _limit(codec.key, outlet) is not None]
    others = (codec for codec in CODECS.values() if codec.worth_trying or codec.asked_only)
    return usual or [codec for codec in others if _limit(codec.key, outlet) is not None]


def adapted(recipe: Recipe, outlet: Outlet, *, channels: Sequence[int]) -> Recipe:
    """With container, sound, level, key distance and a cap that an outlet takes, where it takes any that the codec can do; the quality that
    was asked for stays. What then does not fit is told by :func:`fits`. ``channels``: of the sound streams."""
    found = _in_container(recipe, outlet)
    changes: dict[str, object] = {}
    heard = outlet.hears(LIBRARY_SOUND.get(found.sound_codec, found.sound_codec))
    if heard is not None and channels:
        changes |= _quieter(found, heard, max(channels))
    if outlet.key_seconds is not None and found.key_seconds > outlet.key_seconds:
        changes["key_seconds"] = outlet.key_seconds
    level = _level(found.codec, outlet)
    if level is not None:
        changes["codec_level"] = level
    rate, peak = found.rate, outlet.peak_kbps
    if peak is not None and (level is None or peak < level_kbps(found.codec, level)):  # the encoder keeps to its level by itself
        if isinstance(rate, ConstantQuality) and "capped" in found.row.rates:
            changes["rate"] = CappedQuality(quality=rate.quality, cap_kbps=peak)
        elif isinstance(rate, CappedQuality):
            changes["rate"] = CappedQuality(quality=rate.quality, cap_kbps=min(peak, rate.cap_kbps))
    return found.model_copy(update=changes)


def limit_of(outlet: Outlet, *, seconds: float, other_bytes: float) -> float | None:
    """The most bytes of a whole copy of so many seconds; ``other_bytes``: of them for sound and container. None: no limit."""
    limits = [outlet.file_bytes] if outlet.file_bytes is not None else []
    if outlet.average_kbps is not None:
        limits.append(round(outlet.average_kbps * 125 * seconds + other_bytes))
    return min(limits, default=None)


def shape_fits(treated: PictureFormat, outlet: Outlet) -> bool:
    """Whether pictures of this size, rate and scan fit an outlet with any codec of the plane that it plays."""
    return not shape_violations(treated, outlet)


def shape_violations(treated: PictureFormat, outlet: Outlet) -> list[Violation]:
    """What stands in the way of that. Empty for an outlet of which no codec is on the plane, unless its own limits say more."""
    shape = treated.geometry
    found = list(of_shape(outlet, width=shape.width, height=shape.height, rate=treated.rate, interlaced=treated.interlaced))
    if found:
        return found
    first: Violation | None = None
    for codec in codecs_for(outlet):
        if codec.key not in LEVELS:
            return []
        needed, highest = least_level(codec.key, width=shape.width, height=shape.height, rate=treated.rate), _level(codec.key, outlet)
        if needed is not None and (highest is None or not exceeds(codec.key, needed, highest)):
            return []
        allowed = f"{highest} of {codec.words}" if highest is not None else "any"
        first = first or Violation(limit="level", allowed=allowed, found=needed.name if needed is not None else "higher than any")
    return [first] if first is not None else []


def fitting_treatment(treatment: Treatment, source: PictureFormat, outlet: Outlet) -> Treatment | None:
    """The treatment with as little more as makes its pictures fit: fields taken apart, fewer frames, smaller pictures, in this order. None
    where nothing of this helps. ``source``: what goes into the treatment."""
    for tried in _less_and_less(treatment, source, outlet):
        if shape_fits(tried.formats(source)[-1], outlet):
            return tried
    return None


def _less_and_less(treatment: Treatment, source: PictureFormat, outlet: Outlet) -> Iterator[Treatment]:
    """At every rate, the larger size first."""
    for some in _slower(treatment, source, outlet):
        yield some
        height = some.formats(source)[-1].geometry.height
        for smaller in _HEIGHTS:
            if smaller < height:
                yield some.having(Size(height=smaller))


def _slower(treatment: Treatment, source: PictureFormat, outlet: Outlet) -> Iterator[Treatment]:
    order, fields = treatment.field_order, treatment.get(Fields)
    whole = [treatment]
    if fields is not None and order is not None:
        apart = {Deinterlace.LEAVE: (Deinterlace.DOUBLE, Deinterlace.SINGLE), Deinterlace.DOUBLE: (Deinterlace.SINGLE,)}
        whole += [treatment.having(Fields(mode=mode, order=order)) for mode in apart.get(fields.mode, ())]
    yield from whole
    if outlet.rate is not None:
        for some in whole:
            now = some.get(RateCap)
            rate = some.formats(source)[-1].rate * (now.each if now is not None else 1)
            each = math.ceil(rate / Fraction(outlet.rate).limit_denominator(1000) - Fraction(1, 500))
            if 1 < each <= _MOST_FRAMES_OF_ONE:
                yield some.having(RateCap(each=each))


def _in_container(recipe: Recipe, outlet: Outlet) -> Recipe:
    """In a container and with a sound codec that an outlet takes; what was asked for goes first."""
    kinds = sorted((one for one in outlet.containers if one in recipe.row.containers), key=lambda one: one != recipe.container)
    sounds = sorted(
        (key for key in ENCODED if outlet.hears(LIBRARY_SOUND.get(key, key)) is not None), key=lambda key: key != recipe.sound_codec
    )
    for sound in sounds:
        for kind in kinds:
            if kind in SOUND_CODECS[sound].containers:
                return recipe.model_copy(update={"container": kind, "sound_codec": sound})
    return recipe


def _quieter(recipe: Recipe, heard: SoundLimit, channels: int) -> dict[str, object]:
    changes: dict[str, object] = {}
    if recipe.channels_of(channels) > heard.channels:
        changes["sound_channels"] = 2 if heard.channels >= 2 else 1
    made = recipe.model_copy(update=changes)
    kbps = made.sound_kbps
    while heard.kbps is not None and kbps > _LEAST_SOUND_KBPS and _kbps(made, kbps, channels) > heard.kbps:
        kbps -= 16
    return changes if kbps == recipe.sound_kbps else changes | {"sound_kbps": max(_LEAST_SOUND_KBPS, kbps)}


def _kbps(recipe: Recipe, kbps: int, channels: int) -> float:
    return recipe.model_copy(update={"sound_kbps": kbps}).sound_bits_per_second(channels) / 1000


def _limit(codec: str, outlet: Outlet) -> CodecLimit | None:
    return outlet.plays(LIBRARY_VIDEO.get(codec, codec))


def _level(codec: str, outlet: Outlet) -> str | None:
    """The highest of a codec that an outlet plays; None: any, or none at all."""
    limit = _limit(codec, outlet)
    return limit.level if limit is not None and codec in LEVELS else None
