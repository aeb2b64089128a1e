"""The levels of H.264, HEVC and AV1: what a decoder of each must manage.

Sources, all from memory: ITU-T H.264, table A-1 (High profile: bit rate and buffer 1.25 times, table A-2); ITU-T H.265, tables A.8 and A.9
(main tier); AV1 Bitstream & Decoding Process Specification, A.3 (main tier). Checked by tests against the standards' own examples of sizes.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True)
class Level:
    """``name``: as people say it; ``picture``: most luma samples of a picture (H.264: macroblocks); ``second``: the same a second;
    ``kbps``: most bits a second in thousands; ``held``: of H.264, macroblocks of decoded pictures kept for others to lean on."""

    name: str
    picture: int
    second: int
    kbps: int
    held: int = 0


# Level, macroblocks a second, a picture, held, kb/s (Baseline, Main).
_H264 = (
    ("1", 1485, 99, 396, 64), ("1.1", 3000, 396, 900, 192), ("1.2", 6000, 396, 2376, 384), ("1.3", 11_880, 396, 2376, 768),
    ("2", 11_880, 396, 2376, 2000), ("2.1", 19_800, 792, 4752, 4000), ("2.2", 20_250, 1620, 8100, 4000),
    ("3", 40_500, 1620, 8100, 10_000), ("3.1", 108_000, 3600, 18_000, 14_000), ("3.2", 216_000, 5120, 20_480, 20_000),
    ("4", 245_760, 8192, 32_768, 20_000), ("4.1", 245_760, 8192, 32_768, 50_000), ("4.2", 522_240, 8704, 34_816, 50_000),
    ("5", 589_824, 22_080, 110_400, 135_000), ("5.1", 983_040, 36_864, 184_320, 240_000), ("5.2", 2_073_600, 36_864, 184_320, 240_000),
    ("6", 4_177_920, 139_264, 696_320, 240_000), ("6.1", 8_355_840, 139_264, 696_320, 480_000),
    ("6.2", 16_711_680, 139_264, 696_320, 800_000),
)  # fmt: skip
# Level, luma samples a picture, a second, kb/s.
_HEVC = (
    ("1", 36_864, 552_960, 128), ("2", 122_880, 3_686_400, 1500), ("2.1", 245_760, 7_372_800, 3000), ("3", 552_960, 16_588_800, 6000),
    ("3.1", 983_040, 33_177_600, 10_000), ("4", 2_228_224, 66_846_720, 12_000), ("4.1", 2_228_224, 133_693_440, 20_000),
    ("5", 8_912_896, 267_386_880, 25_000), ("5.1", 8_912_896, 534_773_760, 40_000), ("5.2", 8_912_896, 1_069_547_520, 60_000),
    ("6", 35_651_584, 1_069_547_520, 60_000), ("6.1", 35_651_584, 2_139_095_040, 120_000), ("6.2", 35_651_584, 4_278_190_080, 240_000),
)  # fmt: skip
_AV1 = (
    ("2.0", 147_456, 4_423_680, 1500), ("2.1", 278_784, 8_363_520, 3000), ("3.0", 665_856, 19_975_680, 6000),
    ("3.1", 1_065_024, 31_950_720, 10_000), ("4.0", 2_359_296, 70_778_880, 12_000), ("4.1", 2_359_296, 141_557_760, 20_000),
    ("5.0", 8_912_896, 267_386_880, 30_000), ("5.1", 8_912_896, 534_773_760, 40_000), ("5.2", 8_912_896, 1_069_547_520, 60_000),
    ("5.3", 8_912_896, 1_069_547_520, 60_000), ("6.0", 35_651_584, 1_069_547_520, 60_000), ("6.1", 35_651_584, 2_139_095_040, 100_000),
    ("6.2", 35_651_584, 4_278_190_080, 160_000), ("6.3", 35_651_584, 4_278_190_080, 160_000),
)  # fmt: skip

LEVELS: dict[str, tuple[Level, ...]] = {
    "h264": tuple(Level(name, picture, second, kbps, held) for name, second, picture, held, kbps in _H264),
    "hevc": tuple(Level(*row) for row in _HEVC),
    "av1": tuple(Level(*row) for row in _AV1),
}
# H.264's High profile may take so many times the bits of Baseline and Main.
_HIGH = 1.25


def least_level(
    codec: str, *, width: int, height: int, rate: Fraction, kbps: float = 0.0, held_pictures: int = 0, high: bool = True
) -> Level | None:
    """The lowest level that pictures fit into; None where no level holds them.

    ``kbps``: of the hardest second; ``held_pictures``: that others lean on, of H.264; ``high``: its High profile.
    """
    if codec == "h264":
        each = math.ceil(width / 16) * math.ceil(height / 16)
        longest = max(math.ceil(width / 16), math.ceil(height / 16))
    else:
        each, longest = width * height, max(width, height)
    for level in LEVELS[codec]:
        # A side may be as long as a picture of 8 to 1 of the largest area (the same in all three).
        fits = each <= level.picture and longest <= math.sqrt(8 * level.picture) and each * rate <= level.second
        bits = kbps <= level_kbps(codec, level.name, high=high)
        if fits and bits and (codec != "h264" or held_pictures * each <= level.held):
            return level
    return None


def level_kbps(codec: str, name: str, *, high: bool = True) -> float:
    """Bits a second in thousands that a level allows."""
    level = next(one for one in LEVELS[codec] if one.name == name)
    return level.kbps * (_HIGH if codec == "h264" and high else 1.0)


def held_pictures(name: str, *, width: int, height: int) -> int:
    """Decoded pictures of this size that an H.264 level keeps for others to lean on, 16 at most (A.3.1)."""
    level = next(one for one in LEVELS["h264"] if one.name == name)
    return min(16, level.held // (math.ceil(width / 16) * math.ceil(height / 16)))


def exceeds(codec: str, needed: Level | None, highest: str) -> bool:
    """Whether pictures need more than a level of this name; ``needed``: theirs, None where no level holds them."""
    return needed is None or rank(codec, needed.name) > rank(codec, highest)


def rank(codec: str, name: str) -> int:
    """Place of a level among those of its codec; raises ValueError for one that there is not."""
    return [one.name for one in LEVELS[codec]].index(name)
