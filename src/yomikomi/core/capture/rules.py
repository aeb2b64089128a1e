"""When a recording warns, and when it ends by itself."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture import sentences

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
        return sentences.stop_rules(
            floor_bytes=self.floor_bytes, blank_seconds=self.blank_seconds, max_seconds=self.max_seconds, most_lost=self.most_lost
        )


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
        return Ending(sentences.length_reached(rules.max_seconds))
    if rules.most_lost is not None and now.dropped >= rules.most_lost:
        return Ending(*sentences.too_many_lost(now.dropped), wished=False)
    if rules.blank_seconds is not None:
        empty = min(now.still_s, now.silent_s if now.has_sound else now.still_s)
        if empty >= rules.blank_seconds:
            return Ending(sentences.blank_for(rules.blank_seconds), tail_seconds=empty)
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
        found.append(Warned("lost", sentences.frames_lost(now.dropped)))
    if now.queue_part > 0.5:
        found.append(Warned("behind", sentences.BEHIND))
    if 0 < now.headroom < _SHORT_HEADROOM:
        found.append(Warned("headroom", sentences.short_headroom(now.headroom)))
    if now.write_ms > _SLOW_WRITE_MS:
        found.append(Warned("slow drive", sentences.slow_write(now.write_ms)))
    if now.free_bytes < 3 * rules.floor_bytes:
        found.append(Warned("room", sentences.little_room(now.free_bytes)))
    found += [Warned(sign, sign) for sign in now.signs]
    if now.drift_ms_per_hour is not None:
        found.append(Warned("drift", sentences.drifting(now.drift_ms_per_hour)))
    if rules.blank_seconds and now.still_s > 3 and (now.silent_s > 3 or not now.has_sound):
        found.append(Warned("blank", sentences.BLANK))
    return tuple(found)
