"""Before anything is made: whether a recipe fits outlets, what several have in common, and what stands in the way.

What only the finished stream can tell (peaks of a constant quality, references) is told then, by ``conforming.py``.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TypeVar

from yomikomi.core.outlets import sentences as words
from yomikomi.core.outlets.conforming import Violation, of_shape
from yomikomi.core.outlets.model import CodecLimit, Outlet, SoundLimit
from yomikomi.core.recipes.levels import LEVELS, exceeds, least_level, rank
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantRate, Lossless, TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.format import PictureFormat

# The library's names of what recipes call otherwise.
LIBRARY_VIDEO = {"mpeg2": "mpeg2video", "rdd36": "prores", "vc3": "dnxhd"}
LIBRARY_SOUND = {"pcm": "pcm_s24le"}
_Number = TypeVar("_Number", int, float)


def fits(recipe: Recipe, treated: PictureFormat, outlet: Outlet, *, channels: Sequence[int] = (2,)) -> list[Violation]:
    """What of a recipe an outlet does not take; ``channels``: of the sound streams of the take."""
    return [*_pictures(recipe, treated, outlet), *_sound(recipe, outlet, channels)]


def _pictures(recipe: Recipe, treated: PictureFormat, outlet: Outlet) -> Iterator[Violation]:
    codec = LIBRARY_VIDEO.get(recipe.codec, recipe.codec)
    if recipe.container not in outlet.containers:
        yield Violation(limit="container", allowed=words.any_of(outlet.containers), found=recipe.container.upper())
    limit, shape = outlet.plays(codec), treated.geometry
    if limit is None:
        yield Violation(limit="codec", allowed=words.codecs(one.codec for one in outlet.video), found=recipe.row.words)
    elif limit.level is not None and codec in LEVELS:
        needed = least_level(codec, width=shape.width, height=shape.height, rate=treated.rate, kbps=_most_kbps(recipe) or 0.0)
        if exceeds(codec, needed, limit.level):
            yield Violation(limit="level", allowed=limit.level, found=needed.name if needed else "higher than any")
    if limit is not None and limit.profiles and codec == "h264" and isinstance(recipe.rate, Lossless):
        yield Violation(limit="profile", allowed=limit.profiles[-1], found="High 4:4:4 Predictive")
    if limit is not None and treated.bits > limit.depth:
        yield Violation(limit="bit depth", allowed=f"{limit.depth} bits", found=f"{treated.bits} bits")
    yield from of_shape(outlet, width=shape.width, height=shape.height, rate=treated.rate, interlaced=treated.interlaced)
    most = _most_kbps(recipe)
    if outlet.peak_kbps is not None and most is not None and most > outlet.peak_kbps:
        yield Violation(limit="peak", allowed=f"{outlet.peak_kbps} kb/s", found=f"{most:.0f} kb/s")
    if outlet.average_kbps is not None and isinstance(recipe.rate, AverageRate) and recipe.rate.kbps > outlet.average_kbps:
        yield Violation(limit="average rate", allowed=f"{outlet.average_kbps} kb/s", found=f"{recipe.rate.kbps} kb/s")
    if outlet.key_seconds is not None and recipe.key_seconds > outlet.key_seconds and recipe.row.highest_quality_number:
        yield Violation(limit="key distance", allowed=f"{outlet.key_seconds:g} s", found=f"{recipe.key_seconds:g} s")
    if outlet.file_bytes is not None and isinstance(recipe.rate, TargetSize) and recipe.rate.size_bytes > outlet.file_bytes:
        yield Violation(limit="file size", allowed=words.size(outlet.file_bytes), found=words.size(recipe.rate.size_bytes))


def _sound(recipe: Recipe, outlet: Outlet, channels: Sequence[int]) -> Iterator[Violation]:
    heard = outlet.hears(LIBRARY_SOUND.get(recipe.sound_codec, recipe.sound_codec))
    if not channels:
        return
    if heard is None:
        allowed = words.codecs(one.codec for one in outlet.sound)
        yield Violation(limit="sound codec", allowed=allowed, found=words.codec(recipe.sound_codec))
        return
    most = max(recipe.channels_of(one) for one in channels)
    kbps = recipe.sound_bits_per_second(max(channels)) / 1000
    if most > heard.channels:
        yield Violation(limit="sound channels", allowed=str(heard.channels), found=str(most))
    if heard.kbps is not None and kbps > heard.kbps:
        yield Violation(limit="sound rate", allowed=f"{heard.kbps} kb/s", found=f"{kbps:.0f} kb/s")


def _most_kbps(recipe: Recipe) -> float | None:
    """What a recipe cannot exceed over a second, where it says so."""
    rate = recipe.rate
    if isinstance(rate, CappedQuality):
        return rate.cap_kbps
    return rate.kbps if isinstance(rate, ConstantRate) else None


@dataclass(frozen=True)
class Together:
    """What several outlets all take. ``conflicts``: in words, where they have nothing in common; ``alone``: outlets of which leaving one
    out is enough for the others to agree."""

    outlet: Outlet | None
    conflicts: tuple[str, ...] = ()
    alone: tuple[str, ...] = ()


def together(several: Sequence[Outlet]) -> Together:
    """The weakest decides: the intersection of all limits. One outlet is its own. Raises ValueError for none."""
    if not several:
        raise ValueError("no outlet")
    found, conflicts = _intersection(several)
    if found is not None:
        return Together(found)
    without = [one.words for one in several if _intersection([other for other in several if other is not one])[0] is not None]
    return Together(None, tuple(conflicts), tuple(without))


def _intersection(several: Sequence[Outlet]) -> tuple[Outlet | None, list[str]]:
    first = several[0]
    containers = [one for one in first.containers if all(one in other.containers for other in several)]
    video = [limit for limit in (_video([other.plays(one.codec) for other in several]) for one in first.video) if limit is not None]
    sound = [limit for limit in (_heard([other.hears(one.codec) for other in several]) for one in first.sound) if limit is not None]
    shared = (("container", containers), ("codec", video), ("sound codec", sound))
    conflicts = [f"no {what} that all of them take" for what, common in shared if not common]
    if conflicts:
        return None, conflicts
    made = first.model_copy(update={
        "key": "+".join(one.key for one in several), "words": " and ".join(one.words for one in several), "note": "",
        "containers": tuple(containers), "video": tuple(video), "sound": tuple(sound),
        **{name: _least([getattr(one, name) for one in several]) for name in (
            "width", "height", "rate", "average_kbps", "peak_kbps", "key_seconds", "file_bytes",
        )},
        "buffer_seconds": min((one.buffer_seconds for one in several if one.peak_kbps is not None), default=first.buffer_seconds),
        "interlaced": all(one.interlaced for one in several), "index_in_front": any(one.index_in_front for one in several),
    })  # fmt: skip
    return made, []


def _video(limits: Sequence[CodecLimit | None]) -> CodecLimit | None:
    known = [one for one in limits if one is not None]
    if len(known) < len(limits):
        return None
    codec = known[0].codec
    levels = [one.level for one in known if one.level is not None]
    profiles = [set(one.profiles) for one in known if one.profiles]
    common = tuple(name for name in known[0].profiles or () if all(name in some for some in profiles)) if profiles else ()
    chroma = tuple(one for one in known[0].chroma if all(one in other.chroma for other in known))
    if not chroma or (profiles and not (common or not known[0].profiles)):
        return None
    return CodecLimit(
        codec=codec, level=min(levels, key=lambda name: rank(codec, name), default=None),
        profiles=common or tuple(set.intersection(*profiles)) if profiles else (), depth=min(one.depth for one in known), chroma=chroma,
    )  # fmt: skip


def _heard(limits: Sequence[SoundLimit | None]) -> SoundLimit | None:
    known = [one for one in limits if one is not None]
    rates = tuple(rate for rate in known[0].rates if all(rate in one.rates for one in known)) if known else ()
    if len(known) < len(limits) or not rates:
        return None
    kbps, channels = _least([one.kbps for one in known]), min(one.channels for one in known)
    return SoundLimit(codec=known[0].codec, kbps=kbps, channels=channels, rates=rates)


def _least(values: Sequence[_Number | None]) -> _Number | None:
    return min((one for one in values if one is not None), default=None)
