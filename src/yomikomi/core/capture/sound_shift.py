"""Moving sound against picture while recording, by a measured offset, without losing either at the joints of parts."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat


class SoundShift:
    """Takes pictures with the sound that came with them, gives them with the sound that belongs to them.

    Parameters
    ----------
    later_ms : the sound is moved to so much later (positive) or sooner. Moved sooner, pictures wait for their sound: a crash
        then costs so much more.
    """

    def __init__(self, source: SourceFormat, later_ms: float) -> None:
        self._channels = source.sound_channels
        self._source = source
        shift = round(later_ms * source.sound_rate / 1000)
        self._skip = max(0, -shift)
        self._kind = np.int32 if source.sound_bits > 16 else np.int16
        self._stock: NDArray[Any] = np.zeros((max(0, shift), self._channels), self._kind)
        self._pictures: deque[tuple[Picture, int]] = deque()
        self._at: int | None = None

    def push(self, picture: Picture, sound: SoundBlock) -> Iterator[tuple[Picture, SoundBlock]]:
        self._at = sound.start if self._at is None else self._at
        samples = sound.samples
        dropped = min(self._skip, len(samples))
        self._skip -= dropped
        self._stock = np.concatenate([self._stock, samples[dropped:]])
        self._pictures.append((picture, len(samples)))
        while self._pictures and len(self._stock) >= self._pictures[0][1]:
            yield self._give()

    def flush(self) -> Iterator[tuple[Picture, SoundBlock]]:
        """The pictures that still wait, with what sound there is and silence after it."""
        missing = sum(count for _, count in self._pictures) - len(self._stock)
        self._stock = np.concatenate([self._stock, np.zeros((max(0, missing), self._channels), self._kind)])
        while self._pictures:
            yield self._give()

    def _give(self) -> tuple[Picture, SoundBlock]:
        picture, count = self._pictures.popleft()
        block, self._stock = self._stock[:count], self._stock[count:]
        assert self._at is not None
        start, self._at = self._at, self._at + count
        return picture, SoundBlock(start, block)
