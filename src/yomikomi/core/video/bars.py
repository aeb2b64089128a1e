"""Colour bars: what the samples must be, by the standards' own arithmetic.

Source: ITU-R BT.601-7 (SD) and BT.709-6 (HD): E′Y = Kr·R′ + Kg·G′ + Kb·B′; codes Y = 16 + 219·E′Y, C = 128 + 224·E′C. Bars of
100/0/75/0: white at 100 %, colours at 75 % (ITU-R BT.471).
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

# (Kr, Kb) of the two standards.
BT601_WEIGHTS = (Fraction(299, 1000), Fraction(114, 1000))
BT709_WEIGHTS = (Fraction(2126, 10_000), Fraction(722, 10_000))

# Name, and whether red, green and blue are on.
_BARS = (
    ("white", 1, 1, 1), ("yellow", 1, 1, 0), ("cyan", 0, 1, 1), ("green", 0, 1, 0),
    ("magenta", 1, 0, 1), ("red", 1, 0, 0), ("blue", 0, 0, 1), ("black", 0, 0, 0),
)  # fmt: skip


@dataclass(frozen=True)
class Bar:
    """One bar of the eight: its codes of 8 bits, limited range, before rounding."""

    name: str
    y: float
    cb: float
    cr: float

    @property
    def codes(self) -> tuple[int, int, int]:
        return round(self.y), round(self.cb), round(self.cr)


def colour_bars(weights: tuple[Fraction, Fraction] = BT601_WEIGHTS, *, colour_level: Fraction = Fraction(3, 4)) -> tuple[Bar, ...]:
    """The eight bars from white to black."""
    bars = []
    for name, red, green, blue in _BARS:
        level = Fraction(1) if name == "white" else colour_level
        bars.append(_bar(name, red * level, green * level, blue * level, weights))
    return tuple(bars)


def _bar(name: str, red: Fraction, green: Fraction, blue: Fraction, weights: tuple[Fraction, Fraction]) -> Bar:
    kr, kb = weights
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    cb, cr = (blue - luma) / (2 * (1 - kb)), (red - luma) / (2 * (1 - kr))
    return Bar(name, float(16 + 219 * luma), float(128 + 224 * cb), float(128 + 224 * cr))
