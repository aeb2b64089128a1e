"""Blocks of sound that wait: put in as they come, taken out in any numbers of samples. Whoever shares one between threads holds a lock."""

from __future__ import annotations

from collections import deque
from typing import Any

import numpy as np
from numpy.typing import NDArray


class SampleQueue:
    """``channels`` and ``kind`` of the samples; ``held``: how many wait."""

    def __init__(self, channels: int, kind: Any = np.float32) -> None:
        self._empty = np.zeros((0, channels), kind)
        self._blocks: deque[NDArray[Any]] = deque()
        self.held = 0

    def put(self, samples: NDArray[Any]) -> None:
        """``samples``: shape=(samples, channels)."""
        self._blocks.append(samples)
        self.held += len(samples)

    def take(self, count: int) -> NDArray[Any]:
        """ndarray [shape=(samples, channels)]: the oldest ``count``, or as many as there are."""
        parts = []
        while count and self._blocks:
            block = self._blocks.popleft()
            if len(block) > count:
                self._blocks.appendleft(block[count:])
                block = block[:count]
            parts.append(block)
            count -= len(block)
            self.held -= len(block)
        return np.concatenate(parts) if parts else self._empty

    def drop_oldest(self) -> int:
        """The oldest block goes; how many samples that were."""
        gone = len(self._blocks.popleft()) if self._blocks else 0
        self.held -= gone
        return gone

    def __len__(self) -> int:
        """Blocks."""
        return len(self._blocks)

    def clear(self) -> None:
        self._blocks.clear()
        self.held = 0
