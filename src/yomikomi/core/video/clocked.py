"""What sources without a device share: frames by number, each at its time and with the sound that belongs to it."""

from __future__ import annotations

import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Any, Protocol

from numpy.typing import NDArray

from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceFormat

# Frames that a recorder box holds before it loses one: what a slow reader may lag behind the source.
_BOX_FRAMES = 8
_NEVER = 2**40


class SoundByNumber(Protocol):
    """The same sample for the same number."""

    def samples(self, start: int, count: int) -> NDArray[Any]:
        """Shape (count, channels)."""


class FrameClock:
    """When frame ``number`` is due, and which one a reader who comes late still gets."""

    def __init__(self, rate: Fraction, now: Callable[[], float] = time.monotonic) -> None:
        self.rate = float(rate)
        self._now = now
        self._started: float | None = None

    def next_held(self, wanted: int) -> int:
        """The frame a reader gets who wants ``wanted``: a later one where the box could not hold it so long."""
        if self._started is None:
            self._started = self._now()
        behind = int((self._now() - self._started) * self.rate) - wanted
        return wanted + max(0, behind - _BOX_FRAMES)

    def wait_for(self, number: int, called_at: float) -> None:
        """Until the frame's time. On a machine too busy to draw in time the source runs slower: it was not the reader who
        was late, so nothing may be lost by it."""
        started = self._started or 0.0
        due = started + number / self.rate
        now = self._now()
        if now < due:
            time.sleep(due - now)
        else:
            self._started = started + max(0.0, now - max(due, called_at))


class ClockedSource(ABC):
    """An opened source whose pictures depend on their number alone, never on the clock.

    Parameters
    ----------
    frames : how many there are; None: without end.
    real_time : deliver by the clock, as a device does (a reader who comes too late loses frames); otherwise as fast as asked.
    """

    sound: SoundByNumber

    def __init__(self, source: SourceFormat, *, frames: int | None, real_time: bool, now: Callable[[], float] = time.monotonic) -> None:
        self.format = source
        self.frames = frames
        self._real_time, self._now = real_time, now
        self._clock = FrameClock(source.standard.rate, now)
        self._next = 0

    @abstractmethod
    def picture(self, number: int) -> Picture:
        """Frame ``number``, whatever the clock says."""

    def prepare(self) -> None:  # noqa: B027  most have nothing to make
        """What is made before the first frame of a source that goes by the clock, so that no later one has to wait for it."""

    def read(self) -> tuple[Picture, SoundBlock]:
        called_at = self._now()
        if self._next == 0 and self._real_time:
            self.prepare()
        number = self._clock.next_held(self._next) if self._real_time else self._next
        if self.frames is not None and number >= self.frames:
            raise SourceEnded
        # Drawn before its time comes, so that drawing costs no lateness.
        picture = self.picture(number)
        # A gap in pictures is none in sound: sound continues from where it was read last.
        sound = self._sound_from(self._next, number)
        self._next = number + 1
        if self._real_time:
            self._clock.wait_for(number, called_at)
        return replace(picture, ready_at=self._now(), stamp_us=round(number * 1_000_000 / self.format.standard.rate)), sound

    def close(self) -> None:
        self.frames, self._next = 0, _NEVER

    def _sound_from(self, first: int, last: int) -> SoundBlock:
        start, end = self.format.first_sample(first), self.format.first_sample(last + 1)
        return SoundBlock(start, self.sound.samples(start, end - start), round(start * 1_000_000 / self.format.sound_rate))


def frames_in(seconds: float | None, rate: Fraction) -> int | None:
    """Whole frames of a length; None stays without end."""
    return None if seconds is None else round(seconds * rate)
