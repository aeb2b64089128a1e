"""Line standards and what follows from them."""

from __future__ import annotations

import enum
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.video.colour import BT601_525, BT601_625, ColourTags


class FieldOrder(enum.StrEnum):
    """Which field of a frame was taken first."""

    TFF = "tff"
    BFF = "bff"

    @property
    def words(self) -> str:
        return "top field first" if self is FieldOrder.TFF else "bottom field first"

    @property
    def other(self) -> FieldOrder:
        return FieldOrder.BFF if self is FieldOrder.TFF else FieldOrder.TFF


@dataclass(frozen=True)
class Standard:
    """A standard of lines and rates: an analogue one as it is sampled, or what a camera or console sends.

    Parameters
    ----------
    key : short name, as in commands: ``525i``.
    width, height : storage size in samples (ITU-R BT.601: 720 samples in the active line).
    rate : frames a second; there are two fields to a frame.
    sample_aspect_4_3, sample_aspect_16_9 : pixel shape for both display shapes, the whole 720 samples shown at that
        shape, as ISO/IEC 13818-2 defines display shape for the coded frame. (The other school counts the 704 samples
        of the nominal active line only: 10:11 instead of 8:9. Players and discs follow the first.)
    """

    key: str
    width: int
    height: int
    rate: Fraction
    sample_aspect_4_3: Fraction
    sample_aspect_16_9: Fraction
    colour: ColourTags
    words: str
    interlaced: bool = True

    @property
    def field_rate(self) -> Fraction:
        return 2 * self.rate


STANDARDS: dict[str, Standard] = {
    standard.key: standard
    for standard in (
        Standard("525i", 720, 480, Fraction(30000, 1001), Fraction(8, 9), Fraction(32, 27), BT601_525, "525 lines, 29.97"),
        Standard("625i", 720, 576, Fraction(25), Fraction(16, 15), Fraction(64, 45), BT601_625, "625 lines, 25"),
    )
}
