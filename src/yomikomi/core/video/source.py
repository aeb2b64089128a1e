"""The one protocol of frame sources, simulated or real."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.video.standards import FieldOrder, Standard

Samples = NDArray[np.uint8]


@dataclass(frozen=True)
class Picture:
    """One frame from a source, 4:2:2, 8 bits, limited range.

    Parameters
    ----------
    number : frame ticks since the source started; a gap in the numbers is a loss.
    y : ndarray [shape=(lines, columns), uint8]
    u, v : ndarray [shape=(lines, columns/2), uint8]
    ready_at : clock reading (``time.monotonic`` seconds) when the source had the frame.
    """

    number: int
    y: Samples
    u: Samples
    v: Samples
    ready_at: float


@dataclass(frozen=True)
class SoundBlock:
    """A run of sound.

    Parameters
    ----------
    start : sample number since the source started.
    samples : ndarray [shape=(samples, channels), int16]
    """

    start: int
    samples: NDArray[np.int16]


@dataclass(frozen=True)
class SourceFormat:
    """What an opened source delivers; ``field_order`` is None where it sends whole pictures."""

    standard: Standard
    field_order: FieldOrder | None
    sample_aspect: Fraction
    sound_rate: int
    sound_channels: int


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
