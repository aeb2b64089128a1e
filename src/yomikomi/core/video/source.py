"""The one protocol of frame sources, simulated or real."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.standards import FieldOrder, Standard

# 8 bits in a byte, more in two.
# shape=(samples, channels), int16, or int32 whose upper 24 bits count.
Samples = NDArray[Any]


@dataclass(frozen=True)
class Picture:
    """One frame from a source, 4:2:2, limited range.

    Parameters
    ----------
    number : frame ticks since the source started; a gap in the numbers is a loss.
    y : ndarray [shape=(lines, columns), uint8, or uint16 for more than 8 bits]
    u, v : ndarray [shape=(lines, columns/2), as y]
    ready_at : clock reading (``time.monotonic`` seconds) when the source had the frame.
    stamp_us : when the frame was taken, microseconds on the source's own clock; None where it tells none.
    """

    number: int
    y: Samples
    u: Samples
    v: Samples
    ready_at: float
    stamp_us: int | None = None


@dataclass(frozen=True)
class SoundBlock:
    """A run of sound.

    Parameters
    ----------
    start : sample number since the source started.
    samples : ndarray [shape=(samples, channels), int16, or int32 where the source gives more than 16 bits, full scale ±2³¹];
        the channels of all tracks side by side.
    stamp_us : when the first sample was taken, on the clock of the pictures' stamps.
    """

    start: int
    samples: NDArray[np.int16] | NDArray[np.int32]
    stamp_us: int | None = None

    @property
    def coarse(self) -> NDArray[np.int16]:
        """The upper 16 bits, for meters and for what is shown. Shape=(samples, channels)."""
        return as_16_bits(self.samples)


def as_16_bits(samples: NDArray[np.int16] | NDArray[np.int32]) -> NDArray[np.int16]:
    """Sound of either depth as 16 bits, the shape kept: the upper 16 of 32."""
    return samples if samples.dtype == np.int16 else (samples >> 16).astype(np.int16)  # type: ignore[return-value]


def as_32_bits(samples: NDArray[np.int16] | NDArray[np.int32]) -> NDArray[np.int32]:
    """Sound of either depth as 32 bits, the shape kept: 16 bits become the upper ones."""
    return samples if samples.dtype == np.int32 else samples.astype(np.int32) << 16  # type: ignore[return-value]


@dataclass(frozen=True)
class Track:
    """Channels that belong together and get a sound track of their own in the take."""

    name: str
    channels: int


PROGRAMME, COMMENTARY = "programme", "commentary"


@dataclass(frozen=True)
class SourceFormat:
    """What an opened source delivers; ``field_order`` is None where it sends whole pictures, ``sound_channels`` 0 where it
    is silent; ``sound_bits``: 16 or 24. The
    last ``commentary_channels`` of them carry a commentary, to be kept apart from the programme."""

    standard: Standard
    field_order: FieldOrder | None
    sample_aspect: Fraction
    sound_rate: int
    sound_channels: int
    commentary_channels: int = 0
    bits: int = 8
    sound_bits: int = 16

    @property
    def tracks(self) -> tuple[Track, ...]:
        channels = (Track(PROGRAMME, self.sound_channels - self.commentary_channels), Track(COMMENTARY, self.commentary_channels))
        return tuple(track for track in channels if track.channels)

    @property
    def geometry(self) -> Geometry:
        return Geometry(self.standard.width, self.standard.height, self.sample_aspect)

    def first_sample(self, frame: int) -> int:
        """The number of the sound sample that belongs to the beginning of a frame."""
        return int(self.sound_rate * frame / self.standard.rate)


class SourceEnded(Exception):  # noqa: N818  an end is not an error
    """The carrier has run out."""


class Source(Protocol):
    """An opened source. ``read`` waits for the next frame; it may raise SourceEnded or SourceLostError."""

    @property
    def format(self) -> SourceFormat: ...

    def read(self) -> tuple[Picture, SoundBlock]: ...

    def close(self) -> None: ...


class SourceSpec(Protocol):
    """A picklable description of a source, opened in the process that reads it."""

    def open(self) -> Source: ...


class KnownSpec(SourceSpec, Protocol):
    """One that tells what it will deliver without being opened."""

    @property
    def format(self) -> SourceFormat: ...
