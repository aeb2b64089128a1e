"""Frames that were repeated, lost or frozen, from the pictures themselves.

Repeats: the liveliest tenth of the picture changes no more than noise does, among frames that move (precision 0.9 or more on
noisy tape, docs/science.md). Losses without a gap in the time stamps: everything that moves goes further than around, by dense
motion at the few places where the plain change stands out; they are called suspected, since a third is missed and people do
jerk. Cadences repeat by design: frames of such segments are not losses.
"""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

import cv2
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.content import unlike
from yomikomi.core.capture.runs import runs_where
from yomikomi.core.reading.models import Losses
from yomikomi.core.reading.scan.evidence import Evidence
from yomikomi.core.reading.scan.likelihood import neighbours, noise_top
from yomikomi.core.reading.scan.verdict import Segment, kind_at
from yomikomi.core.reading.sight import Sight

_AROUND = 4
# A repeat changes by less than this part of what is usual around, and of what noise makes (which strays by about 5 %); it can
# be told where things change by more than the third part of that noise again.
_REPEAT_PART, _REPEAT_NOISE, _LIVELY = 0.06, 0.12, 0.45
_MOST_PLACES = 500
_SHORTEST_FREEZE = 5
# A frame looked at for a jump changes by so much more than each neighbour; then motion must say the same.
_STANDS_OUT, _JUMP, _JUMP_NEXT = 1.2, 1.6, 1.25
_LEAST_MOVE = 1.0  # samples of the small copy
_UNLIKE = 2.2
_CUT = 3.5


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


@dataclass(frozen=True)
class _Small:
    number: int
    picture: NDArray[np.uint8]
    change: float


class JumpMeter:
    """Sees every frame; works out motion only where the change stands out."""

    def __init__(self) -> None:
        self.suspected: list[int] = []
        self._kept: deque[_Small] = deque(maxlen=2 * _AROUND + 2)
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
        self._flow.setFinestScale(1)

    def see(self, sight: Sight) -> None:
        small = sight.small
        last = self._kept[-1].picture if self._kept else None
        if last is not None and last.shape != small.shape:
            self._kept.clear()
            last = None
        change = 0.0 if last is None else float(cv2.mean(cv2.absdiff(last, small))[0])
        self._kept.append(_Small(sight.number, small, change))
        if len(self._kept) == self._kept.maxlen and self._stands_out():
            self._check()

    def skip(self) -> None:
        self._kept.clear()

    def _stands_out(self) -> bool:
        changes = [one.change for one in self._kept]
        middle = changes[_AROUND + 1]
        others = changes[1 : _AROUND + 1] + changes[_AROUND + 2 :]
        # A frame that follows a repeat makes up for it; a cut stands out far more.
        usual = median(others)
        return usual > 0.5 and max(others) * _STANDS_OUT < middle < _CUT * usual and min(others) > 0.4 * usual

    def _check(self) -> None:
        pictures = [one.picture for one in self._kept]
        at = _AROUND + 1
        flows = {step: self._pace(pictures[step - 1], pictures[step]) for step in range(at - 2, at + 3)}
        beside = [flows[step] for step in (at - 2, at - 1, at + 1, at + 2)]
        base = np.median(np.stack([pace for pace, _ in beside]), axis=0)
        moving = base > _LEAST_MOVE
        if np.count_nonzero(moving) < 0.05 * moving.size:
            return
        pace, unexplained = flows[at]
        ratio = float(np.median(pace[moving] / base[moving]))
        next_to = max(float(np.median(other[moving] / base[moving])) for other, _ in beside)
        rest = float(np.median([other for _, other in beside]))
        if ratio > _JUMP and ratio > _JUMP_NEXT * next_to and unexplained < _UNLIKE * rest + 1.0:
            self.suspected.append(self._kept[at].number)

    def _pace(self, one: NDArray[np.uint8], two: NDArray[np.uint8]) -> tuple[NDArray[np.float32], float]:
        """How far each block moves, and the mean difference that moving does not explain."""
        flow = np.asarray(self._flow.calc(one, two, None), np.float32)
        lines, columns = one.shape
        size = np.hypot(flow[..., 0], flow[..., 1])
        blocks = cv2.resize(size, (columns // 8, lines // 8), interpolation=cv2.INTER_AREA)
        return np.asarray(blocks, np.float32), unlike(one, two, flow)


def losses_of(
    parts: Sequence[tuple[int, Evidence]], segments: Sequence[Segment], suspected: Sequence[int], *, gaps: Sequence[int]
) -> Losses:
    """Parameters
    ----------
    parts : stretches of consecutive frames with the number of their first; a full reading has one.
    segments : of the whole take, in numbers of frames.
    suspected : from the jump meter. ``gaps``: frames before which stamps miss some already, which explains a jump.
    """
    repeated: list[int] = []
    frozen: list[tuple[int, int]] = []
    for first, evidence in parts:
        again, stands = find_repeats(evidence)
        repeated += [first + at for at in again if kind_at(segments, first + at) != "repeats"]
        frozen += [(first + at, length) for at, length in stands]
    told = {at + step for at in gaps for step in (0, 1)}
    known = set(repeated)
    jumps = [
        at for at in suspected
        if at not in told and not {at, at - 1} & known and kind_at(segments, at) not in {"repeats", "film_2_3", "film_2_3_3_2"}
    ]  # fmt: skip
    return Losses(
        repeated=repeated[:_MOST_PLACES], suspected=jumps[:_MOST_PLACES], frozen=frozen[:_MOST_PLACES],
        repeated_count=len(repeated), suspected_count=len(jumps),
    )  # fmt: skip
