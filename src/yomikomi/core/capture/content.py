"""Watching what pictures hold while they are recorded: repeats that no number tells, and the end of a tape. (A frame that is missing
without a gap in the numbers cannot be told from a jerk of the camera: docs/science.md.)

A thread of its own looks at small copies. It may fall behind the recording, never the other way round: what it could not
look at is counted.
"""

from __future__ import annotations

import queue
import threading
from collections import deque
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

_SMALL = (180, 120)  # columns, lines of the copies that are looked at
_BLOCK = 12
_AROUND = 4  # frames on both sides that a frame is held against
_QUEUE_BYTES = 64_000_000
# A repeat: the liveliest blocks change less than this part of what they do around it (findings: precision 0.9, recall 0.9 to 1).
_REPEAT_PART, _REPEAT_NOISE = 0.3, 0.75
_CADENCE_FRAMES = 45
_STILL_CODES = 0.7  # mean change of block means between frames that no person would call movement
_BLANK_SPREAD = 5.0  # codes between the darkest and the lightest block means of an empty picture


@dataclass(frozen=True)
class ContentState:
    """Counts since the beginning; ``still_s``: for how long the picture has been blank or still."""

    repeats: int
    unseen: int
    still_s: float
    blank: bool


@dataclass
class _Seen:
    number: int
    energy: float  # mean square change of the liveliest tenth of the blocks, of the livelier field
    noise: float  # mean square change of the stillest tenth
    exact: bool  # not a sample differs


class ContentJudge:
    """Takes frame after frame and says of each, four frames later, whether it repeats the one before.

    Parameters
    ----------
    rate : frames a second.
    fields : the frames hold two fields, which are looked at one by one: a cadence repeats single fields and loses nothing.
    """

    def __init__(self, rate: float, *, fields: bool) -> None:
        self.rate = rate
        self.repeats: list[int] = []
        self.still_s = 0.0
        self.blank = False
        self._step = 2 if fields else 1
        self._seen: deque[_Seen] = deque(maxlen=2 * _AROUND + 1)
        self._recent_repeats: deque[int] = deque()
        self._before: list[NDArray[np.uint8]] = []
        self._before_sum: NDArray[Any] | None = None

    def saw(self, number: int, luma: NDArray[Any]) -> None:
        """``luma``: shape (lines, columns), at least 120 lines a field."""
        small = [_small(luma[first :: self._step]) for first in range(self._step)]
        sums = luma[::7, ::5]
        if self._before_sum is not None:
            exact = bool(np.array_equal(sums, self._before_sum))
            self._seen.append(self._compare(number, self._before, small, exact=exact))
            if len(self._seen) == self._seen.maxlen:
                self._judge()
        self._before, self._before_sum = small, sums.copy()

    def _compare(self, number: int, before: list[NDArray[np.uint8]], now: list[NDArray[np.uint8]], *, exact: bool) -> _Seen:
        changes = [_blocks((two.astype(np.float32) - one) ** 2).ravel() for one, two in zip(before, now, strict=True)]
        tenth = max(1, changes[0].size // 10)
        ordered = [np.sort(change) for change in changes]
        means, means_before = _blocks(now[0].astype(np.float32)), _blocks(before[0].astype(np.float32))
        self.blank = float(means.max() - means.min()) < _BLANK_SPREAD
        still = self.blank or float(np.abs(means - means_before).mean()) < _STILL_CODES
        self.still_s = self.still_s + 1 / self.rate if still else 0.0
        return _Seen(number, max(float(one[-tenth:].mean()) for one in ordered), float(ordered[0][:tenth].mean()), exact)

    def _judge(self) -> None:
        around = list(self._seen)
        one = around.pop(_AROUND)
        # On both sides: the last still frame before a cut, or before something begins to move, repeats nothing. Two dropouts that
        # come and go are no movement, and a repeat nearby is no standing still: the second least of four counts.
        usual = min(sorted(other.energy for other in side)[1] for side in (around[:_AROUND], around[_AROUND:]))
        lively = usual > 2.5 * (one.noise + 0.5)
        same = one.energy < _REPEAT_PART * usual and one.energy < _REPEAT_NOISE * 2 * (one.noise + 1.0) + 0.5
        if (one.exact and usual > 0.2) or (lively and same):
            self._repeated(one.number)

    def _repeated(self, number: int) -> None:
        """Repeats that come as regularly as in a cadence (more than one in nine) are how the source is, not a fault."""
        _remember(self._recent_repeats, number)
        if len(self._recent_repeats) > _CADENCE_FRAMES // 9:
            self.repeats = [known for known in self.repeats if known < self._recent_repeats[0]]
        else:
            self.repeats.append(number)


def _remember(places: deque[int], number: int) -> None:
    """Keep a number, and forget those too far back to belong to the same cadence."""
    places.append(number)
    while places[0] < number - _CADENCE_FRAMES:
        places.popleft()


def _small(luma: NDArray[Any]) -> NDArray[np.uint8]:
    small = cv2.resize(luma, _SMALL, interpolation=cv2.INTER_AREA)
    return np.asarray(small if small.dtype == np.uint8 else small >> 2, np.uint8)


def _blocks(plane: NDArray[np.float32]) -> NDArray[np.float32]:
    lines, columns = plane.shape[0] // _BLOCK, plane.shape[1] // _BLOCK
    return np.asarray(plane[: lines * _BLOCK, : columns * _BLOCK].reshape(lines, _BLOCK, columns, _BLOCK).mean(axis=(1, 3)), np.float32)


class ContentWatch(threading.Thread):
    """The thread. ``offer`` never waits."""

    def __init__(self, rate: float, *, fields: bool, frame_bytes: int) -> None:
        super().__init__(name="content", daemon=True)
        self._judge = ContentJudge(rate, fields=fields)
        self._waiting: queue.Queue[tuple[int, NDArray[Any]] | None] = queue.Queue(max(8, min(120, _QUEUE_BYTES // frame_bytes)))
        self._unseen = 0

    def offer(self, number: int, luma: NDArray[Any]) -> None:
        """A picture to look at: ``luma`` shape=(lines, columns), codes of the source's depth. Returns at once; one that comes too soon
        is left out."""
        try:
            self._waiting.put_nowait((number, luma))
        except queue.Full:
            self._unseen += 1

    def state(self) -> ContentState:
        judge = self._judge
        return ContentState(len(judge.repeats), self._unseen, judge.still_s, judge.blank)

    @property
    def repeats(self) -> tuple[int, ...]:
        return tuple(self._judge.repeats)

    def finish(self, *, wait: bool) -> None:
        """Let it go; ``wait``: after it looked at what is still there, a second at most."""
        if not wait:
            while not self._waiting.empty():
                self._waiting.get_nowait()
        self._waiting.put(None)
        self.join(2)

    def run(self) -> None:
        while (item := self._waiting.get()) is not None:
            self._judge.saw(*item)
