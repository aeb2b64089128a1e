"""What is measured on each frame against the one before: the ground of the scan, the losses and the strips.

In blocks where something moves, the energy of comb teeth is measured when the top field is woven with its own bottom field
(``own``), with the bottom field of the frame before (``held``: small when the frame's top field is as old as that one), and
when the top field of the frame before is woven with this bottom field (``early``). Fields that lie closer in time comb less,
fields of one picture comb not at all. The change of each field against its forerunner tells repeated fields.
"""

from __future__ import annotations

from array import array
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.sight import Field, Sight

# A block is 16 columns wide and 8 field lines high.
_BLOCK_LINES, _BLOCK_COLUMNS = 8, 2
MIN_BLOCKS = 4
# Fields of fewer lines are no tape's, nor pictures of more.
_TALL, _MOST_TAPED = 200, 608
# Wobble is uneven: a block may see so many times its mean; and what is more than this, in samples squared, is no wobble.
_WOBBLE_SPREAD, _MOST_WOBBLE = 4.0, 1.5
# The noise as it is told here is low by about so much.
_NOISE_TRUE = 1.5

Values = NDArray[np.float64]
_NAMES = (
    "blocks", "noise", "own", "held", "early", "change_top", "change_bottom", "spread", "liveliest", "quietest", "motion", "combing",
)  # fmt: skip


@dataclass(frozen=True)
class Evidence:
    """A value a frame, each of shape (frames,); energies are squares of 8-bit codes.

    Parameters
    ----------
    blocks : how many blocks move; the comb and change energies are means over them, 0 where there are fewer than four.
    noise : variance of the noise of one sample, as the quietest blocks show it (low by about a third).
    own, held, early : comb energies, see the module.
    change_top, change_bottom : of each field against the one before of its kind.
    spread : standard error of the logarithm of the comb ratios over the blocks.
    liveliest, quietest : mean change of the liveliest and of the stillest tenth of all blocks, the livelier field.
    motion : mean absolute change, codes. ``combing``: root-mean-square height of comb teeth beyond what detail explains, codes.
    """

    blocks: Values
    noise: Values
    own: Values
    held: Values
    early: Values
    change_top: Values
    change_bottom: Values
    spread: Values
    liveliest: Values
    quietest: Values
    motion: Values
    combing: Values

    def __len__(self) -> int:
        return len(self.blocks)

    def part(self, first: int, end: int) -> Evidence:
        return Evidence(**{name: getattr(self, name)[first:end] for name in _NAMES})

    @property
    def telling(self) -> NDArray[np.bool_]:
        """Frames in which enough moves."""
        return np.asarray(self.blocks >= MIN_BLOCKS)


class EvidenceMeter:
    """Fed frame by frame; keeps 48 bytes a frame.

    Parameters
    ----------
    lossy : the source is compressed with loss; only strong motion counts then, since faint residues are artefacts.
    """

    def __init__(self, *, lossy: bool = False) -> None:
        self._lossy = lossy
        self._before: tuple[Field, Field] | None = None
        self._strongest = 0.0
        self._kept = array("f")

    def see(self, sight: Sight) -> None:
        # Only what a tape holds can wobble, and no tape holds more lines.
        taped = 2 * _TALL <= sight.samples.shape[0] <= _MOST_TAPED
        now, slopes = (_above_torn(sight.thin), _above_torn(sight.slopes)) if taped else (sight.thin, None)
        before, self._before = self._before, now
        self._kept.extend(self._measure(before, now, slopes))

    def skip(self) -> None:
        """The next frame does not follow the last one."""
        self._before = None

    @property
    def evidence(self) -> Evidence:
        table = np.frombuffer(self._kept, np.float32).reshape(-1, len(_NAMES)).astype(np.float64)
        return Evidence(**dict(zip(_NAMES, table.T, strict=True)))

    def _measure(
        self, before: tuple[Field, Field] | None, now: tuple[Field, Field], slopes: tuple[Field, Field] | None
    ) -> tuple[float, ...]:
        top, bottom = now
        if top.shape[0] < 2 * _BLOCK_LINES or top.shape[1] < 2 * _BLOCK_COLUMNS:
            return (0.0,) * len(_NAMES)
        own = _comb(top, bottom)
        if before is None or before[0].shape != top.shape:
            return (*(0.0,) * (len(_NAMES) - 1), _combing(own, top, 0.0))
        change_top, change_bottom = top - before[0], bottom - before[1]
        energy_top, energy_bottom = blocks_of(change_top * change_top), blocks_of(change_bottom * change_bottom)
        noise = _noise_variance(top, bottom, np.minimum(energy_top, energy_bottom))
        quietest = _quietest(np.maximum(energy_top, energy_bottom))
        if slopes is not None:
            energy_top -= wobble_energy(change_top, slopes[0], _NOISE_TRUE * noise)
            energy_bottom -= wobble_energy(change_bottom, slopes[1], _NOISE_TRUE * noise)
        energy = np.maximum(energy_top, energy_bottom)
        motion = float(np.abs(change_top).mean() + np.abs(change_bottom).mean()) / 2
        liveliest = max(_liveliest(energy_top), _liveliest(energy_bottom))
        keep = self._moving(energy, noise)
        blocks = int(np.count_nonzero(keep))
        if blocks < MIN_BLOCKS:
            return (float(blocks), noise, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, liveliest, quietest, motion, _combing(own, top, noise))
        combs = [blocks_of(comb)[keep] for comb in (own, _comb(top, before[1]), _comb(before[0], bottom))]
        return (
            float(blocks), noise, *(float(comb.mean()) for comb in combs), float(energy_top[keep].mean()),
            float(energy_bottom[keep].mean()), _spread(combs, noise), liveliest, quietest, motion, _combing(own, top, noise),
        )  # fmt: skip

    def _moving(self, energy: Field, noise: float) -> NDArray[np.bool_]:
        floor = 1.9 * 2 * noise + 4
        if self._lossy:
            rank = max(1, energy.size // 200)
            self._strongest = max(self._strongest * 0.998, float(np.partition(energy.ravel(), -rank)[-rank]))
            floor = max(floor, 0.1 * self._strongest)
        return np.asarray(energy > floor)


def _above_torn(fields: tuple[Field, Field]) -> tuple[Field, Field]:
    """Without the last lines, which a tape's heads tear anew in every field: they would move when nothing does."""
    return fields[0][:-_BLOCK_LINES], fields[1][:-_BLOCK_LINES]


def wobble_energy(change: Field, slope: Field, noise: float) -> Field:
    """What lines that wobble would change in each block, as an upper bound: energy a block, codes squared.

    A line that stands e samples further right changes by −e times its slope, so a block changes by e² times its slope energy. In a
    still scene from a player without a corrector that is so everywhere; its wobble differs from field to field, and every such scene
    would pass for fields in motion. Only wobble moves the left and the right half of a line alike and the next line otherwise:
    the covariance of the two over all lines, a common move (a pan) taken out, is the variance of e, whatever noise there is.
    """
    strength = np.maximum(blocks_of(slope * slope) - np.float32(0.5 * noise), 0)
    halves = slice(None, slope.shape[1] // 2), slice(slope.shape[1] // 2, None)
    power = [np.einsum("ij,ij->i", slope[:, half], slope[:, half]).astype(np.float64) for half in halves]
    cross = [np.einsum("ij,ij->i", change[:, half], slope[:, half]).astype(np.float64) for half in halves]
    weight = float(np.sum(power[0] * power[1]))
    total = float(power[0].sum() + power[1].sum())
    if weight <= 0 or total <= 0:
        return strength * np.float32(0)
    common = float(cross[0].sum() + cross[1].sum()) / total
    alike = float(np.sum((cross[0] - common * power[0]) * (cross[1] - common * power[1]))) / weight
    return strength * np.float32(_WOBBLE_SPREAD * min(max(alike, 0.0), _MOST_WOBBLE))


def blocks_of(samples: Field) -> Field:
    """Means over blocks of 16 columns by 8 field lines; what does not fill a block is left out."""
    lines, columns = samples.shape[0] // _BLOCK_LINES, samples.shape[1] // _BLOCK_COLUMNS
    whole = samples[: lines * _BLOCK_LINES, : columns * _BLOCK_COLUMNS]
    return np.asarray(cv2.resize(whole, (columns, lines), interpolation=cv2.INTER_AREA), np.float32)


def _comb(top: Field, bottom: Field) -> Field:
    """Squared height of the teeth when two fields are woven, as many lines as a field (the last one repeated)."""
    down = bottom[:-1] - np.float32(0.5) * (top[:-1] + top[1:])
    up = top[1:] - np.float32(0.5) * (bottom[:-1] + bottom[1:])
    out = np.empty_like(top)
    np.add(down * down, up * up, out=out[:-1])
    out[:-1] *= np.float32(0.5)
    out[-1] = out[-2]
    return out


def _combing(own: Field, top: Field, noise: float) -> float:
    """Teeth beyond what the picture's own vertical detail explains, root mean square in codes."""
    step = top[1:] - top[:-1]
    excess = blocks_of(own)
    detail = blocks_of(step * step)[: excess.shape[0]]
    rest = excess[: detail.shape[0]] - np.float32(0.5) * detail - np.float32(1.5 * noise)
    return float(np.sqrt(np.maximum(rest, 0).mean()))


def _spread(combs: list[Field], noise: float) -> float:
    """Standard error, over the blocks, of the logarithms of held/own and early/own; their mean."""
    floor = np.float32(0.5 + 0.3 * noise)
    own, held, early = (np.log(np.maximum(comb - np.float32(1.5 * noise), floor)) for comb in combs)
    return float((np.std(held - own) + np.std(early - own)) / (2 * np.sqrt(len(own))))


def _liveliest(energy: Field) -> float:
    """Mean of the highest tenth."""
    tenth = max(1, energy.size // 10)
    return max(0.0, float(np.partition(energy.ravel(), -tenth)[-tenth:].mean()))


def _quietest(energy: Field) -> float:
    """Mean of the lowest tenth."""
    tenth = max(1, energy.size // 10)
    return float(np.partition(energy.ravel(), tenth)[:tenth].mean())


def _noise_variance(top: Field, bottom: Field, still: Field) -> float:
    """The smaller of a spatial estimate (quiet blocks' vertical second difference) and a temporal one (still blocks)."""
    found = [_low(still) / 2]
    for field in (top, bottom):
        second = field[:-2] - 2 * field[1:-1] + field[2:]
        found.append(_low(blocks_of(second * second)) / 6)
    return 1.35 * min(found)


def _low(energy: Field) -> float:
    """The eighth percentile."""
    rank = int(0.08 * (energy.size - 1))
    return float(np.partition(energy.ravel(), rank)[rank])
