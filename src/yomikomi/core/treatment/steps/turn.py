"""A picture that stands on its side or its head, or is seen in a mirror."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import UPSIDE_DOWN, Filters, Step

How = Literal["quarter clockwise", "half", "quarter counter-clockwise", "mirror", "upside down"]
_FILTERS: dict[str, Filters] = {
    "quarter clockwise": [("transpose", "clock")], "half": [("hflip", ""), *UPSIDE_DOWN],
    "quarter counter-clockwise": [("transpose", "cclock")], "mirror": [("hflip", "")], "upside down": UPSIDE_DOWN,
}  # fmt: skip
_WORDS = {
    "quarter clockwise": "turned a quarter clockwise", "half": "turned by half",
    "quarter counter-clockwise": "turned a quarter counter-clockwise", "mirror": "left and right mirrored",
    "upside down": "top and bottom mirrored",
}  # fmt: skip


class Turn(Step):
    """Not a sample changes its value."""

    title: ClassVar[str] = "Turn"

    step: Literal["turn"] = "turn"
    how: How

    def output(self, before: PictureFormat) -> PictureFormat:
        if before.interlaced and self.how != "mirror":
            raise WrongUseError("Fields cannot be turned: their lines would stand upright.", remedy="Deinterlace it, or leave it as it is.")
        return replace(before, geometry=before.geometry.turned(90)) if self.how.startswith("quarter") else before

    def filters(self, before: PictureFormat) -> Filters:
        return _FILTERS[self.how]

    def words(self, before: PictureFormat) -> str:
        return _WORDS[self.how]
