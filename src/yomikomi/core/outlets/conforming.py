"""Whether a finished file plays at an outlet, from its own bytes; and who cannot open it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path

from pydantic import BaseModel, ConfigDict

from yomikomi.core.outlets import sentences as words
from yomikomi.core.outlets.facts import Facts, facts_of
from yomikomi.core.outlets.model import CodecLimit, Outlet
from yomikomi.core.recipes.levels import LEVELS, Level, least_level, rank

# What may come out over a limit by rounding.
_SLACK = 1.005
# A rate of 30000/1001 is thirty to every box.
_RATE_SLACK = 1.002
# Pictures are measured over this for levels (Annex C of H.264 and HEVC: a buffer of a second).
_LEVEL_BUFFER_S = 1.0


class Violation(BaseModel):
    """A limit that a file does not keep."""

    model_config = ConfigDict(frozen=True)

    limit: str
    allowed: str
    found: str

    @property
    def words(self) -> str:
        return f"{self.limit}: {self.found}, allowed {self.allowed}"


class Conformity(BaseModel):
    """``yomikomi conforms`` for one outlet."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    file: str
    outlet: str
    conforms: bool
    violations: list[Violation]
    profile: str | None
    level_said: str | None
    level_needed: str | None
    average_kbps: float
    peak_kbps: float


def conformity(path: Path, outlet: Outlet, check: Callable[[], None] = lambda: None, *, container_kind: str | None = None) -> Conformity:
    """Hold a file against an outlet; see :func:`facts_of`. Raises UnreadableError."""
    return judge(facts_of(path, check, container_kind=container_kind), outlet, path.name)


def judge(facts: Facts, outlet: Outlet, name: str = "") -> Conformity:
    """The same for facts that are known."""
    found = list(_violations(facts, outlet))
    needed = needed_level(facts)
    return Conformity(
        file=name, outlet=outlet.key, conforms=not found, violations=found, profile=facts.said.profile if facts.said else None,
        level_said=facts.said.level if facts.said else None, level_needed=needed.name if needed else None,
        average_kbps=round(facts.average_kbps, 1), peak_kbps=round(facts.peak_kbps(outlet.buffer_seconds), 1),
    )  # fmt: skip


def needed_level(facts: Facts) -> Level | None:
    """The level that the stream needs, whatever it says; None where no level holds it, or its codec has none."""
    if facts.codec not in LEVELS:
        return None
    return least_level(
        facts.codec, width=facts.width, height=facts.height, rate=facts.rate, kbps=facts.peak_kbps(_LEVEL_BUFFER_S),
        held_pictures=facts.said.held if facts.said else 0, high=facts.said is None or facts.said.profile.startswith("High"),
    )  # fmt: skip


def _violations(facts: Facts, outlet: Outlet) -> Iterator[Violation]:
    if facts.container not in outlet.containers:
        yield Violation(limit="container", allowed=words.any_of(outlet.containers), found=facts.container.upper())
    limit = outlet.plays(facts.codec)
    if limit is None:
        yield Violation(limit="codec", allowed=words.codecs(one.codec for one in outlet.video), found=words.codec(facts.codec))
    else:
        yield from _of_codec(facts, limit)
    yield from _of_pictures(facts, outlet)
    for number, sound in enumerate(facts.sounds, 1):
        heard = outlet.hears(sound.codec)
        name = "sound" if len(facts.sounds) == 1 else f"sound {number}"
        if heard is None:
            yield Violation(limit=f"{name} codec", allowed=words.codecs(one.codec for one in outlet.sound), found=words.codec(sound.codec))
            continue
        if heard.kbps is not None and sound.kbps > _SLACK * heard.kbps:
            yield Violation(limit=f"{name} rate", allowed=f"{heard.kbps} kb/s", found=f"{sound.kbps:.0f} kb/s")
        if sound.channels > heard.channels:
            yield Violation(limit=f"{name} channels", allowed=str(heard.channels), found=str(sound.channels))
        if sound.rate not in heard.rates:
            allowed = words.any_of(f"{one / 1000:g} kHz" for one in heard.rates)
            yield Violation(limit=f"{name} sampling", allowed=allowed, found=f"{sound.rate / 1000:g} kHz")


def _of_codec(facts: Facts, limit: CodecLimit) -> Iterator[Violation]:
    said, needed = facts.said, needed_level(facts)
    if limit.profiles and said is not None and said.profile not in limit.profiles:
        yield Violation(limit="profile", allowed=limit.profiles[-1], found=said.profile)
    if facts.depth > limit.depth:
        yield Violation(limit="bit depth", allowed=f"{limit.depth} bits", found=f"{facts.depth} bits")
    if facts.chroma not in limit.chroma:
        yield Violation(limit="chroma sampling", allowed=words.any_of(limit.chroma), found=facts.chroma)
    if limit.level is None:
        return
    for level, what in ((said.level if said else None, "level"), (needed.name if needed else None, "level by its pictures")):
        if level is not None and rank(facts.codec, level) > rank(facts.codec, limit.level):
            yield Violation(limit=what, allowed=limit.level, found=level)
    if needed is None and facts.codec in LEVELS:
        yield Violation(limit="level by its pictures", allowed=limit.level, found="higher than any")
        return
    if said is None or said.level is None or needed is None:
        return
    if rank(facts.codec, said.level) < rank(facts.codec, needed.name):
        yield Violation(limit="level that the stream says", allowed=f"{needed.name}, which its pictures need", found=said.level)


def of_shape(outlet: Outlet, *, width: int, height: int, rate: Fraction, interlaced: bool) -> Iterator[Violation]:
    """Limits of what is known of pictures before they are encoded as after: size, rate, scan."""
    if (outlet.width is not None and width > outlet.width) or (outlet.height is not None and height > outlet.height):
        yield Violation(limit="size", allowed=f"{outlet.width} × {outlet.height}", found=f"{width} × {height}")
    if outlet.rate is not None and float(rate) > _RATE_SLACK * outlet.rate:
        yield Violation(limit="frame rate", allowed=f"{outlet.rate:g} fps", found=f"{float(rate):.2f} fps")
    if interlaced and not outlet.interlaced:
        yield Violation(limit="scan", allowed="progressive", found="interlaced")


def _of_pictures(facts: Facts, outlet: Outlet) -> Iterator[Violation]:
    yield from of_shape(outlet, width=facts.width, height=facts.height, rate=facts.rate, interlaced=facts.interlaced)
    if outlet.average_kbps is not None and facts.average_kbps > _SLACK * outlet.average_kbps:
        yield Violation(limit="average rate", allowed=f"{outlet.average_kbps} kb/s", found=f"{facts.average_kbps:.0f} kb/s")
    peak = facts.peak_kbps(outlet.buffer_seconds) if outlet.peak_kbps is not None else 0.0
    if outlet.peak_kbps is not None and peak > _SLACK * outlet.peak_kbps:
        yield Violation(
            limit=f"peak over {outlet.buffer_seconds:g} s", allowed=f"{outlet.peak_kbps} kb/s", found=f"{peak:.0f} kb/s"
        )  # fmt: skip
    if outlet.key_seconds is not None and facts.key_seconds > outlet.key_seconds + float(1 / facts.rate):
        yield Violation(limit="key distance", allowed=f"{outlet.key_seconds:g} s", found=f"{facts.key_seconds:.2f} s")
    if outlet.file_bytes is not None and facts.size_bytes > outlet.file_bytes:
        yield Violation(limit="file size", allowed=words.size(outlet.file_bytes), found=words.size(facts.size_bytes))
    if outlet.index_in_front and not facts.index_in_front:
        yield Violation(limit="index", allowed="in front", found="behind the pictures")
