"""Combing of a frame: whether its two fields show the same moment."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

# One column in so many is looked at; blocks of so many lines by so many of these columns; of them the worst part speaks: what moves may
# be small, and a single block may be noise.
_COLUMN_STEP, _LINES, _COLUMNS, _WORST = 4, 16, 8, 0.02
# The head-switching band of a tape is no picture.
_BAND_LINES = 12


def combing(luma: NDArray[Any], other: NDArray[Any] | None = None, *, depth: int = 8) -> float:
    """Height of comb teeth in the worst blocks of a frame, beyond what the fields' own vertical detail explains.

    Parameters
    ----------
    luma : ndarray [shape=(lines, columns), unsigned integers of ``depth`` bits]
    other : ndarray of the same kind; its bottom field is woven with the top field of ``luma``. None: the frame's own.
    depth : bits a sample.

    Returns
    -------
    float : root mean square, in 8-bit code values; 0 for a frame of fewer than 48 lines or 64 columns.

    Source: the comb energy of core/reading/scan/evidence.py, by blocks.
    """
    lines = luma.shape[0] // 2 * 2
    if lines < 48 or luma.shape[1] < 64:
        return 0.0
    scale = np.float32(1 / 2 ** (depth - 8))
    last = lines - _BAND_LINES if lines > 240 else lines
    top = luma[0:last:2, ::_COLUMN_STEP].astype(np.float32) * scale
    bottom = (luma if other is None else other)[1:last:2, ::_COLUMN_STEP].astype(np.float32) * scale
    # A bottom line lies halfway between two lines of the top field; by how much it misses, and by how much those two differ.
    teeth = bottom[:-1] - np.float32(0.5) * (top[:-1] + top[1:])
    teeth += (np.float32(0.5) * (bottom[:-1] + bottom[1:]) - top[1:])
    detail = np.float32(0.5) * (np.abs(np.diff(top, axis=0)) + np.abs(np.diff(bottom, axis=0)))
    excess = np.maximum(np.abs(np.float32(0.5) * teeth) - np.float32(0.5) * detail, 0)
    down, across = excess.shape[0] // (_LINES // 2), excess.shape[1] // _COLUMNS
    whole = excess[: down * _LINES // 2, : across * _COLUMNS]
    energy = cv2.resize(whole * whole, (across, down), interpolation=cv2.INTER_AREA).ravel()
    worst = np.sort(energy)[-max(2, round(_WORST * energy.size)) :]
    return float(np.sqrt(worst.mean()))
