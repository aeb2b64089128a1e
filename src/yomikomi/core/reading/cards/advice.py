"""What can still be done about a finding depends on where the take comes from; each such advice stands here once."""

from __future__ import annotations

import enum


class Origin(enum.StrEnum):
    """``PLAYED``: a tape or disc, which can be played again; ``LIVE``: a camera or console, whose moment is over; ``FILE``: it came
    as data, and how it was made is not known."""

    PLAYED = "played"
    LIVE = "live"
    FILE = "file"

    @classmethod
    def of(cls, *, captured: bool, way: str) -> Origin:
        """``way``: of the carrier's kind: play, live or copy."""
        return cls.FILE if not captured or way == "copy" else cls.LIVE if way == "live" else cls.PLAYED


# Of each finding: for what is played, for what was live, for a file.
_ADVICE: dict[str, tuple[str, str, str]] = {
    "no sound": (
        "check the path: S-Video and component carry none", "check the path: some cameras send no sound over HDMI",
        "look for another version of it: nothing was recorded with this one",
    ),
    "silent": ("check where the sound goes", "check where the sound goes", "listen to the original, if there is one"),
    "clips": ("capture again with less level", "what is cut off is lost: less level next time", "what is cut off is lost"),
    "at the limit": ("capture with less level if it distorts", "less level next time", "nothing to do unless it distorts"),
    "crushed black": (
        "lost for good: capture again with less contrast", "lost for good: less contrast next time", "lost for good in this file",
    ),
    "clipped white": ("lost for good: capture again with less gain", "lost for good: expose less next time", "lost for good in this file"),
    "losses": (
        "capture again with a time-base corrector, or from another pass", "check cable, drive and processor before the next take",
        "look for a better version of it: it came so",
    ),
    "blended": (
        "cannot be undone: capture again without deinterlacing", "cannot be undone: record the next one without deinterlacing",
        "cannot be undone: look for a version that keeps its fields",
    ),
    "composite": (
        "use S-Video where the player has it", "use a digital output where the source has one", "treat it: it came so",
    ),
    "hum bar": (
        "look for a ground loop in the path, and capture again", "look for a ground loop before the next take",
        "look for a better version of it: it came so",
    ),
    "unsteady": (
        "capture through a time-base corrector", "check the cable and the source's output", "look for a better version of it: it came so",
    ),
    "hum": ("look for a ground loop; else filter it", "look for a ground loop before the next take; else filter it", "filter it"),
    "speed": ("check the player's speed; else correct it", "correct it", "correct it"),
    "ghost": ("check cables and terminations", "check cables and terminations", "nothing takes it out of this file"),
}  # fmt: skip


def advice_for(finding: str, origin: Origin) -> str:
    """Raises KeyError for a finding whose advice does not depend on its origin."""
    return _ADVICE[finding][list(Origin).index(origin)]
