"""A quantity that is known only within bounds."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass


@dataclass(frozen=True)
class Span:
    """``low`` ≤ ``usual`` ≤ ``high``, in one unit; meant to hold nine times in ten."""

    low: float
    usual: float
    high: float

    @classmethod
    def exact(cls, value: float) -> Span:
        return cls(value, value, value)

    def times(self, other: Span) -> Span:
        """A product; both quantities are positive, and taken to be high together: the careful case."""
        return Span(self.low * other.low, self.usual * other.usual, self.high * other.high)

    def over(self, other: Span) -> Span:
        """A quotient of positive quantities: the least is the low one over the high one."""
        return Span(self.low / other.high, self.usual / other.usual, self.high / other.low)

    def scaled(self, factor: float) -> Span:
        return Span(self.low * factor, self.usual * factor, self.high * factor)


def total(spans: Iterable[Span]) -> Span:
    """The sum of quantities that err independently: deviations add as the root of their squares.

    Source: propagation of uncertainty for uncorrelated inputs, JCGM 100 (GUM), 5.1.2.
    """
    usual, below, above = 0.0, 0.0, 0.0
    for span in spans:
        usual += span.usual
        below += (span.usual - span.low) ** 2
        above += (span.high - span.usual) ** 2
    return Span(max(0.0, usual - math.sqrt(below)), usual, usual + math.sqrt(above))
