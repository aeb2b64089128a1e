"""How far sounds are from their flashes, of all flashes together.

A field shows of a flash the part of its exposure during which the light was on. Each flash meets the fields at another point of their
time, so that together they tell more than each alone: the common offset, the flashes' common length and the part of its time for
which a field is exposed are tried over a grid, and each combination weighed by how well it predicts the light seen (Bayes, even
priors, errors with heavy tails). Where a shutter was closed as the light came on, all moments of that time explain one flash equally
well; the others narrow them. Taken as given: fields are exposed from their time stamp on. Our own reckoning.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.flashes import Flash

# shape=(events,) or (samples,).
Series = NDArray[np.float64]

# Parts of a field's time for which it may be exposed.
_EXPOSURES = (1.0, 0.9, 0.8, 0.7, 0.6, 0.5, 0.4, 0.3)
# Steps of the grid in one field's time: offsets, lengths; and how many fields' time they reach beyond what was seen.
_STEPS, _LENGTH_STEPS, _REACH = 96, 40, 1.25
# Errors of light, parts of the full one, and how heavy their tails are (degrees of freedom); beyond so much a flash, the
# flashes are not of this kind (of 120 sync tests 9 in 10 stay below, of the same with sounds at random 1 in 10).
_ERROR, _TAILS, _MOST_WRONG = 0.025, 2.0, 15.0
# So many fields lit as brightly as any are lit whole; flashes that light so many fields in all light some of them whole.
_WHOLE_FIELDS, _MANY_FIELDS = 3, 3.5
# Errors whose product is taken before its logarithm: an error of the whole light is a factor of 800, far from what a number holds.
_TOGETHER = 16
# The full light, in parts of what seems the strongest, where no field may be lit for all of its exposure.
_WEAKEST, _STRONGEST = 0.9, 2.0


@dataclass(frozen=True)
class FlashFit:
    """``offset``: the sounds after their flashes, seconds, with its standard ``error``; it lies within ``bound`` 95 times in 100.
    ``exposed``: the part of its time for which a field is exposed, 0…1."""

    offset: float
    error: float
    bound: float
    exposed: float


def fit_flashes(pairs: Sequence[tuple[Flash, float]], lasts: float) -> FlashFit | None:
    """``pairs``: flashes, each with the moment of its sound, seconds; ``lasts``: the time from one field to the next, seconds. None
    where no one length, exposure and offset explain what was seen."""
    pairs = [(flash, sound) for flash, sound in pairs if flash.light]
    if len(pairs) < 3:
        return None
    begins, light, own = _table(pairs, lasts)
    middle = float(np.median([sound - flash.at for flash, sound in pairs]))
    sums = np.bincount(own, light)
    shown = float(np.median(sums)) * lasts
    offsets = middle + lasts * np.arange(-_REACH, _REACH, 1 / _STEPS)
    lengths = shown + lasts * np.arange(-_REACH, _REACH, 1 / _LENGTH_STEPS)
    lengths = lengths[lengths > 0.1 * lasts]
    strongest = 1.0 if np.max(sums) > _MANY_FIELDS else _STRONGEST
    wrong = np.stack([_misfits(begins, light, offsets, lengths, part * lasts, strongest) for part in _EXPOSURES])
    weight = np.exp(0.5 * (wrong.min() - wrong))
    if float(wrong.min()) > _MOST_WRONG * len(pairs):
        return None
    weight /= weight.sum()
    of_offset = weight.sum(axis=(0, 2))
    mean = float(of_offset @ offsets)
    far = np.abs(offsets - mean)
    order = np.argsort(far)
    reach = float(far[order][min(len(far) - 1, int(np.searchsorted(np.cumsum(of_offset[order]), 0.95)))])
    exposed = float(weight.sum(axis=(1, 2)) @ np.array(_EXPOSURES))
    return FlashFit(mean, float(np.sqrt(of_offset @ (offsets - mean) ** 2)), reach + lasts / _STEPS, exposed)


def _table(pairs: Sequence[tuple[Flash, float]], lasts: float) -> tuple[Series, Series, NDArray[np.int64]]:
    """Of each field of each flash, when it begins after the flash's sound, seconds, its light, and the flash it is of. Flashes
    that light some fields whole are measured by those, the others all by the strongest field of any."""
    strongest = [float(np.max(flash.light)) for flash, _ in pairs]
    begins, light, own = [], [], []
    for row, (flash, sound) in enumerate(pairs):
        rises = np.array(flash.light)
        full = rises[rises > 0.9 * strongest[row]]
        scale = float(np.median(full)) if len(full) >= _WHOLE_FIELDS else float(np.median(strongest))
        begins.append(flash.begins + lasts * np.arange(len(rises)) - sound)
        light.append(rises / scale)
        own.append(np.full(len(rises), row))
    return np.concatenate(begins), np.concatenate(light), np.concatenate(own)


def _misfits(begins: Series, light: Series, offsets: Series, lengths: Series, exposed: float, strongest: float) -> Series:
    """How unlikely the light is, shape (offsets, lengths): twice the negative logarithm of Student's density, since single
    flashes go wrong where something passes behind them.

    Parameters
    ----------
    begins : ndarray [shape=(fields,), float64, seconds after the flash's sound], when each field's exposure begins
    light : ndarray [shape=(fields,), float64, 1.0 for the full light]
    exposed : seconds. ``strongest``: the full light may be so many times what ``light`` is measured by.
    """
    small = np.float32
    on = (-offsets).astype(small)[:, None]
    off = on + lengths.astype(small)[None, :]
    reach = small(exposed)
    parts = [np.clip(np.minimum(begin + reach, off) - np.maximum(begin, on), 0, None) / reach for begin in begins.astype(small)]
    scale: Any = 1.0
    if strongest > 1:
        seen, squares = (np.zeros(off.shape, small) for _ in range(2))
        for part, one in zip(parts, light.astype(small), strict=True):
            seen += part * one
            squares += part * part
        scale = np.clip(seen / np.maximum(squares, small(1e-9)), _WEAKEST, strongest)
    total = np.zeros(off.shape)
    for first in range(0, len(parts), _TOGETHER):  # the logarithm of a product is cheaper than many logarithms
        likely = np.ones(off.shape)
        for part, one in zip(parts[first : first + _TOGETHER], light[first : first + _TOGETHER], strict=True):
            error = (part * scale - small(one)) / small(_ERROR)
            likely *= 1 + error * error / small(_TAILS)
        total += np.log(likely)
    return np.asarray((_TAILS + 1) * total)
