"""All that is heard of a source while it is captured: levels, signs, loudness, clocks; programme only."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.clocks import DriftWatch
from yomikomi.core.capture.loudness import Loudness, LoudnessMeter
from yomikomi.core.capture.sound_watch import SoundLevels, SoundWatch, levels_of
from yomikomi.core.video.source import SoundBlock, SourceFormat

# Levels on the screen are those of the last tenth of a second: a frame alone is too short for a low tone.
_LEVEL_S = 0.1


class Listening:
    def __init__(self, source: SourceFormat) -> None:
        self._source = source
        programme = source.sound_channels - source.commentary_channels
        self._programme = programme
        self._watch = SoundWatch(source.sound_rate, max(1, programme))
        self._meter = LoudnessMeter(source.sound_rate, programme) if programme in {1, 2} else None
        self.drift = DriftWatch(source.sound_rate)
        self._recent: list[NDArray[np.int16]] = []
        self._second: list[NDArray[np.int16]] = []

    @property
    def silent_s(self) -> float:
        return self._watch.silent_s

    @property
    def clipped(self) -> int:
        return self._watch.clipped

    @property
    def signs(self) -> tuple[str, ...]:
        return tuple(self._watch.signs())

    @property
    def loudness(self) -> Loudness | None:
        return self._meter.now if self._meter else None

    @property
    def levels(self) -> SoundLevels:
        """Of every channel, commentary too, over the last tenth of a second."""
        return levels_of(np.concatenate(self._recent)) if self._recent else SoundLevels((), ())

    def heard(self, block: SoundBlock) -> None:
        self.drift.heard(block.start, block.stamp_us)
        samples = block.coarse
        if not samples.size:
            return
        programme = samples[:, : self._programme]
        self._watch.heard(programme)
        if self._meter:
            self._meter.push(programme)
        self._second.append(samples)
        self._recent.append(samples)
        while sum(len(one) for one in self._recent[1:]) >= _LEVEL_S * self._source.sound_rate:
            self._recent.pop(0)

    def take_second(self) -> SoundLevels:
        """Levels since last asked."""
        whole, self._second = self._second, []
        return levels_of(np.concatenate(whole)) if whole else SoundLevels((), ())
