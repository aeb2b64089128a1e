"""Luma levels and colour cast, and what they say of range, tone and transfer.

Statistics cannot prove limited or full range (findings: full range was recognised in three of eight); the evidence is told, and
where it is not plain the answer is "undetermined".
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.models import Colour, Levels
from yomikomi.core.reading.sight import Sight
from yomikomi.core.video.colour import HLG, PQ

_CODES = 256
# Codes outside 16…235 by so much more than noise explains argue for full range.
_NOISES = 3.0
_PLAIN = 0.002
# Chroma nearer to 128 than this counts as grey.
_NEAR_GREY = 12.0
_BT2020 = 9
# Black and white of fewer scenes than this say nothing of the levels of a take.
_SCENES = 4
# The signal of PQ at 203 cd/m², reference white of ITU-R BT.2408, is 58 %; highlights of graded material seldom pass 80 %.
_PQ_WHITE = 0.80


@dataclass
class LevelMeter:
    """Fed with looks. Keeps a histogram of the whole and four numbers a look."""

    histogram: NDArray[np.int64] = field(default_factory=lambda: np.zeros(_CODES, np.int64))
    dark: list[tuple[float, int]] = field(default_factory=list)
    bright: list[tuple[float, int]] = field(default_factory=list)
    casts: list[tuple[float, float, float]] = field(default_factory=list)

    def look(self, before: Sight, now: Sight) -> None:
        del before
        counts = histogram_of(now)
        if not counts.sum():
            return
        self.histogram += counts
        low, high = percentile(counts, 0.001), percentile(counts, 0.999)
        self.dark.append((low, now.number))
        self.bright.append((high, now.number))
        cast = _cast(now)
        if cast is not None:
            self.casts.append((float(now.number), *cast))

    def result(self, colour: Colour, *, noise: float, depth: int, scenes: int) -> Levels | None:
        """``noise``: standard deviation in 8-bit codes; ``scenes``: how many there were to see, since one may be meant as it is."""
        total = int(self.histogram.sum())
        if not total:
            return None
        margin = max(2, round(_NOISES * noise))
        # Strong noise reaches beyond the ends of the range by itself: then nothing is told of what lies there.
        below, above = self._part(0, max(0, 16 - margin)), self._part(min(_CODES, 235 + margin + 1), _CODES)
        black = float(np.percentile([low for low, _ in self.dark], 10))
        white = float(np.percentile([high for high, _ in self.bright], 90))
        low_pile, high_pile = self._piles()
        found, reason = _range(below, above, colour, black, white)
        tone = _tone(black, white, low_pile, high_pile, found)
        if scenes < _SCENES and tone in {"raised black", "washed out"}:
            tone = "undetermined"
        cast, drift = self._cast()
        return Levels(
            black=round(black, 1), white=round(white, 1), below_16=round(below, 5), above_235=round(above, 5),
            clipped_low=round(low_pile, 5), clipped_high=round(high_pile, 5), range_found=found, range_reason=reason, tone=tone,
            cast=cast, cast_drift=drift, transfer_found=_transfer(colour, white, depth),
            darkest_frame=min(self.dark)[1], brightest_frame=max(self.bright)[1],
        )  # fmt: skip

    def _part(self, first: int, end: int) -> float:
        return float(self.histogram[first:end].sum()) / float(self.histogram.sum())

    def _piles(self) -> tuple[float, float]:
        """Part of all samples at the lowest (highest) code in use beyond what its neighbours suggest."""
        used = np.flatnonzero(self.histogram > self.histogram.sum() * 1e-6)
        total = float(self.histogram.sum())
        low, high = int(used[0]), int(used[-1])

        def pile(at: int, step: int) -> float:
            # Noise spreads a pile over two codes.
            here = self.histogram[[at, min(_CODES - 1, max(0, at + step))]].sum()
            beside = [self.histogram[min(_CODES - 1, max(0, at + n * step))] for n in (2, 3, 4, 5)]
            return max(0.0, float(here - 2 * max(beside)) / total)

        return pile(low, 1), pile(high, -1)

    def _cast(self) -> tuple[tuple[float, float], float]:
        if not self.casts:
            return (0.0, 0.0), 0.0
        table = np.array(self.casts)
        middle = np.median(table[:, 1:], axis=0)
        if len(table) < 12:
            return (round(float(middle[0]), 2), round(float(middle[1]), 2)), 0.0
        pieces = np.array([np.median(piece[:, 1:], axis=0) for piece in np.array_split(table, min(12, len(table) // 4))])
        drift = float(np.hypot(*(pieces.max(axis=0) - pieces.min(axis=0))))
        return (round(float(middle[0]), 2), round(float(middle[1]), 2)), round(drift, 2)


def histogram_of(sight: Sight) -> NDArray[np.int64]:
    """Counts of 8-bit luma codes, every second line and fourth column, the outermost sixteenth left out (borders, torn lines).
    Shape=(256,)."""
    codes = sight.codes
    edge, side = codes.shape[0] // 16, codes.shape[1] // 16
    inner = codes[edge : codes.shape[0] - edge : 2, side : codes.shape[1] - side : 4]
    return np.bincount(inner.ravel(), minlength=_CODES)


def percentile(counts: NDArray[np.int64], part: float) -> float:
    """The code below which ``part`` of the samples lie. ``counts``: shape=(256,); ``part``: 0…1."""
    return float(np.searchsorted(np.cumsum(counts), part * counts.sum()))


def _cast(sight: Sight) -> tuple[float, float] | None:
    """Mean Cb and Cr, from 128, of parts that are nearly grey and neither dark nor bright."""
    if sight.chroma is None:
        return None
    cb, cr = (plane[::4, ::4] - np.float32(128) for plane in sight.chroma)
    lines = np.linspace(0, sight.codes.shape[0] - 1, cb.shape[0]).astype(int)
    columns = np.linspace(0, sight.codes.shape[1] - 1, cb.shape[1]).astype(int)
    luma = sight.codes[lines][:, columns]
    grey = (np.hypot(cb, cr) < _NEAR_GREY) & (luma > 50) & (luma < 210)
    if np.count_nonzero(grey) < 0.02 * grey.size:
        return None
    return float(cb[grey].mean()), float(cr[grey].mean())


def _range(
    below: float, above: float, colour: Colour, black: float, white: float
) -> tuple[Literal["limited", "full", "undetermined"], str]:
    outside = f"{100 * below:.2f} % below 16 and {100 * above:.2f} % above 235, noise allowed for"
    flagged = {1: "flagged limited", 2: "flagged full"}.get(colour.range, "not flagged")
    if below > _PLAIN and above > _PLAIN and black < 6 and white > 245:
        return "full", f"{outside}: both ends are in use; {flagged}"
    if black >= 10 and white <= 240 and below <= _PLAIN and above <= _PLAIN:
        # Washed out full-range material would look the same; only black at 16 in dark looks argues for limited.
        if abs(black - 16) <= 5 or colour.range == 1:
            return "limited", f"{outside}; the darkest parts lie at {black:.0f}; {flagged}"
        return "undetermined", f"{outside}; but nothing lies at 16 either; {flagged}"
    return "undetermined", f"{outside}; one end only, which both ranges may show; {flagged}"


def _tone(
    black: float, white: float, low_pile: float, high_pile: float, found: str
) -> Literal["fine", "raised black", "crushed black", "washed out", "clipped white", "undetermined"]:
    floor, ceiling = (0.0, 255.0) if found == "full" else (16.0, 235.0)
    if low_pile > 0.02 and black <= floor + 4:
        return "crushed black"
    if high_pile > 0.01 and white >= ceiling - 2:
        return "clipped white"
    if black > floor + 14:
        return "washed out" if white < ceiling - 25 else "raised black"
    return "fine"


def _transfer(colour: Colour, white: float, depth: int) -> Literal["as flagged", "could be PQ", "could be SDR", "undetermined"]:
    part = (white - 16) / 219
    if colour.transfer in {PQ, HLG}:
        return "could be SDR" if depth == 8 and part > 0.98 else "as flagged"
    if _BT2020 in (colour.primaries, colour.matrix):
        return "could be PQ" if part < _PQ_WHITE else "undetermined"
    return "as flagged"
