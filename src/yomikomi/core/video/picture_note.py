"""What a container cannot say of its pictures, as one line among its tags: field order, pixel shape, colour."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.source import SourceFormat

NOTE_KEY = "picture_note"
_FORM = re.compile(r"fields=(tff|bff|progressive) pixel=(\d{1,5})/(\d{1,5}) colour=(\d{1,3})/(\d{1,3})/(\d{1,3}) range=([012])")


@dataclass(frozen=True)
class PictureNote:
    """``field_order``: tff, bff or progressive, as ``MediaInfo`` has it."""

    field_order: str
    sample_aspect: Fraction
    colour: ColourTags

    @property
    def text(self) -> str:
        aspect, c = self.sample_aspect, self.colour
        return (
            f"fields={self.field_order} pixel={aspect.numerator}/{aspect.denominator} "
            f"colour={c.primaries}/{c.transfer}/{c.matrix} range={c.range}"
        )

    @classmethod
    def of(cls, source: SourceFormat) -> PictureNote:
        return cls(source.field_order.value if source.field_order else "progressive", source.sample_aspect, source.standard.colour)

    @classmethod
    def among(cls, tags: Mapping[str, str]) -> PictureNote | None:
        """The note among a file's tags; None where there is none or it was written by somebody else."""
        found = next((_FORM.fullmatch(value) for key, value in tags.items() if key.lower() == NOTE_KEY), None)
        if found is None or "0" in {found[2], found[3]}:
            return None
        return cls(found[1], Fraction(int(found[2]), int(found[3])), ColourTags(*(int(found[n]) for n in (4, 5, 6, 7))))
