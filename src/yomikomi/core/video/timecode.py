"""Frames to timecode and back, drop-frame and non-drop.

Source: SMPTE ST 12-1. Drop-frame counting leaves out the frame numbers 00 and 01 (00 to 03 at 59.94) at the start of
every minute, except each tenth; no picture is dropped. Ten minutes of 29.97 drop-frame are 17 982 frames.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

_DROP_RATES = {Fraction(30000, 1001): 2, Fraction(60000, 1001): 4}


@dataclass(frozen=True)
class TimecodeRule:
    """How frames are counted at one rate.

    Parameters
    ----------
    rate : exact frame rate.
    drop : drop-frame counting; only for 30000/1001 and 60000/1001.
    """

    rate: Fraction
    drop: bool = False

    def __post_init__(self) -> None:
        if self.drop and self.rate not in _DROP_RATES:
            raise ValueError(f"drop-frame timecode is defined for 29.97 and 59.94 only, not {self.rate}")

    @classmethod
    def usual_for(cls, rate: Fraction) -> TimecodeRule:
        return cls(rate, drop=rate in _DROP_RATES)

    @property
    def base(self) -> int:
        """Frame numbers a second: the rate rounded up to a whole number."""
        return -(-self.rate.numerator // self.rate.denominator)

    def from_frames(self, frames: int) -> str:
        """Frame count (from 0, may exceed a day) to ``hh:mm:ss:ff``, with ``;`` before ff when dropping."""
        if frames < 0:
            raise ValueError("frames must not be negative")
        number = frames + self._numbers_left_out(frames)
        rest, ff = divmod(number, self.base)
        minutes, ss = divmod(rest, 60)
        hh, mm = divmod(minutes, 60)
        return f"{hh:02d}:{mm:02d}:{ss:02d}{';' if self.drop else ':'}{ff:02d}"

    def to_frames(self, text: str) -> int:
        """``hh:mm:ss:ff`` to a frame count. Raises ValueError for numbers that do not exist."""
        parts = text.replace(";", ":").replace(".", ":").split(":")
        if len(parts) != 4:
            raise ValueError(f"timecode has the form hh:mm:ss:ff, not {text!r}")
        hh, mm, ss, ff = (int(part) for part in parts)
        if mm > 59 or ss > 59 or ff >= self.base:
            raise ValueError(f"no such timecode: {text}")
        number = ((hh * 60 + mm) * 60 + ss) * self.base + ff
        if not self.drop:
            return number
        per_minute = _DROP_RATES[self.rate]
        if ss == 0 and ff < per_minute and mm % 10:
            raise ValueError(f"{text} is a number that drop-frame counting leaves out")
        minutes = hh * 60 + mm
        return number - per_minute * (minutes - minutes // 10)

    def _numbers_left_out(self, frames: int) -> int:
        if not self.drop:
            return 0
        per_minute = _DROP_RATES[self.rate]
        ten_minutes = self.base * 600 - 9 * per_minute
        one_minute = self.base * 60 - per_minute
        tens, rest = divmod(frames, ten_minutes)
        into = max(0, (rest - self.base * 60) // one_minute + 1) if rest >= self.base * 60 else 0
        return per_minute * (9 * tens + into)


def clock(seconds: float) -> str:
    """Seconds as h:mm:ss, rounded to the nearest second."""
    whole = max(0, round(seconds))
    return f"{whole // 3600}:{whole % 3600 // 60:02d}:{whole % 60:02d}"


def frame_clock(frame: int, rate: Fraction) -> str:
    """A place in a take as h:mm:ss.ff by real time (not timecode), for labels beside pictures."""
    whole = int(frame / rate)
    first = -(-(whole * rate).numerator // (whole * rate).denominator)
    return f"{whole // 3600}:{whole % 3600 // 60:02d}:{whole % 60:02d}.{frame - first:02d}"


def spoken(seconds: float) -> str:
    """A length as people say it: 38 s, 4 min 10 s, 3 h 20 min."""
    whole = max(0, round(seconds))
    if whole < 60:
        return f"{whole} s"
    if whole < 3600:
        return f"{whole // 60} min {whole % 60} s" if whole < 600 else f"{round(whole / 60)} min"
    hours, minutes = divmod(round(whole / 60), 60)
    return f"{hours} h {minutes} min"
