"""From the matrix of one world of sizes to that of the other: BT.601 of SD, BT.709 of HD."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step
from yomikomi.core.video.colour import BT601_525, BT601_625, BT709, ColourTags
from yomikomi.core.video.geometry import Geometry

_NAMES = {1: "bt709", 5: "bt470bg", 6: "smpte170m"}
_TO: dict[str, ColourTags] = {"BT.709": BT709, "BT.601 (525 lines)": BT601_525, "BT.601 (625 lines)": BT601_625}
_TAKEN = {f"yuv{kind}p{depth}" for kind in ("420", "422", "444") for depth in ("", "10le", "12le")}


class Matrix(Step):
    """Only the matrix changes: primaries stay what they were and stay flagged so, which every player that goes by flags shows right."""

    title: ClassVar[str] = "Matrix"

    step: Literal["matrix"] = "matrix"
    to: Literal["BT.709", "BT.601 (525 lines)", "BT.601 (625 lines)"] = "BT.709"

    def output(self, before: PictureFormat) -> PictureFormat:
        tags = before.colour
        if tags.matrix not in _NAMES:
            raise WrongUseError("Only BT.601 and BT.709 are converted into each other.", remedy="For BT.2020 use the step for PQ and HLG.")
        if before.interlaced:
            raise WrongUseError("Chroma of fields is not converted.", remedy="Deinterlace it, or keep the matrix and its flag.")
        kind = before.pixel_format if before.pixel_format in _TAKEN else "yuv444p"
        shape = before.geometry
        even = Geometry(shape.width // 2 * 2, shape.height // 2 * 2, shape.sample_aspect)
        return replace(
            before, pixel_format=kind, geometry=even, colour=ColourTags(tags.primaries, tags.transfer, _TO[self.to].matrix, tags.range)
        )

    def filters(self, before: PictureFormat) -> Filters:
        made = self.output(before)
        after = made.colour
        # The library's conversion wants even sides, whatever the chroma.
        shape = made.geometry
        even = [] if shape == before.geometry else [("crop", f"{shape.width}:{shape.height}:0:0:exact=1")]
        if after.matrix == before.colour.matrix:
            return even
        reach = "pc" if before.colour.range == 2 else "tv"
        same = "iprimaries=bt709:primaries=bt709:itrc=bt709:trc=bt709"  # told alike, so that only the matrix is at work
        kind = [] if before.pixel_format in _TAKEN else [("format", "pix_fmts=yuv444p")]
        names = f"ispace={_NAMES[before.colour.matrix]}:space={_NAMES[after.matrix]}"
        return [*even, *kind, ("colorspace", f"{names}:{same}:irange={reach}:range={reach}")]

    def words(self, before: PictureFormat) -> str:
        return f"matrix converted to {self.to}"
