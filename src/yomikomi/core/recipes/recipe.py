"""A recipe: a complete set of encode settings. What each codec can is told by ``codecs.py``."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, computed_field, model_validator

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.codecs import CODECS, EFFORTS, TRIED, Codec, CodecKey, Effort
from yomikomi.core.recipes.levels import LEVELS
from yomikomi.core.recipes.rates import AverageRate, CappedQuality, ConstantQuality, Lossless, Rate, Untouched
from yomikomi.core.recipes.sound import ENCODED, SOUND_CODECS, USUAL_KBPS, SoundKey, packet_seconds, rate_of_sound
from yomikomi.core.video.colour import HLG, PQ
from yomikomi.core.video.units import number_text

Container = Literal["mp4", "mkv", "mov"]
# Longest time between key pictures: seeking stays quick, and size hardly depends on it (common practice, no source).
KEY_SECONDS = 5.0
# Of pictures with so many lines or more this part of them is tried too.
_SMALLER, _LEAST_LINES = 2 / 3, 432
# Of SVT-AV1's grain synthesis (its own range; from memory).
MOST_GRAIN = 50
# AVColorTransferCharacteristic of wide-range pictures: PQ (SMPTE ST 2084) and HLG (ARIB STD-B67), by their numbers in ITU-T H.273.
WIDE_RANGE = {PQ: "PQ", HLG: "HLG"}


# Codecs without curves that hold more than 8 bits whatever they get, or keep what they get.
_ALWAYS_DEEP = (CODECS["ffv1"], CODECS["rdd36"])


class Recipe(BaseModel):
    """A complete set of encode settings. Documents of before have ``quality`` and no ``rate``: constant quality."""

    model_config = ConfigDict(frozen=True)

    codec: CodecKey
    rate: Rate
    speed: str
    container: Container = "mp4"
    codec_level: str | None = Field(default=None, description="highest level that the stream may need, as “4.1”; null: any")
    key_seconds: float = Field(default=KEY_SECONDS, gt=0, le=60, description="longest time between key pictures")
    lines: int | None = Field(default=None, ge=16, le=8192, description="most lines of the pictures; null: as treated")
    grain: int = Field(default=0, ge=0, le=MOST_GRAIN, description="strength of grain synthesis: players make noise anew; 0: off")
    sound_codec: SoundKey = "aac"
    sound_kbps: int = Field(default=USUAL_KBPS, ge=32, le=512, description="per stream, for two channels; one channel takes half")
    sound_channels: Literal[1, 2] | None = Field(default=None, description="null: as many as the source has")

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, given: Any) -> Any:
        if isinstance(given, dict) and "quality" in given:
            given = dict(given)
            quality = given.pop("quality")
            if "rate" not in given:
                given["rate"] = {"kind": "quality", "quality": quality}
        return given

    @computed_field(description="the constant-quality value, null where something else rules the rate")  # type: ignore[prop-decorator]
    @property
    def quality(self) -> int | None:
        return self.rate.quality if isinstance(self.rate, ConstantQuality | CappedQuality) else None

    @property
    def level(self) -> int:
        """The constant-quality value of a recipe that is known to have one."""
        assert self.quality is not None
        return self.quality

    def with_quality(self, quality: int) -> Recipe:
        """The same at another constant quality."""
        return self.model_copy(update={"rate": ConstantQuality(quality=quality)})

    def key_distance(self, rate: Fraction) -> int:
        """Most pictures from one key picture to the next, at so many a second."""
        return max(1, round(self.key_seconds * rate))

    @property
    def row(self) -> Codec:
        return CODECS[self.codec]

    @property
    def words(self) -> str:
        if self.untouched:
            return self.rate.words
        how = str(self.quality) if isinstance(self.rate, ConstantQuality) else self.rate.words
        parts = [self.row.words, *([how] if self.row.highest_quality_number or self.rate.kind != "quality" else []), self.speed_words]
        return ", ".join([" ".join(part for part in parts if part), *self._besides])

    @property
    def _besides(self) -> list[str]:
        return [
            *([f"{self.lines} lines"] if self.lines is not None else []),
            *([f"grain synthesis {self.grain}"] if self.grain else []),
        ]

    @property
    def curve(self) -> str:
        """Recipes of one curve have their codec and the size of their pictures in common, and what is done about noise."""
        return "-".join([self.codec, *([str(self.lines)] if self.lines is not None else []), *([f"g{self.grain}"] if self.grain else [])])

    @property
    def curve_words(self) -> str:
        return ", ".join([self.row.words, *self._besides])

    @property
    def speed_words(self) -> str:
        if len(self.row.speeds) == 1:
            return ""
        return f"preset {self.speed}" if self.speed.lstrip("-").isdigit() else self.speed

    @property
    def file_words(self) -> str:
        """For a file's name: codec and rate."""
        rate = self.rate
        match rate.kind:
            case "quality":
                how = str(rate.quality) if self.row.highest_quality_number else self.speed
            case "capped":
                how = f"{rate.quality}-max{rate.cap_kbps}k"
            case "average":
                how = f"{rate.kbps}k"
            case "size":
                how = f"{number_text(rate.size_bytes / 1e6)}MB"
            case "constant":
                how = f"cbr{rate.kbps}k"
            case "untouched":
                return "untouched-exact" if rate.exact else "untouched"
            case _:
                how = rate.kind
        return f"{self.codec}-{how}{f'-{self.lines}' if self.lines is not None else ''}{f'-grain{self.grain}' if self.grain else ''}"

    @property
    def sound_copied(self) -> bool:
        """Pictures are encoded, sound is the take's own packets."""
        return self.sound_codec == "source"

    @property
    def untouched(self) -> bool:
        """Nothing is encoded."""
        return isinstance(self.rate, Untouched)

    def sound_bits_per_second(self, channels: int) -> int:
        """What one sound stream is encoded at; ``channels`` are those of the source, those of the copy count."""
        return rate_of_sound(self.sound_codec, self.sound_kbps, self.channels_of(channels))

    def sound_packets(self, seconds: float) -> int:
        """How many packets a stream of that length makes."""
        return int(seconds / packet_seconds(self.sound_codec))

    def channels_of(self, channels: int) -> int:
        """How many channels are encoded of so many."""
        return min(channels, self.sound_channels) if self.sound_channels else channels

    def check(self) -> None:
        """The library ignores unknown names silently, so they are checked here. Raises WrongUseError."""
        codec, rate = self.row, self.rate
        if self.speed not in codec.speeds:
            raise WrongUseError(f"{codec.words} knows no speed {self.speed!r}.", remedy=f"Use one of: {', '.join(codec.speeds)}.")
        if rate.kind not in codec.rates:
            raise WrongUseError(f"{codec.words} cannot do this: {rate.words}.", remedy=f"It can: {', '.join(codec.rates)}.")
        if isinstance(rate, AverageRate) and rate.passes == 2 and not codec.two_passes:
            raise WrongUseError(f"{codec.words} holds an average rate in one pass.", remedy="Ask for one pass.")
        if self.quality is not None and codec.highest_quality_number:
            check_quality(codec, self.quality)
        if self.grain and not codec.makes_grain:
            raise WrongUseError(
                f"{codec.words} has no grain synthesis.",
                remedy=f"Set it to 0, or use {' or '.join(one.words for one in CODECS.values() if one.makes_grain)}.",
            )
        if self.container not in codec.containers:
            raise WrongUseError(
                f"{codec.words} is not put into {self.container.upper()} files.",
                remedy=f"Use {' or '.join(kind.upper() for kind in codec.containers)}.",
            )
        if self.codec_level is not None and self.codec_level not in [one.name for one in LEVELS.get(self.codec, ())]:
            raise WrongUseError(f"{codec.words} has no level {self.codec_level!r}.", remedy="Leave the level out, or write it as 4.1.")
        if self.untouched:
            return
        sound = SOUND_CODECS[self.sound_codec]
        if self.container not in sound.containers:
            raise WrongUseError(
                f"{sound.words} sound is not put into {self.container.upper()} files.",
                remedy=f"Use {' or '.join(kind.upper() for kind in sound.containers)}, or another sound codec.",
            )


def check_quality(codec: Codec, quality: int) -> None:
    """Raises WrongUseError for a constant-quality value that the codec does not know."""
    if not codec.highest_quality_number:
        raise WrongUseError(f"{codec.words} has no quality values.", remedy=f"It can: {', '.join(codec.rates)}.")
    if not 0 <= quality <= codec.highest_quality_number:
        raise WrongUseError(
            f"{codec.words} knows quality 0 to {codec.highest_quality_number}, not {quality}.", remedy="Smaller numbers look better."
        )


def codec_named(name: str) -> Codec:
    """The row of a codec that a person named; raises WrongUseError for what does not exist."""
    if name not in CODECS:
        raise WrongUseError(f"There is no codec {name!r} here.", remedy=f"Use one of: {', '.join(CODECS)}.")
    return CODECS[name]


def recipe_for(codec: str, quality: int, *, speed: str | None = None, container: str | None = None, sound: str = "aac") -> Recipe:
    """A recipe of constant quality from what a person named; raises WrongUseError for what does not exist."""
    row = codec_named(codec)
    check_quality(row, quality)
    return recipe_with(row, ConstantQuality(quality=quality), speed=speed, container=container, sound=sound)


def recipe_with(codec: Codec, rate: Rate, *, speed: str | None = None, container: str | None = None, sound: str = "aac") -> Recipe:
    """A recipe of any rate; raises WrongUseError for what does not go together."""
    recipe = Recipe(
        codec=codec.key, rate=rate, speed=speed or codec.speed_at("medium"),
        container=container or codec.containers[0],  # type: ignore[arg-type]
        sound_codec=sound,  # type: ignore[arg-type]
    )  # fmt: skip
    recipe.check()
    return recipe


def is_wide_range(*, transfer: int, bit_depth: int) -> bool:
    """Whether pictures need more than 8 bits of a copy."""
    return transfer in WIDE_RANGE and bit_depth > 8


def usual_recipes(
    *, fields: bool, effort: Effort = "medium", transfer: int = 2, bit_depth: int = 8, codecs: Sequence[Codec] = tuple(TRIED.values()),
    lines: int = 0,
) -> list[Recipe]:
    """The recipes tried at an effort, of ``codecs``: for pictures with fields, only of those that can say so; for wide-range ones, only
    of those that hold them. ``lines``: of the pictures; where they are many, fewer are tried too."""
    deep = is_wide_range(transfer=transfer, bit_depth=bit_depth)
    tried = [
        codec for codec in codecs
        if (codec.carries_fields or not fields) and (not deep or codec.pixel_formats[1] != codec.pixel_formats[0] or codec in _ALWAYS_DEEP)
    ]  # fmt: skip
    by_quality = [recipe_for(codec.key, quality, speed=codec.speed_at(effort)) for codec in tried for quality in codec.probes]
    smaller = round(_SMALLER * lines / 16) * 16 if lines >= _LEAST_LINES and not fields else None
    by_size = [
        one.model_copy(update={"lines": smaller}) for one in by_quality
        if smaller is not None and one.row.worth_shrinking and one.quality != one.row.probes[0]
    ]  # fmt: skip
    return by_quality + by_size + [_by_preset(codec, preset) for codec in tried for preset in codec.worth_trying]


def _by_preset(codec: Codec, preset: str) -> Recipe:
    """Of a codec whose presets rule the size; with sound that its container takes."""
    rate = Lossless() if codec.rates == ("lossless",) else ConstantQuality(quality=0)
    sound = next(key for key, row in ENCODED.items() if codec.containers[0] in row.containers and row.lossless_share is not None)
    return recipe_with(codec, rate, speed=preset, sound=sound)


def effort_of(recipe: Recipe) -> Effort | None:
    """The key of ``EFFORTS`` that a recipe's preset stands for, None for a preset chosen by name and where it rules the size."""
    presets = recipe.row.presets if recipe.row.probes and len(recipe.row.speeds) > 1 else ()
    return list(EFFORTS)[presets.index(recipe.speed)] if recipe.speed in presets else None


def overhead_bytes(recipe: Recipe, *, frames: int, sound_packets: int) -> int:
    """What a file holds besides its streams: headers, and an index entry and framing for each packet (MP4: sizes, offsets, sample
    tables). Measured on files of 25 to 1500 frames."""
    once, each = (700, 7) if recipe.container == "mkv" else (1700, 9)
    return once + recipe.row.header_bytes + each * (frames + sound_packets)
