"""Blocks of sound: parts of them, and louder or softer ones."""

from __future__ import annotations

from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

# Unsigned bytes swing around this.
_MIDDLE = 128


def part_of(block: av.AudioFrame, first: int, count: int) -> av.AudioFrame:
    """Samples ``first`` up to ``first + count`` of a block, at least one; the block itself where that is all of it."""
    if first <= 0 and count >= block.samples:
        return block
    first, each = max(0, first), 1 if block.format.is_planar else block.layout.nb_channels
    return _like(block, block.to_ndarray()[:, first * each : (first + max(1, count)) * each])


def scaled(block: av.AudioFrame, gain: NDArray[np.float64]) -> av.AudioFrame:
    """A block of any format, each moment times its gain.

    Parameters
    ----------
    gain : ndarray [shape=(samples,), 0…1]
    """
    samples: NDArray[Any] = block.to_ndarray()
    each = gain if block.format.is_planar else np.repeat(gain, block.layout.nb_channels)
    middle = _MIDDLE if samples.dtype == np.uint8 else 0
    made = (samples - float(middle)) * each + middle
    return _like(block, (np.rint(made) if samples.dtype.kind in "iu" else made).astype(samples.dtype))


def _like(block: av.AudioFrame, samples: NDArray[Any]) -> av.AudioFrame:
    made = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples), format=block.format.name, layout=block.layout.name)
    made.sample_rate = block.sample_rate
    return made
