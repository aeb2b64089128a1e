"""When a recording warns, and when it ends by itself."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import size_text

# What is never filled: other programs, and the record itself, need some room too.
DRIVE_FLOOR_BYTES = 500_000_000
_SHORT_HEADROOM = 1.15
_SLOW_WRITE_MS = 250.0


class EndRules(BaseModel):
    """Parameters
    ----------
    floor_bytes : end when less than this is free on the drive (or go on in the next folder).
    blank_seconds : end after so long a blank or still picture with silence: the tape is over; None: never.
    max_seconds : end after so long; None: no limit.
    most_lost : end when so many frames are lost; None: losses are counted and warned of.
    """

    model_config = ConfigDict(frozen=True)

    floor_bytes: int = Field(default=DRIVE_FLOOR_BYTES, ge=0)
    blank_seconds: float | None = Field(default=20.0, gt=0)
    max_seconds: float | None = Field(default=None, gt=0)
    most_lost: int | None = Field(default=None, ge=1)

    @property
    def words(self) -> str:
        """For people: when it ends by itself."""
        ends = []
        if self.blank_seconds:
            ends.append(f"after {spoken(self.blank_seconds)} of blank or still picture and silence")
        if self.max_seconds:
            ends.append(f"at {clock(self.max_seconds)}")
        if self.most_lost:
            ends.append(f"when {self.most_lost} frames are lost")
        ends.append(f"when the drive falls under {size_text(self.floor_bytes)}")
        return "Ends " + ", ".join(ends) + ("." if self.most_lost else "; losses raise a warning.")


@dataclass(frozen=True)
class Condition:
    """What the rules look at."""

    seconds: float
    dropped: int
    still_s: float
    silent_s: float
    free_bytes: int
    headroom: float
    write_ms: float
    queue_part: float
    signs: tuple[str, ...]
    drift_ms_per_hour: float | None = None
    repeated: int = 0
    has_sound: bool = True


@dataclass(frozen=True)
class Ending:
    """``wished``: as intended, not a trouble. ``tail_seconds``: how much at the end holds nothing."""

    reason: str
    remedy: str = ""
    wished: bool = True
    tail_seconds: float = 0.0


def ending(rules: EndRules, now: Condition) -> Ending | None:
    """The first rule that asks for an end; the drive's floor is looked after where parts are written."""
    if rules.max_seconds is not None and now.seconds >= rules.max_seconds - 1e-6:
        return Ending(f"The length asked for is reached: {clock(rules.max_seconds)}.")
    if rules.most_lost is not None and now.dropped >= rules.most_lost:
        return Ending(
            f"{now.dropped} frames are lost, and that many were not allowed: the take ends here and is kept.",
            "Close other programs, turn the monitor off or choose a lighter codec; then capture again.",
            wished=False,
        )
    if rules.blank_seconds is not None:
        empty = min(now.still_s, now.silent_s if now.has_sound else now.still_s)
        if empty >= rules.blank_seconds:
            return Ending(f"Blank or still picture and silence for {spoken(rules.blank_seconds)}: the end.", tail_seconds=empty)
    return None


@dataclass(frozen=True)
class Warned:
    """Something to look at. ``kind`` stays the same while the figures in ``words`` change."""

    kind: str
    words: str


def warnings(rules: EndRules, now: Condition) -> tuple[Warned, ...]:
    """What a person should look at while it runs, the gravest first."""
    found = []
    if now.dropped:
        found.append(Warned("lost", f"{now.dropped} frames lost"))
    if now.queue_part > 0.5:
        found.append(Warned("behind", "the recorder falls behind"))
    if 0 < now.headroom < _SHORT_HEADROOM:
        found.append(Warned("headroom", f"encoder headroom only {now.headroom:.2f}×"))
    if now.write_ms > _SLOW_WRITE_MS:
        found.append(Warned("slow drive", f"the drive took {now.write_ms:.0f} ms for one write"))
    if now.free_bytes < 3 * rules.floor_bytes:
        found.append(Warned("room", f"{size_text(now.free_bytes)} left on the drive"))
    found += [Warned(sign, sign) for sign in now.signs]
    if now.drift_ms_per_hour is not None:
        found.append(Warned("drift", f"sound and picture drift apart by {abs(now.drift_ms_per_hour):.0f} ms an hour"))
    if rules.blank_seconds and now.still_s > 3 and (now.silent_s > 3 or not now.has_sound):
        found.append(Warned("blank", "picture blank or still, and silence"))
    return tuple(found)
