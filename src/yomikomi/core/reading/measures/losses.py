"""Frames that were repeated or frozen, from the pictures themselves.

Repeats: the liveliest tenth of the picture changes no more than noise does, among frames that move (precision 0.9 or more on
noisy tape, docs/science.md). Cadences repeat by design: frames of such segments are not losses. A frame that was lost without a
gap in the time stamps is not told: on clips that nothing was set on, one in eighteen was seen and three in four marks were false.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from yomikomi.core.capture.runs import runs_where
from yomikomi.core.reading.models import Losses
from yomikomi.core.reading.scan.evidence import Evidence
from yomikomi.core.reading.scan.likelihood import neighbours, noise_top
from yomikomi.core.reading.scan.verdict import Segment, kind_at

_AROUND = 4
# A repeat changes by less than this part of what is usual around, and of what noise makes (which strays by about 5 %); it can
# be told where things change by more than the third part of that noise again.
_REPEAT_PART, _REPEAT_NOISE, _LIVELY = 0.03, 0.12, 0.45
_MOST_PLACES = 500
_SHORTEST_FREEZE = 5


def find_repeats(evidence: Evidence) -> tuple[list[int], list[tuple[int, int]]]:
    """Frames that repeat the one before, and stand-stills (first frame, length), in consecutive frames."""
    if len(evidence) < 3:
        return [], []
    floor = noise_top(evidence)
    change = np.maximum(evidence.liveliest - floor, 0)
    near = neighbours(change, _AROUND, mode="reflect")
    # On both sides: the last still frame before something begins to move repeats nothing.
    usual = np.minimum(np.median(near[:_AROUND], axis=0), np.median(near[_AROUND:], axis=0))
    repeat = (change < _REPEAT_PART * usual + _REPEAT_NOISE * floor) & (usual > _LIVELY * floor + 2)
    repeat[0] = False
    # In noisy material a frame that is frozen in the recorder carries the same noise again.
    grain = float(np.median(evidence.quietest[1:]))
    frozen = (evidence.quietest < 0.2 * grain) & (evidence.liveliest < floor + 1) if grain > 1 else np.zeros(len(change), np.bool_)
    frozen[0] = False
    freezes = [(first, end - first) for first, end in runs_where(frozen) if end - first >= _SHORTEST_FREEZE]
    for first, length in freezes:
        repeat[first : first + length] = False
    return [int(at) for at in np.flatnonzero(repeat)], freezes


def losses_of(parts: Sequence[tuple[int, Evidence]], segments: Sequence[Segment]) -> Losses:
    """Parameters
    ----------
    parts : stretches of consecutive frames with the number of their first; a full reading has one.
    segments : of the whole take, in numbers of frames.
    """
    repeated: list[int] = []
    frozen: list[tuple[int, int]] = []
    for first, evidence in parts:
        again, stands = find_repeats(evidence)
        repeated += [first + at for at in again if kind_at(segments, first + at) != "repeats"]
        frozen += [(first + at, length) for at, length in stands]
    return Losses(repeated=repeated[:_MOST_PLACES], frozen=frozen[:_MOST_PLACES], repeated_count=len(repeated))
