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


def size_text(size_bytes: float) -> str:
    """Decimal units, three figures: 548 MB, 1.86 GB."""
    for unit, scale in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size_bytes >= scale * 0.9995:
            value = size_bytes / scale
            return f"{value:.2f} {unit}" if value < 9.995 else f"{value:.1f} {unit}" if value < 99.95 else f"{value:.0f} {unit}"
    return f"{size_bytes:.0f} B"


def bit_rate_text(bits_per_second: float) -> str:
    if bits_per_second >= 1e6:
        return f"{bits_per_second / 1e6:.1f} Mb/s"
    return f"{bits_per_second / 1e3:.0f} kb/s"
