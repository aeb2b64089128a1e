"""The options with which commands name a recipe, and what they come to."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from yomikomi.core.errors import WrongUseError

if TYPE_CHECKING:
    from yomikomi.core.outlets.model import Outlet
    from yomikomi.core.reading.models import Reading
    from yomikomi.core.recipes.codecs import Codec
    from yomikomi.core.recipes.rates import Rate
    from yomikomi.core.recipes.recipe import Recipe
    from yomikomi.core.treatment.model import Treatment

CodecOption = Annotated[
    Literal["h264", "hevc", "av1", "mpeg2", "ffv1", "rdd36", "vc3"] | None, typer.Option("--codec", help="Codec of the copy.")
]
QualityOption = Annotated[
    int | None, typer.Option("--quality", help="Constant-quality value: 0–51 (AV1: 0–63, MPEG-2: 1–31), smaller looks better.")
]
SpeedOption = Annotated[str | None, typer.Option("--speed", help="Encoder preset: slower packs better; of RDD 36 and VC-3 the profile.")]
ContainerOption = Annotated[
    Literal["mp4", "mkv", "mov"] | None, typer.Option("--container", help="What the output's name says, else the codec's usual one.")
]
CapOption = Annotated[str | None, typer.Option("--cap", help="With --quality: a rate never exceeded over a second, as 4M or 4000k.")]
AverageOption = Annotated[str | None, typer.Option("--average", help="Average rate of the pictures, as 2000k.")]
PassesOption = Annotated[
    int | None, typer.Option("--passes", min=1, max=2, help="With --average: two passes (as a rule) or one.")
]
SizeOption = Annotated[str | None, typer.Option("--target-size", help="Size of the whole file, as 700MB; it will not be larger.")]
ConstantOption = Annotated[str | None, typer.Option("--constant", help="The same rate all through, as 8M.")]
LosslessOption = Annotated[bool, typer.Option("--lossless", help="Every sample as it went in.")]
UntouchedOption = Annotated[bool, typer.Option("--untouched", help="Copy the streams as they are; nothing is encoded.")]
ExactOption = Annotated[
    bool, typer.Option("--exact", help="With --untouched and a trim: cut there, encoding only pictures outside of whole groups (H.264).")
]
RecipeOption = Annotated[Path | None, typer.Option("--recipe", help="A recipe as JSON, in place of all other options of it.")]
SoundOption = Annotated[
    Literal["aac", "opus", "ac3", "flac", "pcm", "source"] | None,
    typer.Option("--audio-codec", "--sound", help="Sound codec; source: the take's own packets, as they are."),
]
SoundRateOption = Annotated[int | None, typer.Option("--audio-kbps", help="Rate of each sound stream for two channels; one takes half.")]
ChannelsOption = Annotated[int | None, typer.Option("--channels", min=1, max=2, help="Mix sound down to so many channels.")]
OutletOption = Annotated[
    list[str] | None,
    typer.Option("--outlet", help="Key of an outlet where it has to play, more than once for several: the recipe is made to fit."),
]
ResizeOption = Annotated[str | None, typer.Option("--resize", help="Size of the pictures: a height, as 720, or 1280x720.")]
SetOption = Annotated[
    str | None, typer.Option("--set", help="Several copies at once: key of a set (yomikomi sets), or a file; in place of a recipe.")
]
KeysOption = Annotated[float | None, typer.Option("--key-seconds", help="Longest time between key pictures, seconds.")]
GrainOption = Annotated[int | None, typer.Option("--grain", help="AV1 grain synthesis: noise is left out, players make it anew; 1–50.")]


def named_recipe(
    *,
    recipe: Path | None,
    codec: str | None,
    quality: int | None,
    cap: str | None,
    average: str | None,
    passes: int | None,
    target_size: str | None,
    constant: str | None,
    lossless: bool,
    untouched: bool,
    exact: bool,
    speed: str | None,
    container: str | None,
    sound: str | None,
    sound_kbps: int | None,
    channels: int | None,
    key_seconds: float | None,
    grain: int | None,
    outlet: Outlet | None = None,
) -> Recipe:
    """The recipe that options name; where they name no codec, of the first that an outlet plays. Raises WrongUseError for what is missing,
    too much, or does not go together."""
    from pydantic import ValidationError

    from yomikomi.core.outlets.adapting import codecs_for
    from yomikomi.core.recipes.documents import read_recipe
    from yomikomi.core.recipes.rates import Untouched
    from yomikomi.core.recipes.recipe import codec_named, recipe_with
    from yomikomi.core.recipes.sound import ENCODED

    if recipe is not None:
        return read_recipe(recipe)
    if untouched:
        if codec is not None or any(value is not None for value in (quality, average, target_size, constant)) or lossless:
            raise WrongUseError("Untouched, nothing is encoded.", remedy="Leave --codec and what rules the rate out.")
        return recipe_with(codec_named("source"), Untouched(exact=exact), container=container)
    if exact:
        raise WrongUseError("--exact goes with --untouched.", remedy="An encode is cut exactly in any case.")
    played = codecs_for(outlet) if outlet is not None else []
    if codec is None and played:
        codec = played[0].key
    if codec is None:
        raise WrongUseError("No codec is named.", remedy="Give --codec, or a whole recipe with --recipe.")
    row = codec_named(codec)
    rate = _rate(
        row, quality=quality, cap=cap, average=average, passes=passes, size=target_size, constant=constant,
        lossless=lossless,
    )  # fmt: skip
    kind = container or row.containers[0]
    sound = sound or next(key for key, known in ENCODED.items() if kind in known.containers)
    made = recipe_with(row, rate, speed=speed, container=kind, sound=sound)
    more = {"sound_kbps": sound_kbps, "sound_channels": channels, "key_seconds": key_seconds, "grain": grain}
    try:
        found = type(made).model_validate(made.model_dump() | {key: value for key, value in more.items() if value is not None})
    except ValidationError as error:
        first = error.errors()[0]
        options = {"sound_kbps": "--audio-kbps", "sound_channels": "--channels", "key_seconds": "--key-seconds", "grain": "--grain"}
        name = options[str(first["loc"][0])]
        raise WrongUseError(f"{name} {first['input']:g} is not possible.", remedy=f"{first['msg']}.") from error
    found.check()
    return found


def outlets_named(keys: Iterable[str]) -> list[Outlet]:
    """Outlets by their keys. Raises WrongUseError for unknown ones."""
    from yomikomi.core.outlets.model import outlets

    known, wanted = outlets(), list(keys)
    unknown = [key for key in wanted if key not in known]
    if unknown:
        raise WrongUseError(f"There is no outlet {unknown[0]!r}.", remedy=f"Use one of: {', '.join(known)}.")
    return [known[key] for key in wanted]


def outlet_named(keys: list[str] | None) -> Outlet | None:
    """All outlets that were named in one; None where none was. Raises WrongUseError for unknown ones and those with nothing in common."""
    from yomikomi.core.outlets.fitting import together

    if not keys:
        return None
    found = together(outlets_named(keys))
    if found.outlet is None:
        from yomikomi.core.balance.sentences import nothing_in_common

        head, basis = nothing_in_common(found.conflicts, found.alone)
        raise WrongUseError(head, remedy=f"{basis}.")
    return found.outlet


def fitted(recipe: Recipe, reading: Reading, treatment: Treatment, outlet: Outlet | None) -> Recipe:
    """A recipe made to fit an outlet; raises WrongUseError with what of it cannot be."""
    if outlet is None or recipe.untouched:  # the streams of a copy as it is are proven afterwards
        return recipe
    from yomikomi.core.balance.serving import Footage

    made, wrong = Footage(reading, treatment).fitting(recipe, outlet)
    if wrong:
        told = "; ".join(one.words for one in wrong)
        raise WrongUseError(
            f"The copy would not play at: {outlet.words} ({told}).", remedy="Change the recipe or the treatment, or leave --outlet out."
        )
    return made


def _rate(
    row: Codec, *, quality: int | None, cap: str | None, average: str | None, passes: int | None,
    size: str | None, constant: str | None, lossless: bool,
) -> Rate:  # fmt: skip
    from yomikomi.core.recipes import rates
    from yomikomi.core.recipes.recipe import check_quality

    given = [name for name, value in (
        ("--quality", quality is not None), ("--average", average), ("--target-size", size), ("--constant", constant),
        ("--lossless", lossless),
    ) if value]  # fmt: skip
    if len(given) > 1:
        raise WrongUseError(f"{' and '.join(given)} both rule the rate.", remedy="Give one of them.")
    if cap is not None and quality is None:
        raise WrongUseError("--cap goes with --quality.", remedy="Give both; for an average rate use --average.")
    if passes is not None and average is None:
        raise WrongUseError("--passes goes with --average.", remedy="A target size chooses its passes itself; quality needs one.")
    if average is not None:
        return rates.AverageRate(kbps=_kbps(average), passes=passes or (2 if row.two_passes else 1))  # type: ignore[arg-type]
    if size is not None:
        return rates.TargetSize(size_bytes=_bytes(size))
    if constant is not None:
        return rates.ConstantRate(kbps=_kbps(constant))
    if lossless or (row.rates == ("lossless",) and quality is None):
        return rates.Lossless()
    if quality is None:
        if row.rates == ("quality",) and not row.highest_quality_number:
            return rates.ConstantQuality(quality=0)  # a codec of profiles
        raise WrongUseError(
            "Nothing says how large the copy is to be.", remedy="Give --quality, --average, --target-size, --constant or --lossless."
        )
    check_quality(row, quality)
    return rates.ConstantQuality(quality=quality) if cap is None else rates.CappedQuality(quality=quality, cap_kbps=_kbps(cap))


def _kbps(words: str) -> int:
    from yomikomi.core.video.units import parse_bit_rate

    found = parse_bit_rate(words)
    if found is None or not 50_000 <= found <= 800_000_000:
        raise WrongUseError(f"{words!r} is no bit rate from 50 kb/s to 800 Mb/s.", remedy="Write it as 2000k or 2M.")
    return round(found / 1000)


def _bytes(words: str) -> int:
    from yomikomi.core.video.units import parse_size

    found = parse_size(words, bare="MB")
    if found is None or found < 10_000:
        raise WrongUseError(f"{words!r} is no size.", remedy="Write it as 700MB or 4GB.")
    return round(found)
