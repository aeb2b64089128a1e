"""Colour tags: what the numbers in a picture mean. They travel with the samples, nothing is guessed from a type."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

from yomikomi.core.video.bars import BT601_WEIGHTS, BT709_WEIGHTS

if TYPE_CHECKING:
    import av

# Code points of ITU-T H.273 (ISO/IEC 23091-2), as containers and codecs carry them.
UNSPECIFIED = 2
# Transfer: SMPTE ST 2084, and hybrid log-gamma of ITU-R BT.2100.
PQ, HLG = 16, 18
_MATRIX = {0: "rgb", 1: "bt709", 5: "bt470bg", 6: "smpte170m", 9: "bt2020nc"}


# Parts of red and of blue in the luma, by matrix (that of 9: ITU-R BT.2020-2).
_WEIGHTS = {
    1: BT709_WEIGHTS, 5: BT601_WEIGHTS, 6: BT601_WEIGHTS, 9: (Fraction(2627, 10_000), Fraction(593, 10_000)),
}  # fmt: skip


def weights_of(matrix: int, *, height: int) -> tuple[float, float]:
    """Parts of red and of blue in the luma, by the matrix's code point; of an unknown one what is usual for the lines of the picture."""
    red, blue = _WEIGHTS.get(matrix, _WEIGHTS[1 if height > 576 else 6])
    return float(red), float(blue)


@dataclass(frozen=True)
class ColourTags:
    """Primaries, transfer and matrix as H.273 code points; range 1 limited, 2 full, 0 unknown."""

    primaries: int = UNSPECIFIED
    transfer: int = UNSPECIFIED
    matrix: int = UNSPECIFIED
    range: int = 0

    @property
    def known(self) -> bool:
        return self.matrix not in {UNSPECIFIED} and self.primaries not in {UNSPECIFIED, 0}

    @property
    def words(self) -> str:
        matrix = _MATRIX.get(self.matrix, "not tagged")
        span = {1: "limited range", 2: "full range"}.get(self.range, "range not tagged")
        return f"{matrix}, {span}"

    def or_usual_for(self, *, width: int, height: int) -> ColourTags:
        """Fill what is missing with what is usual for the size: BT.601 for SD, BT.709 for HD (common practice)."""
        usual = BT709 if height > 576 or width > 1024 else BT601_625 if height in {576, 288} else BT601_525
        return ColourTags(
            self.primaries if self.primaries not in {UNSPECIFIED, 0} else usual.primaries,
            self.transfer if self.transfer not in {UNSPECIFIED, 0} else usual.transfer,
            self.matrix if self.matrix != UNSPECIFIED else usual.matrix,
            self.range or usual.range,
        )

    @classmethod
    def of(cls, context: av.VideoCodecContext) -> ColourTags:
        return cls(int(context.color_primaries), int(context.color_trc), int(context.colorspace), int(context.color_range))

    def put_on(self, context: av.VideoCodecContext) -> None:
        """Set on the codec context: flags on frames alone are lost on the way into the file."""
        context.color_primaries = self.primaries
        context.color_trc = self.transfer
        context.colorspace = self.matrix
        context.color_range = self.range


# Transfer 6 (SMPTE 170M) and 1 (BT.709) are the same curve; each system is tagged by its own name.
BT601_525 = ColourTags(primaries=6, transfer=6, matrix=6, range=1)
BT601_625 = ColourTags(primaries=5, transfer=6, matrix=5, range=1)
BT709 = ColourTags(primaries=1, transfer=1, matrix=1, range=1)
# Perceptual quantiser (SMPTE ST 2084, H.273 code 16) on the primaries and matrix of ITU-R BT.2020, as ITU-R BT.2100 has it.
BT2020_PQ = ColourTags(primaries=9, transfer=16, matrix=9, range=1)
