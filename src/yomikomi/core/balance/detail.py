"""How much of a picture's detail a copy keeps, as an eye sees it from where it will be watched.

The measure is PSNR-HVS-M: differences in 8 × 8 blocks of the cosine transform, weighed by how well an eye sees each
frequency, less what the block's own texture hides. On tape most of the difference between a copy and its source is
noise that the copy left out, which is no loss of detail; so differences as small as the noise are taken for hidden by
it, and how much of the noise is kept is told apart (docs/science.md: against denoising both sides first).

Sources (both from memory): Egiazarian et al., "New full-reference quality metrics based on HVS" (2006) and Ponomarenko
et al., "On between-coefficient contrast masking of DCT basis functions" (2007); held against the package ``psnr_hvsm``
in the tests. The weights are those of the luminance table K.1 of ITU-T T.81.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

# ITU-T T.81, table K.1: quantisation steps of luminance, rows by vertical frequency.
_T81: Final = np.array([
    [16, 11, 10, 16, 24, 40, 51, 61], [12, 12, 14, 19, 26, 58, 60, 55], [14, 13, 16, 24, 40, 57, 69, 56],
    [14, 17, 22, 29, 51, 87, 80, 62], [18, 22, 37, 56, 68, 109, 103, 77], [24, 35, 55, 64, 81, 104, 113, 92],
    [49, 64, 78, 87, 103, 121, 120, 101], [72, 92, 95, 98, 112, 100, 103, 99],
], np.float64)  # fmt: skip
# The measure's two scales: a step's weight in the sum, and in what texture hides.
_SEEN, _HIDDEN = 25.735088, 10.0
BLOCK = 8


def _cosines() -> NDArray[np.float32]:
    """The orthonormal cosine transform of a block laid out in one row, shape=(64, 64)."""
    n = np.arange(BLOCK)
    one = np.sqrt(2 / BLOCK) * np.cos((2 * n[None, :] + 1) * n[:, None] * np.pi / (2 * BLOCK))
    one[0] /= np.sqrt(2)
    return np.asarray(np.kron(one, one).T, np.float32)


_TRANSFORM: Final = _cosines()
# Which half a line or column of a block lies in, shape=(8, 2), and which quarter a sample, shape=(64, 4); 0 or 1.
_HALVES: Final = np.kron(np.eye(2, dtype=np.float32), np.ones((BLOCK // 2, 1), np.float32))
_QUARTERS: Final = np.kron(_HALVES, _HALVES)


@dataclass(frozen=True)
class Weights:
    """What an eye sees and what texture hides, of each of the 64 frequencies; both shape=(64,), float32."""

    seen: NDArray[np.float32]
    hiding: NDArray[np.float32]


def weights_at(*, down: float, across: float) -> Weights:
    """Weights for samples that look ``1 / down`` as high and ``1 / across`` as wide as the table was made for: larger samples show every
    frequency as a lower one. Both 0 < … ≤ 1; raises ValueError outside: a picture seen smaller than that is made smaller first."""
    if not (0 < down <= 1 and 0 < across <= 1):
        raise ValueError((down, across))
    rows = _between(np.log(_T81), down)
    steps = np.exp(_between(rows.T, across).T).ravel()
    return Weights(np.asarray(_SEEN / steps, np.float32), np.asarray((_HIDDEN / steps) ** 2, np.float32))


def _between(rows: NDArray[np.float64], scale: float) -> NDArray[np.float64]:
    """Rows at 0, ``scale``, … 7 · ``scale`` of a table, shape=(8, 8)."""
    at = np.arange(BLOCK) * scale
    low = np.minimum(at.astype(int), BLOCK - 2)
    part = (at - low)[:, None]
    return np.asarray(rows[low] * (1 - part) + rows[low + 1] * part)


@dataclass(frozen=True)
class Blocks:
    """A picture cut into blocks and transformed. ``waves``: shape=(blocks, 64), float32, code values; ``evenness``:
    shape=(blocks,), 0…1, how evenly what varies in a block is spread over its quarters."""

    waves: NDArray[np.float32]
    evenness: NDArray[np.float32]

    @classmethod
    def of(cls, plane: NDArray[np.float32]) -> Blocks:
        """``plane``: shape=(lines, columns), float32, luma in 8-bit code values; what is over beyond whole blocks is left out."""
        lines, columns = plane.shape[0] // BLOCK, plane.shape[1] // BLOCK
        cut = plane[: lines * BLOCK, : columns * BLOCK].reshape(lines, BLOCK, columns, BLOCK)
        flat = np.ascontiguousarray(cut.swapaxes(1, 2)).reshape(-1, BLOCK * BLOCK)
        return cls(flat @ _TRANSFORM, _evenness(flat))

    def hiding(self, weights: Weights) -> NDArray[np.float32]:
        """Of each block, how strong a difference at weight 1 it hides, code values; shape=(blocks,), float32."""
        energy = (self.waves[:, 1:] ** 2) @ weights.hiding[1:]
        return np.asarray(np.sqrt(energy * self.evenness) / 32, np.float32)


def _evenness(flat: NDArray[np.float32]) -> NDArray[np.float32]:
    """Sum of the quarters' variances over that of the block, each times its samples. ``flat``: shape=(blocks, 64)."""
    apart = flat - flat.mean(axis=1, keepdims=True)
    squares = (apart**2) @ _QUARTERS
    whole = squares.sum(axis=1) * (64 / 63)
    parts = np.maximum(0, squares - (apart @ _QUARTERS) ** 2 / 16).sum(axis=1) * (16 / 15)
    return np.asarray(np.where(whole > 0, parts / np.maximum(whole, 1e-9), 0), np.float32)


def seen_error(source: Blocks, copy: Blocks, weights: Weights, *, noise: NDArray[np.float32] | None = None) -> float:
    """Mean square difference that is seen, squared 8-bit code values; of pictures of one size.

    ``noise`` : ndarray [shape=(64,), float32], how strong a difference the source's noise hides at each frequency, code values; None:
    there is none.
    """
    difference = np.abs(source.waves - copy.waves)
    hidden = np.maximum(source.hiding(weights), copy.hiding(weights))[:, None] / weights.hiding[1:]
    if noise is not None:
        hidden = np.maximum(hidden, noise[1:])
    difference[:, 1:] = np.maximum(0, difference[:, 1:] - hidden)
    return float(((difference * weights.seen) ** 2).mean())


# From here on a difference is not told from none.
IDENTICAL_DB: Final = 60.0


def detail_db(error: float) -> float:
    """Detail kept: the ratio of full scale to what is seen of the difference, in decibels; 60 at most. ``error``: squared 8-bit code
    values."""
    return float(min(IDENTICAL_DB, 10 * np.log10(255.0**2 / max(error, 1e-9))))
