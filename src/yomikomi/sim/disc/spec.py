"""What is on a simulated disc, and what is true of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any

KINDS = ("programme", "episode", "extra", "menu")


@dataclass(frozen=True)
class DiscTitle:
    """Parameters
    ----------
    kind : what it is, the truth to be found out.
    seconds : of pictures; whole groups of pictures are made, so it comes out a little longer.
    chapters : how many; they fall on groups of pictures.
    sounds, subtitles : languages (ISO 639-1) of its tracks; None: no track.
    reels : pieces between which the disc's clock starts anew.
    joins : titles (places in ``DiscSpec.titles``) that this one plays instead of pictures of its own.
    still : stands still at its end, as menus do.
    """

    kind: str
    seconds: float = 0.0
    chapters: int = 1
    sounds: tuple[str, ...] = ("en", "ja")
    subtitles: tuple[str, ...] = ("en",)
    reels: int = 1
    joins: tuple[int, ...] = ()
    still: bool = False
    scenes: str = "mixed"


@dataclass(frozen=True)
class DiscSpec:
    """``film``: pictures of 24000/1001 spread over 525-line fields 2:3, or of 25 as they are on 625 lines.

    ``told_times``: the tables tell so many times the running time that the data hold (of what does not stand still), for a disc that
    stands for a longer one. ``sound``: AC-3 or PCM. ``part_bytes``: how large a data file may grow before the next begins (1 GiB on
    real discs).
    """

    titles: tuple[DiscTitle, ...]
    standard: str = "525i"
    seed: int = 1
    wide: bool = True
    film: bool = True
    part_bytes: int = 2**30
    sound: str = "AC-3"
    label: str = "FERRY SCHOOL"
    told_times: Fraction = Fraction(1)


@dataclass(frozen=True)
class MadeTitle:
    """What came out: exact length in pictures, and where chapters begin."""

    index: int
    spec: DiscTitle
    frames: int
    seconds: float
    chapter_seconds: tuple[float, ...]
    events: tuple[dict[str, Any], ...] = field(default=())

    def truth(self) -> dict[str, Any]:
        return {
            "index": self.index, "kind": self.spec.kind, "seconds": round(self.seconds, 6), "frames": self.frames,
            "chapters": len(self.chapter_seconds), "chapter_seconds": [round(at, 6) for at in self.chapter_seconds],
            "sound": [{"language": language, "codec": "AC-3", "channels": 2} for language in self.spec.sounds],
            "subtitles": [{"language": language} for language in self.spec.subtitles],
            "subtitle_events": list(self.events), "joins": [place + 1 for place in self.spec.joins],
        }  # fmt: skip


def lessons(*, seconds: float = 6.0, seed: int = 1, standard: str = "525i", part_bytes: int = 2**30) -> DiscSpec:
    """The demo's disc: three lessons, a short extra, and a menu that lies among the titles."""
    return DiscSpec(
        titles=(
            DiscTitle("episode", seconds, chapters=3, reels=2, scenes="mixed"),
            DiscTitle("episode", 0.9 * seconds, chapters=3, scenes="lively"),
            DiscTitle("episode", 1.1 * seconds, chapters=3, scenes="mixed"),
            DiscTitle("extra", 0.25 * seconds, sounds=("en",), subtitles=(), scenes="lively"),
            DiscTitle("menu", 0.5, sounds=(), subtitles=(), still=True, scenes="still"),
        ),
        seed=seed, standard=standard, part_bytes=part_bytes,
    )  # fmt: skip


def feature(*, seconds: float = 8.0, seed: int = 1, standard: str = "525i", part_bytes: int = 2**30) -> DiscSpec:
    """One long programme and two extras."""
    return DiscSpec(
        titles=(
            DiscTitle("extra", 0.15 * seconds, sounds=("en",), subtitles=(), scenes="lively"),
            DiscTitle("programme", seconds, chapters=5, reels=2),
            DiscTitle("extra", 0.2 * seconds, sounds=("en",), subtitles=()),
        ),
        seed=seed, standard=standard, part_bytes=part_bytes,
    )  # fmt: skip


def series(*, seconds: float = 4.0, seed: int = 1, standard: str = "525i", part_bytes: int = 2**30) -> DiscSpec:
    """A title that plays all, the three episodes it joins, and an extra."""
    return DiscSpec(
        titles=(
            DiscTitle("programme", joins=(1, 2, 3)),
            DiscTitle("episode", seconds, chapters=2),
            DiscTitle("episode", 0.95 * seconds, chapters=2),
            DiscTitle("episode", 1.08 * seconds, chapters=2),
            DiscTitle("extra", 0.2 * seconds, sounds=("en",), subtitles=()),
        ),
        seed=seed, standard=standard, part_bytes=part_bytes,
    )  # fmt: skip


LAYOUTS = {"lessons": lessons, "feature": feature, "series": series}
