"""The codecs of copies. To add one, add a row to ``CODECS`` and, where its encoder wants other options, a function of ``plan.py``."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

from yomikomi.core.recipes.rates import RateKind

Effort = Literal["high", "medium", "low"]
CodecKey = Literal["h264", "hevc", "av1", "mpeg2", "ffv1", "rdd36", "vc3", "source"]

# How much time encoders take, for people who do not want to know preset names.
EFFORTS: dict[Effort, str] = {"high": "high: smaller files, slower", "medium": "medium", "low": "low: larger files, faster"}
_VIEWING: tuple[RateKind, ...] = ("quality", "capped", "average", "size")


@dataclass(frozen=True)
class Codec:
    """One row of the table.

    Parameters
    ----------
    rates : kinds of rate that it can hold.
    containers : file kinds that it is put into, the usual one first.
    probes : constant-quality values that trials encode, from the best to the smallest worth looking at; what lies between is
        interpolated (four hold nearly all sizes within 5 %, docs/science.md). Empty: it has no curve on the plane.
    speeds : presets from slow to quick; of codecs that have none, one word. ``presets``: which of them stands for high, medium and low
        effort. ``worth_trying``: of codecs whose presets rule the size, those that trials encode where an outlet plays nothing else.
    pixel_formats : for sources of 8 bits and of more.
    highest_quality_number : the largest constant-quality value.
    carries_fields : can be told that its pictures are interlaced.
    two_passes : its average rate is hit better by a second pass.
    cut_keys : its encoder begins a key picture at a cut, not at the longest distance only.
    key_steps : by preset, pictures from one to the next that can be made a key picture as it is within a copy; of a codec that has any, no
        other preset can (measured: x265 makes a poor one in the middle of a group of B pictures, whose length is fixed in the quick
        presets only). Empty: any picture can.
    settles : pictures behind a key picture that may take more than others, to make it better still; 0: none.
    size_floor : relative half-width that no interval of a predicted size goes below, for what trials cannot see.
    asked_only : tried only where an outlet plays none of the others.
    worth_shrinking : smaller pictures may take less for the same detail (measured: H.264 at low rates, AV1 hardly; docs/science.md).
    makes_grain : can take noise out and have players make it anew.
    header_bytes : what its encoder writes of itself once, beside the pictures.
    least, most : samples of a side that the encoder takes; outside of these it fails, or never comes back (measured: AV1 at 16 x 4000).
    """

    key: CodecKey
    words: str
    encoder: str
    decoder: str
    rates: tuple[RateKind, ...]
    containers: tuple[str, ...]
    probes: tuple[int, ...] = ()
    speeds: tuple[str, ...] = ("usual",)
    presets: tuple[str, str, str] = ("usual", "usual", "usual")
    pixel_formats: tuple[str, str] = ("yuv420p", "yuv420p10le")
    highest_quality_number: int = 0
    carries_fields: bool = False
    two_passes: bool = False
    cut_keys: bool = True
    key_steps: dict[str, int] = field(default_factory=dict, hash=False)
    settles: int = 0
    size_floor: float = 0.06
    least: int = 16
    most: int = 8192
    worth_trying: tuple[str, ...] = ()
    header_bytes: int = 0
    asked_only: bool = False
    worth_shrinking: bool = False
    makes_grain: bool = False

    def speed_at(self, effort: Effort) -> str:
        """The preset for a key of ``EFFORTS``."""
        return self.presets[list(EFFORTS).index(effort)]

    def key_step(self, speed: str) -> int:
        """Every how many pictures one can be asked to be a key picture; 0: none can."""
        return self.key_steps.get(speed, 0) if self.key_steps else 1


_X26X = ("veryslow", "slower", "slow", "medium", "fast", "faster", "veryfast", "superfast", "ultrafast")
_RDD36 = ("proxy", "lt", "standard", "hq", "4444")
_VC3 = ("lb", "sq", "hq")
_TEN_422 = ("yuv422p10le", "yuv422p10le")

# AV1 has neither a cap (SVT-AV1 exceeds it: 3.7 Mb/s on average where 3 were the most, measured) nor losslessness (its own decoder refuses
# what comes out of it at some presets, measured).
CODECS: dict[str, Codec] = {
    codec.key: codec
    for codec in (
        Codec(
            "h264", "H.264", "libx264", "h264", (*_VIEWING, "constant", "lossless"), ("mp4", "mkv", "mov"), (17, 20, 24, 29), _X26X,
            ("slow", "faster", "superfast"), ("yuv420p", "yuv420p"), 51, carries_fields=True, two_passes=True,
            worth_shrinking=True,
        ),
        Codec(
            "hevc", "HEVC", "libx265", "hevc", (*_VIEWING, "lossless"), ("mp4", "mkv", "mov"), (19, 22, 26, 32), _X26X,
            ("medium", "veryfast", "superfast"), highest_quality_number=51, two_passes=True,
            key_steps={"ultrafast": 4, "superfast": 4, "veryfast": 5, "faster": 5, "fast": 5},
            header_bytes=2400,
        ),
        Codec(
            "av1", "AV1", "libsvtav1", "libdav1d", ("quality", "size"), ("mp4", "mkv"), (16, 28, 36, 48),
            tuple(str(n) for n in range(2, 13)), ("6", "9", "11"), highest_quality_number=63, cut_keys=False, settles=16, size_floor=0.1,
            least=64, makes_grain=True,
        ),
        Codec(
            "mpeg2", "MPEG-2", "mpeg2video", "mpeg2video", ("quality", "average", "constant"), ("mkv", "mp4"), (2, 4, 7, 12),
            pixel_formats=("yuv420p", "yuv420p"), highest_quality_number=31, carries_fields=True, asked_only=True,
        ),
        Codec("ffv1", "FFV1", "ffv1", "ffv1", ("lossless",), ("mkv",), worth_trying=("usual",), carries_fields=True),
        Codec(
            "rdd36", "RDD 36", "prores_ks", "prores", ("quality",), ("mov", "mkv"), speeds=_RDD36, presets=("hq", "hq", "standard"),
            worth_trying=("lt", "standard", "hq"),
            pixel_formats=_TEN_422, carries_fields=True,
        ),
        Codec(
            "vc3", "VC-3", "dnxhd", "dnxhd", ("quality",), ("mov", "mkv"), speeds=_VC3, presets=("hq", "hq", "sq"),
            worth_trying=("sq", "hq"), pixel_formats=("yuv422p", "yuv422p"), least=256,
        ),
        # The take's own streams.
        Codec("source", "untouched", "", "", ("untouched",), ("mkv", "mp4", "mov"), carries_fields=True),
    )
}  # fmt: skip
# Those that are tried wherever they play, each with a curve on the plane of size against fidelity.
TRIED = {key: codec for key, codec in CODECS.items() if codec.probes and not codec.asked_only}
