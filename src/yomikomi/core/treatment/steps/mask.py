"""Edges painted black, where cutting them off would change the size."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import NonNegativeInt

from yomikomi.core.errors import WrongUseError
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.step import Filters, Step


class Mask(Step):
    """Samples and lines of each side of the picture as it is shown that become black; even numbers, as 4:2:0 wants them."""

    title: ClassVar[str] = "Mask"

    step: Literal["mask"] = "mask"
    top: NonNegativeInt = 0
    bottom: NonNegativeInt = 0
    left: NonNegativeInt = 0
    right: NonNegativeInt = 0

    def output(self, before: PictureFormat) -> PictureFormat:
        _left, _top, width, height = self._window(before)
        if width < 2 or height < 2:
            raise WrongUseError("The mask leaves no picture.", remedy="Mask less.")
        return before

    def _window(self, before: PictureFormat) -> tuple[int, int, int, int]:
        shape, grid = before.geometry, before.line_grid
        left, top = -(-self.left // 2) * 2, -(-self.top // grid) * grid
        right, bottom = (shape.width - self.right) // 2 * 2, (shape.height - self.bottom) // grid * grid
        return left, top, right - left, bottom - top

    def filters(self, before: PictureFormat) -> Filters:
        # Cut off and put back: the library then paints the black of the frame's own range.
        left, top, width, height = self._window(before)
        shape = before.geometry
        return [("crop", f"{width}:{height}:{left}:{top}:exact=1"), ("pad", f"{shape.width}:{shape.height}:{left}:{top}:black")]

    def words(self, before: PictureFormat) -> str:
        named = zip((self.top, self.bottom, self.left, self.right), ("above", "below", "left", "right"), strict=True)
        return "masked " + (", ".join(f"{size} {place}" for size, place in named if size) or "nothing")
