"""Stretches in which something is so."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def runs_where(flags: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First index and one past the last of each stretch of True. ``flags``: shape=(n,)."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return [(int(first), int(end)) for first, end in zip(edges[0::2], edges[1::2], strict=True)]
