"""How much moves from one field to the next: what hands do that come together, before a camera that may move itself."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

# shape=(frames,).
Series = NDArray[np.float64]
# shape=(lines, columns), luma in codes.
Small = NDArray[np.float32]

# Columns and lines of the small copies, and of the cells that are looked at for light.
SMALL, _CELLS = (160, 90), (40, 24)
# The whole picture moves where half of it changes by more, code values: then the camera's part is taken off.
_ALL_MOVES = 3.0
_POINTS, _FEWEST_POINTS, _NEAR = 60, 8, 0.5
_BORDER = 4  # samples at the edge, which came into the picture only now


def cells_of(smalls: list[Small]) -> Small:
    """Small copies as one table, shape (fields, lines, columns), at no more than so many cells."""
    if not smalls:
        return np.zeros((0, 0, 0), np.float32)
    lines, columns = smalls[0].shape
    size = min(columns, _CELLS[0]), min(lines, _CELLS[1])
    return np.stack([cv2.resize(one, size, interpolation=cv2.INTER_AREA) for one in smalls])


def movement(smalls: list[Small], *, steadied: bool = False) -> tuple[Series, Series]:
    """Change of the liveliest part of the picture from each field to the one before (which lies half a line off: the small copies
    hardly see it), less what noise makes of it; and how much of all change is to one side, 0…1. Both of shape (fields,).

    Parameters
    ----------
    steadied : where the camera moves, the picture before is brought to where it is now, so that only what moves by itself counts.
        About 2 ms a field of 160 x 90.
    """
    moved, one_way = np.zeros(len(smalls)), np.zeros(len(smalls))
    for place in range(1, len(smalls)):
        signed = smalls[place] - smalls[place - 1]
        change = np.abs(signed)
        if steadied and min(signed.shape) > 4 * _BORDER and float(np.median(change)) > _ALL_MOVES:
            signed = _steadied(smalls[place - 1], smalls[place], signed)
            change = np.abs(signed)
        strong = change > 0.3 * change.max()
        one_way[place] = abs(float(signed[strong].sum())) / max(1e-6, float(change[strong].sum()))
        # Hands are a few hundredths of the picture.
        strongest = np.partition(change.ravel(), -change.size // 20)[-change.size // 20 :]
        moved[place] = float(strongest.mean())
    if len(moved) > 1:
        moved[0] = moved[1]
    return np.maximum(0.0, moved - np.percentile(moved, 20)), one_way


def _steadied(before: Small, now: Small, plain: Small) -> Small:
    """What is left of the change when the camera's movement (shift, turn and zoom) is taken off; the plain change where none is found."""
    one, two = (np.clip(picture, 0, 255).astype(np.uint8) for picture in (now, before))
    points = cv2.goodFeaturesToTrack(one, _POINTS, 0.02, 6)
    if points is None or len(points) < _FEWEST_POINTS:
        return plain
    found, kept, _ = cv2.calcOpticalFlowPyrLK(one, two, points, None, winSize=(15, 15), maxLevel=2)
    good = kept.ravel() == 1
    if np.count_nonzero(good) < _FEWEST_POINTS:
        return plain
    cv2.setRNGSeed(1)  # the same picture, the same movement
    camera, _ = cv2.estimateAffinePartial2D(points[good], found[good], method=cv2.RANSAC, ransacReprojThreshold=_NEAR, maxIters=200)
    if camera is None:
        return plain
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    shifted = cv2.warpAffine(before, camera, (before.shape[1], before.shape[0]), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    left = np.asarray(now - shifted, np.float32)
    for edge in (left[:_BORDER], left[-_BORDER:], left[:, :_BORDER], left[:, -_BORDER:]):
        edge[...] = 0
    return left if float(np.abs(left).mean()) < float(np.abs(plain).mean()) else plain
