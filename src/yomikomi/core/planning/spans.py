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


class Sum:
    """A running sum of quantities that err independently: deviations add as the root of their squares.

    Source: propagation of uncertainty for uncorrelated inputs, JCGM 100 (GUM), 5.1.2.
    """

    def __init__(self) -> None:
        self._usual = self._below = self._above = 0.0

    def add(self, span: Span) -> None:
        self._usual += span.usual
        self._below += (span.usual - span.low) ** 2
        self._above += (span.high - span.usual) ** 2

    @property
    def span(self) -> Span:
        return Span(max(0.0, self._usual - math.sqrt(self._below)), self._usual, self._usual + math.sqrt(self._above))


def total(spans: Iterable[Span]) -> Span:
    """The sum of some quantities, as :class:`Sum` adds them."""
    summed = Sum()
    for span in spans:
        summed.add(span)
    return summed.span
