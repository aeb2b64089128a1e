"""From a value a frame to strips short enough to keep and to draw."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from yomikomi.core.reading.models import Complexity, Strips
from yomikomi.core.reading.scan import FrameEvidence
from yomikomi.core.reading.sound import SoundMeter, decibels

_MOST_BINS = 2000
_CELL_SECONDS = 0.5


def make_strips(evidence: list[FrameEvidence], sounds: list[SoundMeter], *, rate: Fraction, first: Fraction) -> Strips:
    frames = max(1, len(evidence))
    per_bin = -(-frames // _MOST_BINS)
    bins = -(-frames // per_bin)
    combing, motion = np.zeros(bins), np.zeros(bins)
    votes = np.zeros((bins, 5), np.int64)
    for number, one in enumerate(evidence):
        place = number // per_bin
        combing[place] = max(combing[place], one.combing)
        motion[place] = max(motion[place], one.motion)
        votes[place, int(one.vote)] += 1
    # The commonest vote of a bin; "nothing" only where no frame of it says anything.
    votes[:, 0] = np.where(votes[:, 1:].sum(axis=1) == 0, 1, 0)
    peaks = np.zeros(bins)
    for meter in sounds:
        for at, length, peak, _ in meter.levels:
            low, high = (int(((Fraction(t) - first) * rate) // per_bin) for t in (at, at + length))
            peaks[max(0, low) : min(bins, high + 1)] = np.maximum(peaks[max(0, low) : min(bins, high + 1)], peak)
    return Strips(
        frames_per_bin=per_bin,
        combing=[round(float(value), 2) for value in combing],
        motion=[round(float(value), 2) for value in motion],
        vote=[int(value) for value in votes.argmax(axis=1)],
        sound_db=[round(decibels(float(value)), 1) for value in peaks],
    )


def make_complexity(frame_bytes: list[int], *, rate: Fraction) -> Complexity:
    per_cell = max(1, round(_CELL_SECONDS * rate))
    sums = [sum(frame_bytes[start : start + per_cell]) for start in range(0, len(frame_bytes), per_cell)]
    return Complexity(frames_per_cell=per_cell, cell_bytes=sums)


def most_combed(evidence: list[FrameEvidence], *, rate: Fraction) -> int:
    """The middle frame of the second with most combing; without any, of the second with most motion."""
    if not evidence:
        return 0
    span = min(len(evidence), max(1, round(rate)))
    window = np.ones(span)
    for values in ([e.combing for e in evidence], [e.motion for e in evidence]):
        if max(values) > 0.5:
            sums = np.convolve(values, window, mode="valid")
            return int(sums.argmax()) + span // 2
    return len(evidence) // 2
