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
    sample_aspect_4_3, sample_aspect_16_9 : pixel shape for both display shapes of what was sampled from an analogue line at
        13.5 MHz (ITU-R BT.601): the picture's 4:3 (16:9) lies in 704 to 711 of the 720 samples of 525 lines and in 702 of 625,
        the rest is spare: 10:11 and 12:11 (40:33 and 16:11), the ratios of SMPTE RP 187 for 704 samples.
    file_aspect_4_3, file_aspect_16_9 : pixel shape where all 720 samples are called 4:3 (16:9), as discs do: ISO/IEC 13818-2
        gives the display shape of the whole coded picture: 8:9 and 16:15 (32:27 and 64:45).
    first_field : which field recorders give first by convention (V4L2: of M/NTSC the bottom one, of 625 lines the top one). They
        differ; the reading decides. None where there are no fields.
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
    file_aspect_4_3: Fraction = Fraction(1)
    file_aspect_16_9: Fraction = Fraction(1)
    first_field: FieldOrder | None = None

    @property
    def field_rate(self) -> Fraction:
        return 2 * self.rate


STANDARDS: dict[str, Standard] = {
    standard.key: standard
    for standard in (
        Standard(
            "525i", 720, 480, Fraction(30000, 1001), Fraction(10, 11), Fraction(40, 33), BT601_525, "525 lines, 29.97",
            file_aspect_4_3=Fraction(8, 9), file_aspect_16_9=Fraction(32, 27), first_field=FieldOrder.BFF,
        ),
        Standard(
            "625i", 720, 576, Fraction(25), Fraction(12, 11), Fraction(16, 11), BT601_625, "625 lines, 25",
            file_aspect_4_3=Fraction(16, 15), file_aspect_16_9=Fraction(64, 45), first_field=FieldOrder.TFF,
        ),
    )
}
