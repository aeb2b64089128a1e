"""Codecs, and recipes: complete sets of encode settings. To add a codec, add a row to ``CODECS``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import WrongUseError
from yomikomi.core.video.colour import HLG, PQ

if TYPE_CHECKING:  # the window's first picture needs the table of codecs, and nothing that decodes
    import av

    from yomikomi.core.treatment.format import PictureFormat

# Longest distance between key frames: seeking stays quick, and size hardly depends on it (common practice, no source).
_KEY_SECONDS = 5


Effort = Literal["high", "medium", "low"]


@dataclass(frozen=True)
class Codec:
    """One row of the table.

    Parameters
    ----------
    probes : constant-quality values that are tried, from the best to the smallest worth looking at; what lies between is
        interpolated (four hold nearly all sizes within 5 %, docs/science.md).
    speeds : presets from slow to quick. ``presets``: which of them stands for high, medium and low effort.
    least, most : samples of a side that the encoder takes; outside of these it fails, or never comes back (measured: AV1 at 16 x 4000).
    carries_fields : can be told that its pictures are interlaced.
    """

    key: str
    words: str
    encoder: str
    decoder: str
    probes: tuple[int, ...]
    speeds: tuple[str, ...]
    presets: tuple[str, str, str]
    carries_fields: bool
    highest_quality_number: int
    options: Callable[[Recipe, PictureFormat], dict[str, str]]
    least: int = 16
    most: int = 8192

    def speed_at(self, effort: Effort) -> str:
        """The preset for a key of ``EFFORTS``."""
        return self.presets[list(EFFORTS).index(effort)]


# How much time encoders take, for people who do not want to know preset names.
EFFORTS: dict[Effort, str] = {"high": "high: smaller files, slower", "medium": "medium", "low": "low: larger files, faster"}


class Recipe(BaseModel):
    """A complete set of encode settings."""

    model_config = ConfigDict(frozen=True)

    codec: Literal["h264", "hevc", "av1"]
    quality: int = Field(description="constant-quality value; smaller is better and larger in bytes", ge=0, le=63)
    speed: str
    container: Literal["mp4", "mkv"] = "mp4"
    sound_codec: Literal["aac", "opus"] = "aac"
    sound_kbps: int = Field(default=160, ge=32, le=512, description="per stream, for two channels; one channel takes half")

    @property
    def words(self) -> str:
        return f"{CODECS[self.codec].words} {self.quality} {self.speed_words}"

    @property
    def speed_words(self) -> str:
        return f"preset {self.speed}" if self.speed.lstrip("-").isdigit() else self.speed

    def check(self) -> None:
        """The library ignores unknown names silently, so they are checked here. Raises WrongUseError."""
        codec = CODECS[self.codec]
        if self.speed not in codec.speeds:
            raise WrongUseError(f"{codec.words} knows no speed {self.speed!r}.", remedy=f"Use one of: {', '.join(codec.speeds)}.")
        if self.quality > codec.highest_quality_number:
            raise WrongUseError(
                f"{codec.words} knows quality 0 to {codec.highest_quality_number}, not {self.quality}.",
                remedy="Smaller numbers look better.",
            )


def recipe_for(codec: str, quality: int, *, speed: str | None = None, container: str = "mp4", sound: str = "aac") -> Recipe:
    """A recipe from what a person named; raises WrongUseError for what does not exist."""
    if codec not in CODECS:
        raise WrongUseError(f"There is no codec {codec!r} here.", remedy=f"Use one of: {', '.join(CODECS)}.")
    if quality < 0 or quality > CODECS[codec].highest_quality_number:
        raise WrongUseError(
            f"{CODECS[codec].words} knows quality 0 to {CODECS[codec].highest_quality_number}, not {quality}.",
            remedy="Smaller numbers look better.",
        )
    recipe = Recipe(
        codec=codec,  # type: ignore[arg-type]
        quality=quality,
        speed=speed or CODECS[codec].speed_at("medium"),
        container=container,  # type: ignore[arg-type]
        sound_codec=sound,  # type: ignore[arg-type]
    )
    recipe.check()
    return recipe


def _h264(recipe: Recipe, treated: PictureFormat) -> dict[str, str]:
    options = {"preset": recipe.speed, "crf": str(recipe.quality)}
    if treated.field_order is not None:
        options["x264-params"] = f"{treated.field_order.value}=1"
    return options


def _hevc(recipe: Recipe, treated: PictureFormat) -> dict[str, str]:
    return {"preset": recipe.speed, "crf": str(recipe.quality), "x265-params": "log-level=none"}


def _av1(recipe: Recipe, treated: PictureFormat) -> dict[str, str]:
    return {"preset": recipe.speed, "crf": str(recipe.quality)}


_X26X = ("veryslow", "slower", "slow", "medium", "fast", "faster", "veryfast", "superfast", "ultrafast")

CODECS: dict[str, Codec] = {
    codec.key: codec
    for codec in (
        Codec("h264", "H.264", "libx264", "h264", (17, 20, 24, 29), _X26X, ("slow", "faster", "superfast"), True, 51, _h264),
        Codec("hevc", "HEVC", "libx265", "hevc", (19, 22, 26, 32), _X26X, ("medium", "veryfast", "superfast"), False, 51, _hevc),
        Codec(
            "av1", "AV1", "libsvtav1", "libdav1d", (16, 28, 36, 48),
            tuple(str(n) for n in range(2, 13)), ("6", "9", "11"), False, 63, _av1, least=64,
        ),
    )
}  # fmt: skip


def usual_recipes(*, fields: bool, effort: Effort = "medium", transfer: int = 2, bit_depth: int = 8) -> list[Recipe]:
    """The recipes tried at an effort: for pictures with fields, only codecs that can say so; for wide-range ones, only codecs
    that hold them."""
    deep = transfer in WIDE_RANGE and bit_depth > 8
    return [
        recipe_for(codec.key, quality, speed=codec.speed_at(effort))
        for codec in CODECS.values()
        if (codec.carries_fields or not fields) and (not deep or pixel_format_for(codec.key, bit_depth=bit_depth) != "yuv420p")
        for quality in codec.probes
    ]


def effort_of(recipe: Recipe) -> Effort | None:
    """The key of ``EFFORTS`` that a recipe's preset stands for, None for a preset chosen by name."""
    presets = CODECS[recipe.codec].presets
    return list(EFFORTS)[presets.index(recipe.speed)] if recipe.speed in presets else None


def pixel_format_for(codec: str, *, bit_depth: int) -> str:
    """8 bits for 8-bit sources, and for H.264 always: few players read it deeper (common practice, no source)."""
    return "yuv420p10le" if bit_depth > 8 and codec != "h264" else "yuv420p"


def set_up(context: av.VideoCodecContext, recipe: Recipe, treated: PictureFormat) -> None:
    """Put a recipe on a codec context that is not yet open."""
    codec = CODECS[recipe.codec]
    if treated.field_order is not None and not codec.carries_fields:
        raise WrongUseError(
            f"{codec.words} cannot mark fields, so players would show combing.",
            remedy="Deinterlace, or take H.264.",
        )
    shape = treated.geometry
    if not codec.least <= min(shape.width, shape.height) <= max(shape.width, shape.height) <= codec.most:
        raise WrongUseError(
            f"{codec.words} takes pictures of {codec.least} to {codec.most} samples a side, not {shape.width} × {shape.height}.",
            remedy="Take another codec; if no camera makes such pictures, the file's header is damaged.",
        )
    context.width, context.height, context.pix_fmt = shape.width, shape.height, treated.pixel_format
    context.sample_aspect_ratio = shape.sample_aspect
    context.framerate = treated.rate
    context.time_base = 1 / treated.rate
    context.gop_size = round(_KEY_SECONDS * treated.rate)
    treated.colour.put_on(context)
    context.options = codec.options(recipe, treated)


_LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1"}


def sound_layout(channels: int) -> tuple[str, int]:
    """The channels that a copy of a stream gets, by name and number: those of the source where players know them, else two."""
    kept = channels if channels in _LAYOUTS else 2
    return _LAYOUTS[kept], kept


def sound_bits_per_second(recipe: Recipe, channels: int) -> int:
    """What one sound stream is encoded at: the recipe's rate for a pair, half for one, half as much again for each pair more.

    ``channels`` are those of the source; those of the copy count (:func:`sound_layout`).
    """
    return recipe.sound_kbps * 500 * sound_layout(channels)[1]


# AVColorTransferCharacteristic of wide-range pictures: PQ (SMPTE ST 2084) and HLG (ARIB STD-B67), by their numbers in ITU-T H.273.
WIDE_RANGE = {PQ: "PQ", HLG: "HLG"}


def check_depth(recipe: Recipe, *, transfer: int, bit_depth: int) -> None:
    """Wide-range pictures of more than 8 bits are not put into 8: they would show bands, and players for 8 bits show them flat.
    Raises WrongUseError."""
    name = WIDE_RANGE.get(transfer)
    if name is not None and bit_depth > 8 and pixel_format_for(recipe.codec, bit_depth=bit_depth) == "yuv420p":
        raise WrongUseError(
            f"The take is {name} at {bit_depth} bits; {CODECS[recipe.codec].words} copies have 8 bits, which cannot hold it.",
            remedy="Use HEVC or AV1, which keep 10 bits, or convert it to BT.709 in Treatment.",
        )


def overhead_bytes(*, frames: int, sound_packets: int, container: str) -> int:
    """Container overhead: an index entry and framing for each packet (MP4: sizes, offsets, sample tables; measured)."""
    each = 12 if container == "mp4" else 9
    return 1500 + each * (frames + sound_packets)
