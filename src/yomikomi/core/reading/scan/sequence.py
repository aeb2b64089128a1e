"""From what each frame says to what the whole take is: the likeliest path through the patterns, and how sure it is.

A hidden Markov model whose states are the places in the rounds of all patterns. From frame to frame a round goes on; now and
then an edit breaks it, and now and then the material changes. Source: Rabiner, A Tutorial on Hidden Markov Models, Proc. IEEE
77 (1989), the Viterbi and forward algorithms (from memory).
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.reading.scan.evidence import Values
from yomikomi.core.reading.scan.patterns import BEFORE, CLASS_OF, LENGTHS, PATTERNS, REAL, ROUND, WEIGHTS

# Neighbouring frames show the same motion and err alike: each counts for so much of an independent witness. Compression errs
# alike for longer. Set so that verdicts are right as often as they claim (docs/reading-proof.md). Where one kind ends and another
# begins is found with more trust in the frames of compressed sources: two seconds of another kind are else explained away.
TEMPER, TEMPER_LOSSY, _PATH_LOSSY = 0.3, 0.12, 0.2
# How often an edit breaks a round, at a cut and elsewhere, and how often the material changes.
_BREAK, _BREAK_AT_CUT = 0.01, 0.4
_CHANGE, _CHANGE_AT_CUT = 2e-4, 5e-3
_NEVER = -1e30

_ROWS = np.arange(len(PATTERNS))[:, None]


@dataclass(frozen=True)
class Path:
    """``pattern`` and ``place`` of each frame: index of the row in ``PATTERNS`` and place in its round; ``broken``: frames where
    a round does not go on as it should although the pattern stays."""

    pattern: NDArray[np.int64]
    place: NDArray[np.int64]
    broken: tuple[int, ...]

    def runs(self) -> tuple[tuple[int, str, int], ...]:
        """Where a round begins that goes on undisturbed: frame, key of the pattern, place in its round there."""
        if not len(self.pattern):
            return ()
        goes_on = (self.pattern[1:] == self.pattern[:-1]) & (self.place[1:] == (self.place[:-1] + 1) % LENGTHS[self.pattern[:-1]])
        starts = [0, *(int(at) + 1 for at in np.flatnonzero(~goes_on))]
        return tuple((at, PATTERNS[self.pattern[at]].key, int(self.place[at])) for at in starts)


def likeliest_path(found: Values, cut: NDArray[np.bool_], *, lossy: bool) -> Path:
    """Viterbi over all states; ``found``: shape (frames, classes)."""
    weight = _PATH_LOSSY if lossy else TEMPER
    frames, count = len(found), len(PATTERNS)
    best = np.where(REAL, np.log(WEIGHTS / WEIGHTS.sum() / LENGTHS)[:, None], _NEVER)
    if frames:
        best = best + weight * found[0][CLASS_OF]
    # One byte a state and frame: there are fewer than 256 states.
    came = np.zeros((frames, count, ROUND), np.uint8)
    steps = {flag: _steps(flag) for flag in (False, True)}
    starts = _ROWS[:, 0] * ROUND
    for at in range(1, frames):
        goes_on, breaks, changes = steps[bool(cut[at])]
        of_pattern = best.argmax(axis=1)
        top = best[_ROWS[:, 0], of_pattern]
        leader = int(top.argmax())
        on = best[_ROWS, BEFORE] + goes_on
        other = np.maximum(top + breaks, top[leader] + changes)
        jumped = on < other[:, None]
        within = top + breaks >= top[leader] + changes
        source = np.where(within, starts + of_pattern, leader * ROUND + of_pattern[leader])
        came[at] = np.where(jumped, source[:, None], _ROWS * ROUND + BEFORE)
        best = np.where(REAL, np.where(jumped, other[:, None], on), _NEVER) + weight * found[at][CLASS_OF]
    states = np.zeros(frames, np.int64)
    if frames:
        states[-1] = int(best.argmax())
        for at in range(frames - 1, 0, -1):
            states[at - 1] = came[at].ravel()[states[at]]
    pattern, place = np.divmod(states, ROUND)
    return Path(pattern, place, _broken(pattern, place))


def pattern_chances(found: Values, *, lossy: bool) -> Values:
    """How likely each pattern alone is to be behind all these frames, shape (patterns,), sum 1; breaks are allowed."""
    weight = TEMPER_LOSSY if lossy else TEMPER
    forward = np.where(REAL, -np.log(LENGTHS)[:, None], _NEVER)
    if len(found):
        forward = forward + weight * found[0][CLASS_OF]
    goes_on, breaks = np.log(1 - _BREAK), np.log(_BREAK) - np.log(LENGTHS)
    for now in found[1:]:
        total = _sum_of_logs(forward)
        forward = np.where(REAL, np.logaddexp(forward[_ROWS, BEFORE] + goes_on, (total + breaks)[:, None]), _NEVER) + weight * now[CLASS_OF]
    chances = _sum_of_logs(forward) + np.log(WEIGHTS)
    chances = np.exp(chances - chances.max())
    return np.asarray(chances / chances.sum())


def _steps(at_cut: bool) -> tuple[float, Values, Values]:
    breaks, changes = (_BREAK_AT_CUT, _CHANGE_AT_CUT) if at_cut else (_BREAK, _CHANGE)
    goes_on = float(np.log(1 - breaks - changes))
    return goes_on, np.log(breaks) - np.log(LENGTHS), np.log(changes * WEIGHTS / WEIGHTS.sum() / LENGTHS)


def _sum_of_logs(values: Values) -> Values:
    most = values.max(axis=1)
    return np.asarray(most + np.log(np.exp(values - most[:, None]).sum(axis=1)))


def _broken(pattern: NDArray[np.int64], place: NDArray[np.int64]) -> tuple[int, ...]:
    same = pattern[1:] == pattern[:-1]
    expected = (place[:-1] + 1) % LENGTHS[pattern[:-1]] if len(pattern) else place[:0]
    return tuple(int(at) + 1 for at in np.flatnonzero(same & (place[1:] != expected)))


def runs_of(values: NDArray[np.int64]) -> list[tuple[int, int, int]]:
    """(value, first, end) of each stretch of equal values; ``end`` is one past the last. ``values``: shape=(n,)."""
    edges = [0, *(int(at) + 1 for at in np.flatnonzero(np.diff(values))), len(values)]
    return [(int(values[first]), first, end) for first, end in itertools.pairwise(edges) if end > first]
