"""From samples to a value with its interval."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yomikomi.core.reading.models import Measured

# Half the width of a 90 % interval in standard errors of a normal distribution.
_NINETY = 1.645
# The median scatters more than the mean by this factor (asymptotic, normal samples).
_MEDIAN = 1.2533


def median_of(values: Sequence[float], unit: str, *, fewest: int = 3, bias: float = 0.0) -> Measured | None:
    """Median, and the interval that holds it nine times in ten; None for too few samples.

    ``bias``: part of the value by which the measure was found to be off all alike, which no number of samples takes away.

    The scatter is told by the median absolute deviation, so that a few odd samples neither move nor widen it.
    """
    if len(values) < fewest:
        return None
    data = np.asarray(values, float)
    middle = float(np.median(data))
    scatter = 1.4826 * float(np.median(np.abs(data - middle)))
    half = _NINETY * _MEDIAN * scatter / np.sqrt(len(data)) + bias * abs(middle)
    return Measured(value=round(middle, 4), low=round(middle - half, 4), high=round(middle + half, 4), unit=unit, samples=len(data))


def rate_of(count: int, seconds: float, unit: str) -> Measured | None:
    """Events a unit of time with the 90 % interval of a Poisson count; None where nothing was watched.

    Source: the chi-square form of the exact interval, Garwood, Biometrika 28 (1936) (from memory).
    """
    if seconds <= 0:
        return None
    from scipy.special import gammaincinv  # the quantile of chi-square with 2k degrees, halved; scipy.stats takes half a second to load

    low = float(gammaincinv(count, 0.05)) if count else 0.0
    high = float(gammaincinv(count + 1, 0.95))
    return Measured(value=round(count / seconds, 4), low=round(low / seconds, 4), high=round(high / seconds, 4), unit=unit, samples=count)
