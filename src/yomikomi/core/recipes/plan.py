"""What an encoder is told for a recipe."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.levels import held_pictures, level_kbps
from yomikomi.core.recipes.rates import BUFFER_SECONDS, CappedQuality, ConstantRate, Lossless
from yomikomi.core.recipes.recipe import WIDE_RANGE, Recipe

if TYPE_CHECKING:  # the window's first picture needs the tables, and nothing that decodes
    import av

    from yomikomi.core.reading.models import Reading
    from yomikomi.core.treatment.format import PictureFormat

# Profiles of VC-3's form for any size, by the library's names.
_VC3 = {"lb": "dnxhr_lb", "sq": "dnxhr_sq", "hq": "dnxhr_hq"}
# Pictures that others lean on, by x264's presets (its own list of presets; from memory).
_X264_REFERENCES = {
    "veryslow": 16, "slower": 8, "slow": 5, "medium": 3, "fast": 2, "faster": 2, "veryfast": 1, "superfast": 1, "ultrafast": 1,
}  # fmt: skip
# Encoders that keep a cap (AV1's does not, see codecs.py).
_LEVELLED = {"h264", "hevc"}
# Sample formats that FFV1 keeps as they are.
_KEPT = {f"yuv{shape}p{depth}" for shape in ("420", "422", "444") for depth in ("", "10le")}


@dataclass(frozen=True)
class EncoderPlan:
    """How an encoder is set up.

    Parameters
    ----------
    passes : over the whole take.
    options : by the library's names, the same in every pass.
    params : of x264, x265 or SVT-AV1 itself, joined into one option. ``flags``: of the library.
    bit_rate : bits a second on average, None where something else rules.
    """

    encoder: str
    passes: int
    options: dict[str, str]
    params: dict[str, str] = field(default_factory=dict)
    flags: tuple[str, ...] = ()
    bit_rate: int | None = None

    def in_pass(self, number: int, stats: Path | None) -> dict[str, str]:
        """Options of a pass, counted from 1; ``stats``: file in which the first leaves what the second needs."""
        options, params, flags = dict(self.options), dict(self.params), list(self.flags)
        if self.passes > 1 and stats is not None:
            if self.encoder == "libx265":
                params |= {"pass": str(number), "stats": str(stats)}
            else:
                flags.append(f"pass{number}")
                options["stats"] = str(stats)
        if flags:
            options["flags"] = "".join(f"+{flag}" for flag in flags)
        name = {"libx264": "x264-params", "libx265": "x265-params", "libsvtav1": "svtav1-params"}.get(self.encoder)
        if name and params:
            options[name] = ":".join(f"{key}={value}" for key, value in params.items())
        return options


def pixel_format_for(recipe: Recipe, *, bit_depth: int, source: str = "") -> str:
    """8 bits for 8-bit sources, and for H.264 always: few players read it deeper (common practice, no source). FFV1 keeps what the
    ``source`` has."""
    if recipe.codec == "ffv1" and source in _KEPT:
        return source
    if recipe.codec == "rdd36" and recipe.speed == "4444":
        return "yuv444p10le"
    return recipe.row.pixel_formats[1 if bit_depth > 8 else 0]


def pixel_format_of(recipe: Recipe, reading: Reading) -> str:
    """Of a take's pictures for a recipe's encoder."""
    return pixel_format_for(recipe, bit_depth=reading.bit_depth, source=reading.pixel_format)


# The library would cut each picture into as many slices as there are processors: 2 % more bytes on two, 12 to 18 % on eight, never twice
# the same. Several pictures at once cost nothing, and with a fixed number come out alike on every machine (docs/science.md). Small pictures
# are not worth as many. A rate that is never to be exceeded is kept with slices alone: pictures that are encoded at once do not know what
# the others take of the buffer.
_H264_THREADS, _LINES_EACH = 8, 60


def plan_for(recipe: Recipe, treated: PictureFormat, *, kbps: int | None = None, quality: float | None = None) -> EncoderPlan:
    """``kbps``, ``quality``: what an average or a target size comes to for the pictures, in place of the recipe's own figure. Raises
    WrongUseError for pictures that the codec cannot take."""
    _check_pictures(recipe, treated)
    codec, rate = recipe.codec, recipe.rate
    options, params, flags = _FIXED[codec](recipe, treated)
    if len(recipe.row.speeds) > 1 and codec not in _PROFILES:
        options["preset"] = recipe.speed
    bits, passes = None, 1
    if rate.kind in {"quality", "capped"} or quality is not None:
        options |= _quality(recipe, quality)
        params |= _fine_quality(quality)
        flags += ["qscale"] if codec == "mpeg2" else []
    most = most_kbps(recipe)
    if most is not None:
        options |= {"maxrate": str(1000 * most), "bufsize": str(1000 * most * BUFFER_SECONDS)}
    if rate.kind == "average":
        bits, passes = 1000 * (kbps or rate.kbps), rate.passes if recipe.row.two_passes else 1
    elif rate.kind == "size" and quality is None:
        bits, passes = 1000 * kbps if kbps else None, 2 if recipe.row.two_passes else 1
    elif rate.kind == "constant":
        bits = 1000 * rate.kbps
        options |= {"minrate": str(bits), "maxrate": str(bits), "bufsize": str(bits * BUFFER_SECONDS)}
        params |= {"nal-hrd": "cbr"} if codec == "h264" else {}
    elif rate.kind == "lossless":
        options |= {"qp": "0"} if codec == "h264" else {}
        params |= {"lossless": "1"} if codec == "hevc" else {}
    return EncoderPlan(recipe.row.encoder, passes, options, params, tuple(flags), bits)


_Told = tuple[dict[str, str], dict[str, str], list[str]]


def _h264(recipe: Recipe, treated: PictureFormat) -> _Told:
    params = {treated.field_order.value: "1"} if treated.field_order is not None else {}
    if recipe.codec_level is not None:
        # It writes the level that it is told whatever the stream needs, so the pictures it leans on are kept to what the level holds.
        held = held_pictures(recipe.codec_level, width=treated.geometry.width, height=treated.geometry.height)
        params |= {"level": recipe.codec_level, "ref": str(max(1, min(held, _X264_REFERENCES[recipe.speed])))}
    return {}, params, []


def _hevc(recipe: Recipe, treated: PictureFormat) -> _Told:
    level = {"level-idc": recipe.codec_level, "high-tier": "0"} if recipe.codec_level is not None else {}
    return {}, {"log-level": "none", **level}, []


def _av1(recipe: Recipe, treated: PictureFormat) -> _Told:
    # Noise is taken out before it is encoded, and described for players to make anew.
    return {}, {"film-grain": str(recipe.grain), "film-grain-denoise": "1"} if recipe.grain else {}, []


def _mpeg2(recipe: Recipe, treated: PictureFormat) -> _Told:
    return {}, {}, ["ildct", "ilme"] if treated.interlaced else []


def _ffv1(recipe: Recipe, treated: PictureFormat) -> _Told:
    # Version 3 with a checksum for each slice: damage is found, and stays where it is (RFC 9043).
    return {"level": "3", "slicecrc": "1", "slices": "4", "g": "1"}, {}, []


def _rdd36(recipe: Recipe, treated: PictureFormat) -> _Told:
    return {"profile": recipe.speed}, {}, ["ildct"] if treated.interlaced else []


def _vc3(recipe: Recipe, treated: PictureFormat) -> _Told:
    return {"profile": _VC3[recipe.speed]}, {}, []


# What each codec is told whatever rules its rate: options, parameters, flags.
_FIXED: dict[str, Callable[[Recipe, PictureFormat], _Told]] = {
    "h264": _h264, "hevc": _hevc, "av1": _av1, "mpeg2": _mpeg2, "ffv1": _ffv1, "rdd36": _rdd36, "vc3": _vc3,
}  # fmt: skip
# Codecs whose "speed" is a profile.
_PROFILES = {"rdd36", "vc3"}


def most_kbps(recipe: Recipe) -> int | None:
    """What is not exceeded over a second: by the recipe's own word, or by what its level allows."""
    rate = recipe.rate
    most = [rate.cap_kbps] if isinstance(rate, CappedQuality) else []
    if recipe.codec_level is not None and recipe.codec in _LEVELLED and not isinstance(rate, ConstantRate | Lossless):
        most.append(int(level_kbps(recipe.codec, recipe.codec_level)))
    return min(most, default=None)


def _fine_quality(quality: float | None) -> dict[str, str]:
    """Quarters of a step, which SVT-AV1 takes among its own parameters only."""
    return {"crf": f"{quality:g}"} if quality is not None else {}


def _quality(recipe: Recipe, found: float | None) -> dict[str, str]:
    if found is not None:
        return {"crf": str(round(found))}
    if recipe.codec == "mpeg2":
        # A quantiser for all pictures; the library counts it in steps of its own (FF_QP2LAMBDA, 118).
        return {"global_quality": str(118 * max(1, recipe.level))}
    return {"crf": str(recipe.quality)} if recipe.row.highest_quality_number else {}


def set_up(context: av.VideoCodecContext, recipe: Recipe, treated: PictureFormat, plan: EncoderPlan, options: dict[str, str]) -> None:
    """Put a plan on a codec context that is not yet open; ``options``: those of the pass."""
    shape = treated.geometry
    context.width, context.height, context.pix_fmt = shape.width, shape.height, treated.pixel_format
    context.sample_aspect_ratio = shape.sample_aspect
    context.framerate = treated.rate
    context.time_base = 1 / treated.rate
    context.gop_size = recipe.key_distance(treated.rate)
    if recipe.codec == "h264" and "maxrate" not in plan.options:
        context.thread_type, context.thread_count = "FRAME", max(1, min(_H264_THREADS, shape.height // _LINES_EACH))
    if plan.bit_rate is not None:
        context.bit_rate = plan.bit_rate
    treated.colour.put_on(context)
    context.options = options


def _check_pictures(recipe: Recipe, treated: PictureFormat) -> None:
    codec, shape = recipe.row, treated.geometry
    if treated.field_order is not None and not codec.carries_fields:
        raise WrongUseError(
            f"{codec.words} cannot mark fields, so players would show combing.",
            remedy="Deinterlace, or take H.264.",
        )
    if not codec.least <= min(shape.width, shape.height) <= max(shape.width, shape.height) <= codec.most:
        raise WrongUseError(
            f"{codec.words} takes pictures of {codec.least} to {codec.most} samples a side, not {shape.width} × {shape.height}.",
            remedy="Take another codec; if no camera makes such pictures, the file's header is damaged.",
        )


def check_depth(recipe: Recipe, *, transfer: int, bit_depth: int) -> None:
    """Wide-range pictures of more than 8 bits are not put into 8: they would show bands, and players for 8 bits show them flat.
    Raises WrongUseError."""
    name = WIDE_RANGE.get(transfer)
    if name is not None and bit_depth > 8 and "10" not in pixel_format_for(recipe, bit_depth=bit_depth):
        raise WrongUseError(
            f"The take is {name} at {bit_depth} bits; {recipe.row.words} copies have 8 bits, which cannot hold it.",
            remedy="Use HEVC or AV1, which keep 10 bits, or convert it to BT.709 in Treatment.",
        )
