"""Faults of delivery put into a simulated source, with their truth: for tests, and for learning to see them."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.source import Picture, SoundBlock, Source, SourceEnded, SourceFormat, SourceSpec

# How long a source says nothing before a simulation gives up.
_SILENCE_S = 3.0


@dataclass(frozen=True)
class Faults:
    """Which frames fare how, by the numbers of the source they come from.

    Parameters
    ----------
    lost : never come; their numbers are missing.
    swallowed : never come, and those after them are numbered as if nothing had happened.
    repeated : come as the frame before them once more.
    sound_ppm : the sound's clock runs so much faster than the picture's.
    jitter_us : standard deviation of the stamps.
    unplugged_at : the source is lost at this frame. ``silent_at``: it says nothing more for a long time.
    slow_s : seconds every reading takes besides.
    """

    lost: frozenset[int] = frozenset()
    swallowed: frozenset[int] = frozenset()
    repeated: frozenset[int] = frozenset()
    sound_ppm: float = 0.0
    jitter_us: float = 0.0
    unplugged_at: int | None = None
    silent_at: int | None = None
    slow_s: float = 0.0

    @classmethod
    def scattered(cls, kind: Literal["lost", "swallowed", "repeated"], *, frames: int, count: int, seed: int) -> Faults:
        """``count`` single frames of one kind, at least a dozen frames apart."""
        rng = np.random.default_rng([seed, 40])
        places: list[int] = []
        while len(places) < count:
            place = int(rng.integers(12, frames - 12))
            if all(abs(place - other) >= 12 for other in places):
                places.append(place)
        chosen: dict[str, Any] = {kind: frozenset(places)}
        return cls(**chosen)


@dataclass(frozen=True)
class FaultySpec:
    source: SourceSpec
    faults: Faults = field(default_factory=Faults)

    def open(self) -> Faulty:
        return Faulty(self.source.open(), self.faults)


class Faulty:
    """The opened source with its faults."""

    def __init__(self, source: Source, faults: Faults, *, sleep: Callable[[float], None] = time.sleep) -> None:
        self.format: SourceFormat = source.format
        self._source, self._faults, self._sleep = source, faults, sleep
        self._rng = np.random.default_rng(41)
        self._closed = False
        self._before: Picture | None = None
        self._swallowed = 0
        self._sent = 0

    def read(self) -> tuple[Picture, SoundBlock]:
        faults = self._faults
        picture, sound = self._source.read()
        while picture.number in faults.lost | faults.swallowed:
            self._swallowed += picture.number in faults.swallowed
            picture, more = self._source.read()
            sound = SoundBlock(sound.start, np.concatenate([sound.samples, more.samples]), sound.stamp_us)
        if faults.unplugged_at is not None and picture.number >= faults.unplugged_at:
            raise SourceLostError("The device is gone.", remedy="Plug it in again; what was recorded is kept.")
        if faults.silent_at is not None and picture.number >= faults.silent_at:
            for _ in range(round(_SILENCE_S / 0.02)):
                if not self._closed:
                    self._sleep(0.02)
            raise SourceEnded
        if faults.slow_s:
            self._sleep(faults.slow_s)
        if picture.number in faults.repeated and self._before is not None:
            picture = replace(self._before, number=picture.number, ready_at=picture.ready_at, stamp_us=picture.stamp_us)
        self._before = picture
        return self._stamped(picture), self._timed(sound)

    def close(self) -> None:
        self._closed = True
        self._source.close()

    def _stamped(self, picture: Picture) -> Picture:
        stamp = picture.stamp_us
        if stamp is not None and self._faults.jitter_us:
            stamp += round(self._faults.jitter_us * self._rng.standard_normal())
        return replace(picture, number=picture.number - self._swallowed, stamp_us=stamp)

    def _timed(self, sound: SoundBlock) -> SoundBlock:
        """A faster clock counts more samples in the same time; single samples are put in (or left out) for it."""
        if not self._faults.sound_ppm or not len(sound.samples):
            return sound
        start = self._sent
        due = round((sound.start + len(sound.samples)) * (1 + self._faults.sound_ppm * 1e-6)) - start
        places = np.minimum(np.arange(due) * len(sound.samples) // max(1, due), len(sound.samples) - 1)
        self._sent = start + due
        return SoundBlock(start, sound.samples[places], sound.stamp_us)
