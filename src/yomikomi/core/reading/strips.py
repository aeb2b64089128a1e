"""From a value a frame to strips short enough to keep and to draw."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.measures.light import Codes
from yomikomi.core.reading.models import Complexity, Losses, Strips
from yomikomi.core.reading.scan.evidence import Evidence, Values
from yomikomi.core.reading.scan.verdict import Vote
from yomikomi.core.reading.sound import SoundMeter, decibels
from yomikomi.core.reading.taking import Window

_MOST_BINS = 2000
_CELL_SECONDS = 0.5


def make_strips(
    evidence: Evidence,
    votes: NDArray[np.int8],
    light: Codes,
    sounds: Sequence[SoundMeter],
    *,
    rate: Fraction,
    first: Fraction,
    windows: Sequence[tuple[Window, int]] | None = None,
    frames: int = 0,
    losses: Losses | None = None,
) -> Strips:
    """``windows``: of a quick reading; each fills a bin, which stands for the stretch around it. ``votes``: shape=(frames,), the
    pattern of each frame."""
    seen = max(1, len(evidence))
    if windows:
        per_bin = max(1, -(-frames // len(windows)))
        bins = len(windows)
        places = np.concatenate([np.full(end - window.at, number) for number, (window, end) in enumerate(windows)])
    else:
        per_bin = -(-seen // _MOST_BINS)
        bins = -(-seen // per_bin)
        places = np.arange(len(evidence)) // per_bin
    counted = np.zeros((bins, len(Vote)), np.int64)
    if len(evidence):
        np.add.at(counted, (places, votes.astype(int)), 1)
    # The commonest vote of a bin; "nothing" only where no frame of it says anything.
    counted[:, 0] = np.where(counted[:, 1:].sum(axis=1) == 0, 1, 0)
    peaks = np.zeros(bins)
    for meter in sounds:
        for at, length, peak, _ in meter.levels:
            low, high = (int(((Fraction(t) - first) * rate) // per_bin) for t in (at, at + length))
            peaks[max(0, low) : min(bins, high + 1)] = np.maximum(peaks[max(0, low) : min(bins, high + 1)], peak)
    low_codes = _binned(light[:, 0].astype(float), places, bins, smallest=True)
    return Strips(
        frames_per_bin=per_bin,
        combing=_rounded(_binned(evidence.combing, places, bins), 2),
        motion=_rounded(_binned(evidence.motion, places, bins), 2),
        vote=[int(value) for value in counted.argmax(axis=1)],
        sound_db=[round(decibels(float(value)), 1) for value in peaks],
        low=_rounded(low_codes, 0),
        high=_rounded(_binned(light[:, 1].astype(float), places, bins), 0),
        loss=_losses(losses, bins, per_bin),
    )


def _binned(values: Values, places: NDArray[np.int64], bins: int, *, smallest: bool = False) -> Values:
    """The largest (smallest) value of each bin, 0 for an empty one."""
    out = np.full(bins, np.inf if smallest else -np.inf)
    (np.minimum if smallest else np.maximum).at(out, places, values)
    return np.where(np.isfinite(out), out, 0.0)


def _rounded(values: Values, digits: int) -> list[float]:
    return [round(float(value), digits) for value in values]


def _losses(losses: Losses | None, bins: int, per_bin: int) -> list[int]:
    marks = np.zeros(bins, np.int64)
    if losses is not None:
        for kind, places in ((1, losses.repeated), (2, [at for at, _ in losses.frozen])):
            for at in places:
                if at // per_bin < bins:
                    marks[at // per_bin] = max(marks[at // per_bin], kind)
    return [int(mark) for mark in marks]


def make_complexity(frame_bytes: list[int], keys: list[bool], *, rate: Fraction) -> Complexity:
    per_cell = max(1, round(_CELL_SECONDS * rate))
    key_bytes = [size if key else 0 for size, key in zip(frame_bytes, keys, strict=True)]
    sums, key_sums = (
        [sum(sizes[start : start + per_cell]) for start in range(0, len(sizes), per_cell)] for sizes in (frame_bytes, key_bytes)
    )
    return Complexity(frames_per_cell=per_cell, cell_bytes=sums, cell_key_bytes=key_sums)


def sampled_complexity(frame_bytes: list[int], windows: Sequence[tuple[Window, int]], frames: int) -> Complexity:
    """Each window stands for the stretch around it; its first frame, which follows nothing, is left out."""
    per_cell = max(1, -(-frames // max(1, len(windows))))
    cells = []
    for window, end in windows:
        inside = frame_bytes[window.at + 1 : end] or frame_bytes[window.at : end]
        cells.append(round(sum(inside) / max(1, len(inside)) * per_cell))
    return Complexity(frames_per_cell=per_cell, cell_bytes=cells)


def most_combed(evidence: Evidence, *, rate: Fraction) -> int:
    """The middle frame of the second with most combing; without any, of the second with most motion."""
    count = len(evidence)
    if not count:
        return 0
    span = min(count, max(1, round(rate)))
    window = np.ones(span)
    for values in (evidence.combing, evidence.motion):
        if values.max() > 0.5:
            return int(np.convolve(values, window, mode="valid").argmax()) + span // 2
    return count // 2
