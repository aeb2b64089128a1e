"""Filters that work on red, green and blue, put between the conversions there and back."""

from __future__ import annotations

from dataclasses import replace

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters
from yomikomi.core.video.colour import ColourTags

_NAMES = {1: "bt709", 5: "bt601", 6: "bt601", 9: "bt2020"}
_FLAGS = "bicubic+accurate_rnd+full_chroma_int+full_chroma_inp"


def rgb_format(before: PictureFormat, colour: ColourTags) -> PictureFormat:
    """What comes back: 4:4:4 with 10 bits and more, since the chroma that came was as good as that. Raises WrongUseError for fields and for
    pictures of a matrix that is not known."""
    if before.interlaced:
        raise WrongUseError("Colours of fields are not converted through RGB.", remedy="Deinterlace it first, or leave the step out.")
    if before.colour.matrix not in _NAMES or colour.matrix not in _NAMES:
        raise WrongUseError("The matrix of these pictures is not one that is converted.", remedy="Leave the step out.")
    return replace(before, colour=colour, pixel_format="yuv444p10le")


def through_rgb(filters: Filters, before: PictureFormat, after: PictureFormat) -> Filters:
    given = "pc" if before.colour.range == 2 else "tv"
    made = "pc" if after.colour.range == 2 else "tv"
    return [
        ("scale", f"in_color_matrix={_NAMES[before.colour.matrix]}:in_range={given}:flags={_FLAGS}"),
        ("format", "pix_fmts=gbrp10le"),
        *filters,
        ("scale", f"out_color_matrix={_NAMES[after.colour.matrix]}:out_range={made}:flags={_FLAGS}"),
        ("format", f"pix_fmts={after.pixel_format}"),
        ("setparams", f"range={'limited' if made == 'tv' else 'full'}"),
    ]
