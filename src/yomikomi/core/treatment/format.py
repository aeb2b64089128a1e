"""What pictures are at a place of the chain."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction

import av

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.standards import FieldOrder


@dataclass(frozen=True)
class PictureFormat:
    """Parameters
    ----------
    geometry : storage size in samples, and the shape of one.
    rate : frames a second, exact.
    pixel_format : the library's name of how samples are stored.
    field_order : of interlaced frames; None: progressive.
    """

    geometry: Geometry
    rate: Fraction
    pixel_format: str
    colour: ColourTags
    field_order: FieldOrder | None = None

    @property
    def interlaced(self) -> bool:
        return self.field_order is not None

    @property
    def bits(self) -> int:
        """Of a sample."""
        return int(av.VideoFormat(self.pixel_format, 16, 16).components[0].bits)

    @property
    def line_grid(self) -> int:
        """Lines come and go by so many at once: as 4:2:0 wants it, in interlaced frames in each field."""
        return 4 if self.interlaced else 2

    @property
    def progressive(self) -> PictureFormat:
        """The same, taken for whole pictures."""
        return replace(self, field_order=None)


def source_format(reading: Reading, *, turned: bool = True) -> PictureFormat:
    """What is decoded of a take; ``turned``: as it is shown, where it was recorded sideways. Its field order is what the reading found,
    or a person said."""
    shape, tags = reading.geometry, reading.colour
    geometry = Geometry(shape.width, shape.height, Fraction(shape.sample_aspect))
    colour = ColourTags(tags.primaries, tags.transfer, tags.matrix, tags.range).or_usual_for(width=shape.width, height=shape.height)
    order = FieldOrder(reading.scan.field_order) if reading.scan.field_order else None
    seen = geometry.turned(reading.rotation) if turned else geometry
    return PictureFormat(seen, Fraction(reading.rate.nominal), reading.pixel_format, colour, order)
