"""Storage size, pixel shape, display shape."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

_NAMED_SHAPES = ((Fraction(4, 3), "4:3"), (Fraction(16, 9), "16:9"), (Fraction(3, 2), "3:2"), (Fraction(1), "1:1"))


@dataclass(frozen=True)
class Geometry:
    """Storage size in samples and the shape of one sample (width over height)."""

    width: int
    height: int
    sample_aspect: Fraction = Fraction(1)

    @property
    def display_aspect(self) -> Fraction:
        return Fraction(self.width, self.height) * self.sample_aspect

    def turned(self, rotation: int) -> Geometry:
        """As it is shown after a turn by so many degrees; a quarter turn lays it on its side."""
        return Geometry(self.height, self.width, 1 / self.sample_aspect) if rotation in {90, 270} else self

    @property
    def shape_words(self) -> str:
        for shape, name in _NAMED_SHAPES:
            if abs(float(self.display_aspect / shape) - 1) < 0.03:
                return name
        return f"{float(self.display_aspect):.2f}:1"

    def fit(self, width: int, height: int) -> tuple[int, int]:
        """Largest size in square pixels with this display shape inside a box, in whole pixels, at least 1x1."""
        shape = float(self.display_aspect)
        if width / height > shape:
            return max(1, round(height * shape)), max(1, height)
        return max(1, width), max(1, round(width / shape))
