"""What is measured on each frame against the one before: the ground of the scan, the losses and the strips.

In blocks where something moves, the energy of comb teeth is measured when the top field is woven with its own bottom field
(``own``), with the bottom field of the frame before (``held``: small when the frame's top field is as old as that one), and
when the top field of the frame before is woven with this bottom field (``early``). Fields that lie closer in time comb less,
fields of one picture comb not at all. The change of each field against its forerunner tells repeated fields.
"""

from __future__ import annotations

import heapq
import math
from array import array
from collections import deque
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.sight import BLOCK_COLUMNS, BLOCK_LINES, LARGEST_TAPED, Field, Fields, Sight

MIN_BLOCKS = 4
# Fields of fewer lines are no tape's.
_TALL = 200
# Teeth so high, codes beyond the noise, are no accident of noise or detail.
_COMBED = 2.0
# Wobble is uneven: a block may see so many times its mean; and what is more than this, in samples squared, is no wobble.
_WOBBLE_SPREAD, _MOST_WOBBLE = 4.0, 1.5
# Frames among which the second strongest motion is looked for, and how its memory fades from frame to frame.
_RECENT, _FADES = 12, 0.998
# The noise as it is told here is low by about so much.
_NOISE_TRUE = 1.5
_TINY = np.float32(1e-9)
# Frames back that a picture is held against to see whether things go on moving: beyond the longest row of repeats.
LAG = 6
# A block that changes by so much, codes squared, changes by more than noise of a standard deviation of 20 would make it.
BEYOND_NOISE = 800.0
# What goes on moving differs by so much more, at least, from a picture further back.
_LEAST_GROWTH = 0.2
# The ends of what a picture uses hold so small a part of it unless something is clipped; so much of a block at an end may be clipped;
# and so much of the picture must be free of that to tell its noise.
_END_PART, _END_SHARE, _FREE = 5e-4, 0.12, 0.15

# shape=(frames,).
Values = NDArray[np.float64]
_NAMES = (
    "blocks", "noise", "own", "held", "early", "change_top", "change_bottom", "spread", "liveliest", "quietest", "motion", "strong",
    "growth", "combing",
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
    motion : mean absolute change, codes.
    strong : how many of the blocks change by more than any noise makes.
    growth : how surely the moving blocks differ more from a picture some frames back than from the last, in standard errors of their
        difference; 0 where there is none so far back. What moves goes on moving away; noise, however it depends on level, does not.
    combing: root-mean-square height of comb teeth beyond what detail explains, codes.
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
    strong: Values
    growth: Values
    combing: Values

    def __len__(self) -> int:
        return len(self.blocks)

    def part(self, first: int, end: int) -> Evidence:
        return Evidence(**{name: getattr(self, name)[first:end] for name in _NAMES})

    @property
    def telling(self) -> NDArray[np.bool_]:
        """Frames in which enough moves. Shape=(frames,)."""
        return np.asarray(self.blocks >= MIN_BLOCKS)


class EvidenceMeter:
    """Fed frame by frame; keeps 56 bytes a frame.

    Parameters
    ----------
    lossy : the source is compressed with loss; only strong motion counts then, since faint residues are artefacts.
    """

    def __init__(self, *, lossy: bool = False) -> None:
        self._lossy = lossy
        self._before: _Woven | None = None
        self._far: deque[Fields] = deque(maxlen=LAG)
        self._strongest = 0.0
        self._recent: deque[float] = deque(maxlen=_RECENT)
        self._kept = array("f")

    def see(self, sight: Sight) -> None:
        fields, slopes = sight.thin, None
        # Only what a tape holds can wobble.
        if 2 * _TALL <= sight.samples.shape[0] <= LARGEST_TAPED:
            # The last lines a tape's heads tear anew in every field: they would move when nothing does.
            fields = np.ascontiguousarray(fields[:, :-BLOCK_LINES])
            slopes = np.ascontiguousarray(sight.slopes[:, : fields.shape[1] // 2])
        if fields.shape[1] < 2 * BLOCK_LINES or fields.shape[2] < 2 * BLOCK_COLUMNS:
            self._kept.extend((0.0,) * len(_NAMES))
            return
        before, self._before = self._before, _Woven(fields)
        if self._far and self._far[-1].shape != fields.shape:
            self._far.clear()
        self._kept.extend(self._measure(before, self._before, slopes, _clipped(fields)))
        self._far.append(fields)

    def skip(self) -> None:
        """The next frame does not follow the last one."""
        self._before = None
        self._far.clear()

    @property
    def combed(self) -> bool:
        """The last frame shows comb teeth for certain."""
        if not self._kept:
            return False
        noise, combing = self._kept[_NAMES.index("noise") - len(_NAMES)], self._kept[-1]
        return combing > _COMBED + math.sqrt(noise)

    @property
    def evidence(self) -> Evidence:
        table = np.frombuffer(self._kept, np.float32).reshape(-1, len(_NAMES)).astype(np.float64)
        return Evidence(**dict(zip(_NAMES, table.T, strict=True)))

    def _measure(
        self, before: _Woven | None, now: _Woven, slopes: Fields | None, clipped: NDArray[np.bool_]
    ) -> tuple[float, ...]:  # fmt: skip
        own = blocks_of(now.comb(now))
        if before is None or before.fields.shape != now.fields.shape:
            return (*(0.0,) * (len(_NAMES) - 1), now.combing(own, 0.0))
        change = now.fields - before.fields
        energies = blocks_of(change * change)
        plain = energies
        # What is clipped hides its noise: where enough is not, that tells how strong it is.
        free = ~clipped if np.count_nonzero(~clipped) > _FREE * clipped.size else np.ones_like(clipped)
        noise = 1.35 * min(now.detail_noise(free), _low(np.minimum(*energies)[free]) / 2)
        quietest = _quietest(np.maximum(*energies)[free])
        if slopes is not None:
            energies = energies - wobble_energy(change, slopes, _NOISE_TRUE * noise)
        energy = np.maximum(*energies)
        motion = cv2.norm(change.reshape(-1, change.shape[2]), cv2.NORM_L1) / change.size
        liveliest = max(_liveliest(energies[0]), _liveliest(energies[1]))
        keep = self._moving(energy, noise)
        blocks = int(np.count_nonzero(keep))
        if blocks < MIN_BLOCKS:
            return (float(blocks), noise, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, liveliest, quietest, motion, 0.0, 0.0, now.combing(own, noise))
        combs = np.stack((own[keep], blocks_of(now.comb(before))[keep], blocks_of(before.comb(now))[keep]))
        means = (*combs.mean(axis=1), energies[0][keep].mean(), energies[1][keep].mean())
        return (
            float(blocks), noise, *(float(mean) for mean in means), _spread(combs, noise), liveliest, quietest, motion,
            float(np.count_nonzero(energy > BEYOND_NOISE)), self._growth(now.fields, plain, keep), now.combing(own, noise),
        )  # fmt: skip

    def _growth(self, fields: Fields, energies: Fields, keep: NDArray[np.bool_]) -> float:
        """See :class:`Evidence`; ``energies``: of the change since the last frame."""
        if len(self._far) < LAG:
            return 0.0
        far = fields - self._far[0]
        near = energies.sum(axis=0)[keep]
        more = blocks_of(far * far).sum(axis=0)[keep] - near
        error = float(more.std()) / math.sqrt(len(more)) + 1e-3
        return float(more.mean()) / error if more.mean() > _LEAST_GROWTH * near.mean() else 0.0

    def _moving(self, energy: Field, noise: float) -> NDArray[np.bool_]:
        floor = 1.9 * 2 * noise + 4
        if self._lossy:
            rank = max(1, energy.size // 200)
            self._recent.append(float(np.partition(energy.ravel(), -rank)[-rank]))
            # A cut changes everything once: it is the second strongest that tells what moves here.
            self._strongest = max(self._strongest * _FADES, heapq.nlargest(2, self._recent)[-1])
            floor = max(floor, 0.1 * self._strongest)
        return np.asarray(energy > floor)


class _Woven:
    """The fields of a frame, ready to be woven with its own and its neighbours'.

    Every energy is a mean over blocks, and only means are kept: what can be told of a frame alone is worked out once.
    """

    def __init__(self, fields: Fields) -> None:
        self.fields = fields
        step = fields[:, 1:] - fields[:, :-1]
        # Halfway between two lines of a field, where the other field's line lies.
        self._halfway = fields[:, :-1] + np.float32(0.5) * step
        self._step = step[0]

    def detail_noise(self, free: NDArray[np.bool_]) -> float:
        """Variance of the noise as the blocks of the top field with the least vertical detail show it (their second difference);
        ``free``: which are looked at."""
        second = self._step[1:] - self._step[:-1]
        blocks = blocks_of(second * second)
        free = free[: blocks.shape[0]]
        return _low(blocks[free] if free.any() else blocks) / 6

    def comb(self, other: _Woven) -> Field:
        """Squared height of the teeth when this top field is woven with the bottom field of another frame, a value a line."""
        out = np.empty_like(self.fields[0])
        down, up = other.fields[1, :-1] - self._halfway[0], self.fields[0, 1:] - other._halfway[1]
        np.multiply(down, down, out=out[:-1])
        np.multiply(up, up, out=up)
        np.add(out[:-1], up, out=out[:-1])
        out[:-1] *= np.float32(0.5)
        out[-1] = out[-2]
        return out

    def combing(self, own: Field, noise: float) -> float:
        """Teeth beyond what the picture's own vertical detail explains, root mean square in codes. ``own``: blocks of its comb."""
        detail = blocks_of(self._step * self._step)
        rest = own[: detail.shape[0]] - np.float32(0.5) * detail - np.float32(1.5 * noise)
        return float(np.sqrt(np.maximum(rest, 0, out=rest).mean()))


def _clipped(fields: Fields) -> NDArray[np.bool_]:
    """Blocks in which an eighth of the samples of the top field or more lie at the end of what the picture uses: clipped there, perhaps,
    and then less noisy than the rest. Shape (lines, columns) of blocks."""
    codes = np.clip(fields[0], 0, 255).astype(np.uint8)
    counts = np.cumsum(np.bincount(codes.ravel(), minlength=256))
    low = int(np.searchsorted(counts, _END_PART * counts[-1], side="right"))
    high = int(np.searchsorted(counts, (1 - _END_PART) * counts[-1]))
    ends = ((codes <= low) | (codes >= high)).astype(np.float32)
    return np.asarray(blocks_of(ends) >= _END_SHARE)


def wobble_energy(change: Fields, slopes: Fields, noise: float) -> Fields:
    """What lines that wobble would change in each block, as an upper bound: energy a block of each field, codes squared.

    A line that stands e samples further right changes by −e times its slope, so a block changes by e² times its slope energy. In a
    still scene from a player without a corrector that is so everywhere; its wobble differs from field to field, and every such scene
    would pass for fields in motion. Only wobble moves the left and the right half of a line alike and the next line otherwise:
    the covariance of the two over all lines, a common move (a pan) taken out, is the variance of e, whatever noise there is.
    ``slopes`` hold every second line of ``change``.
    """
    energy = slopes * slopes
    strength = np.maximum(blocks_of(energy, BLOCK_LINES // 2) - np.float32(0.5 * noise), 0)
    strength *= np.float32(_WOBBLE_SPREAD) * _wobble(_halves(energy), _halves(change[:, ::2] * slopes))[:, None, None]
    return strength


def _halves(energy: Fields) -> Fields:
    """Sums over the left and the right half of each line, shape (2 fields, lines, 2 halves)."""
    columns = energy.shape[2]
    half = np.zeros((columns, 2), np.float32)
    half[: columns // 2, 0] = half[columns // 2 :, 1] = 1
    return energy @ half


def _wobble(power: Fields, cross: Fields) -> NDArray[np.float32]:
    """Variance of how far the lines of each field stand off, samples squared, bounded; from sums over halves of lines."""
    weight, total = power.prod(axis=2).sum(axis=1), power.sum(axis=(1, 2))
    common = cross.sum(axis=(1, 2)) / np.maximum(total, _TINY)
    alike = (cross - common[:, None, None] * power).prod(axis=2).sum(axis=1)
    return np.clip(np.where(weight > 0, alike / np.maximum(weight, _TINY), 0), 0, _MOST_WOBBLE).astype(np.float32)


def blocks_of(samples: NDArray[np.float32], height: int = BLOCK_LINES) -> NDArray[np.float32]:
    """Means over blocks of 16 columns by ``height`` lines, of one field or of both; what does not fill a block is left out.
    ``samples``: shape=(…, lines, columns); the result has shape=(…, lines / height, columns / 16)."""
    lines, columns = samples.shape[-2] // height, samples.shape[-1] // BLOCK_COLUMNS
    whole = samples[..., : lines * height, : columns * BLOCK_COLUMNS]
    if not whole.size:
        return np.zeros((*whole.shape[:-2], lines, columns), np.float32)
    joined = whole.reshape(-1, whole.shape[-1])
    means = cv2.resize(joined, (columns, joined.shape[0] // height), interpolation=cv2.INTER_AREA)
    return np.asarray(means, np.float32).reshape(*whole.shape[:-2], lines, columns)


def _spread(combs: NDArray[np.float32], noise: float) -> float:
    """Standard error, over the blocks, of the logarithms of held/own and early/own; their mean. ``combs``: own, held, early."""
    floor = np.float32(0.5 + 0.3 * noise)
    logs = np.log(np.maximum(combs - np.float32(1.5 * noise), floor))
    ratios = logs[1:] - logs[0]
    ratios -= ratios.mean(axis=1, keepdims=True)
    deviations = np.sqrt(np.einsum("ij,ij->i", ratios, ratios) / ratios.shape[1])
    return float(deviations.sum() / (2 * np.sqrt(ratios.shape[1])))


def _liveliest(energy: Field) -> float:
    """Mean of the highest tenth."""
    tenth = max(1, energy.size // 10)
    return max(0.0, float(np.partition(energy.ravel(), -tenth)[-tenth:].mean()))


def _quietest(energy: Field) -> float:
    """Mean of the lowest tenth."""
    tenth = max(1, energy.size // 10)
    return float(np.partition(energy.ravel(), tenth)[:tenth].mean())


def _low(energy: Field) -> float:
    """The eighth percentile."""
    rank = int(0.08 * (energy.size - 1))
    return float(np.partition(energy.ravel(), rank)[rank])
