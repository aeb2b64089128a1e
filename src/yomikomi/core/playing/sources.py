"""What can be played: a file as it is, and a take as its treatment makes it."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from functools import cached_property
from pathlib import Path
from typing import Protocol

import av
import numpy as np

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Kept, Pieces
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.treatment.treated_sound import TreatedSound
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.media import heard_streams, open_media, video_stream
from yomikomi.core.video.packets import BARE_STREAMS, frames_of
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.sound_out import CHANNELS, RATE, Samples

Check = Callable[[], None]


class PlaySource(Protocol):
    """Parameters
    ----------
    rate : frames a second.
    seconds : its length.
    shape : display aspect ratio. ``lines``: of a picture as it is stored.
    sounds : how many sound tracks there are.
    """

    @property
    def rate(self) -> Fraction: ...

    @property
    def seconds(self) -> float: ...

    @property
    def shape(self) -> Fraction: ...

    @property
    def lines(self) -> int: ...

    @property
    def sounds(self) -> int: ...

    def pictures(self, first: int, check: Check) -> Iterator[tuple[float, av.VideoFrame]]:
        """Frames from number ``first`` on, each with the second at which it is first seen."""

    def sound(self, track: int, begin: float, check: Check) -> Iterator[tuple[int, Samples]]:
        """Blocks from a second on, at 48 kHz, each with its place in samples from the beginning; where nothing is, no block comes."""


@dataclass(frozen=True)
class FileSource:
    """A file as its own stamps have it."""

    path: Path

    @cached_property
    def _head(self) -> tuple[Fraction, Fraction, Fraction, int, Fraction, int]:
        """Rate, length, shape, sound tracks, stamp of the first picture, lines."""
        with open_media(self.path) as container:
            stream = video_stream(container, self.path)
            frame = next(frames_of(container, stream, self.path))
            aspect = Fraction(stream.sample_aspect_ratio or 1)
            rate = Fraction(stream.average_rate or stream.guessed_rate or 25)
            first = (frame.pts or 0) * Fraction(stream.time_base or Fraction(1, 1000))
            length = Fraction(container.duration or 0, av.time_base)
            shape = Fraction(frame.width, frame.height) * aspect
            turned = int(frame.rotation or 0) % 180
            return rate, length, 1 / shape if turned else shape, len(heard_streams(container)), first, frame.height

    @property
    def rate(self) -> Fraction:
        return self._head[0]

    @property
    def seconds(self) -> float:
        return float(self._head[1])

    @property
    def shape(self) -> Fraction:
        return self._head[2]

    @property
    def lines(self) -> int:
        return self._head[5]

    @property
    def sounds(self) -> int:
        return self._head[3]

    def pictures(self, first: int, check: Check) -> Iterator[tuple[float, av.VideoFrame]]:
        begin = max(Fraction(0), first / self.rate - 1 / (4 * self.rate))
        for frame in frames_from(self.path, start_seconds=begin, first_seconds=self._head[4]):
            check()
            yield float((frame.pts or 0) * Fraction(frame.time_base or 1) - self._head[4]), frame

    def sound(self, track: int, begin: float, check: Check) -> Iterator[tuple[int, Samples]]:
        with open_media(self.path) as container:
            stream = heard_streams(container)[track]
            base = Fraction(stream.time_base or Fraction(1, 1000))
            if begin > 1 and container.format.name not in BARE_STREAMS:
                container.seek(int((self._head[4] + Fraction(begin) - 1) / base), stream=stream)
            maker = _Stereo()
            for block in frames_of(container, stream, self.path):
                check()
                at = (block.pts or 0) * Fraction(block.time_base or base) - self._head[4]
                yield from maker.push(block, at)


@dataclass(frozen=True)
class TreatedSource:
    """A take as a treatment makes it."""

    path: Path
    reading: Reading
    treatment: Treatment

    @cached_property
    def _timing(self) -> Timing:
        return Timing.of(self.reading, self.treatment)

    @property
    def rate(self) -> Fraction:
        return self._timing.rate

    @property
    def seconds(self) -> float:
        return float(self._timing.seconds)

    @cached_property
    def _geometry(self) -> Geometry:
        return TreatedFrames(self.path, self.reading, self.treatment).format.geometry

    @property
    def shape(self) -> Fraction:
        return self._geometry.display_aspect

    @property
    def lines(self) -> int:
        return self._geometry.height

    @property
    def sounds(self) -> int:
        return len(self._sounds)

    @cached_property
    def _sounds(self) -> list[int | JoinedSound]:
        """Those of the take that go into a copy, and what was recorded separately."""
        return [*(one.index for one in self.reading.sound if self.treatment.takes_sound(one.index)), *self.treatment.joined]

    def pictures(self, first: int, check: Check) -> Iterator[tuple[float, av.VideoFrame]]:
        span = range(max(0, min(first, self._timing.frames - 1)), self._timing.frames)
        for number, frame in enumerate(TreatedFrames(self.path, self.reading, self.treatment, span, check=check, most_filled_s=None)):
            yield float((span.start + number) / self.rate), frame

    def sound(self, track: int, begin: float, check: Check) -> Iterator[tuple[int, Samples]]:
        timing = self._timing
        span = range(min(int(begin * self.rate), timing.frames), timing.frames)
        kept = Kept(tuple(timing.kept.stretches(span)))
        if not kept.parts:
            return
        found = Pieces.of(kept, self.rate)
        maker, after = _Stereo(), span.start / self.rate
        for place, block in TreatedSound(self.path, self.reading, self.treatment, self._sounds[track], found, "flt", check, from_near=True):
            yield from maker.push(block, after + Fraction(place, block.sample_rate))


class _Stereo:
    """Blocks of any kind to stereo at 48 kHz; gaps stay gaps."""

    def __init__(self) -> None:
        self._resampler: av.AudioResampler | None = None
        self._ends = Fraction(-1)
        self._place, self._channels = 0, CHANNELS

    def push(self, block: av.AudioFrame, at: Fraction) -> Iterator[tuple[int, Samples]]:
        """``at``: seconds from the beginning."""
        if self._resampler is None or abs(at - self._ends) > Fraction(1, 50):
            # One channel is heard on both sides as loud as it is; the library would lower it by 3 dB.
            self._channels = min(CHANNELS, block.layout.nb_channels)
            self._resampler = av.AudioResampler(format="flt", layout="mono" if self._channels == 1 else "stereo", rate=RATE)
            self._place = round(at * RATE)
            self._ends = at
        self._ends += Fraction(block.samples, block.sample_rate)
        block.pts = None
        for made in self._resampler.resample(block):
            given = np.asarray(made.to_ndarray(), np.float32).reshape(-1, self._channels)
            samples = np.repeat(given, CHANNELS, axis=1) if self._channels == 1 else given
            place, self._place = self._place, self._place + len(samples)
            if place + len(samples) > 0:
                yield max(0, place), samples[max(0, -place) :]


def continuous(blocks: Iterator[tuple[int, Samples]], begin: int, length: int) -> Iterator[Samples]:
    """Without gaps and overlaps from sample ``begin`` up to ``length``: silence where nothing is."""
    at = begin
    for place, samples in itertools.chain(blocks, [(length, np.zeros((0, CHANNELS), np.float32))]):
        while at < min(place, length):
            count = min(place, length, at + RATE // 4) - at
            yield np.zeros((count, CHANNELS), np.float32)
            at += count
        kept = samples[max(0, at - place) : max(0, length - place)]
        if len(kept):
            yield kept
            at += len(kept)
