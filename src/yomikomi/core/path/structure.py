"""A path through pieces of equipment, what it is wanted for, and how its devices are set."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from yomikomi.core.path.catalogue import DeviceKind, Port
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.planning.carriers import CarrierKind, kind_of
from yomikomi.core.planning.intake import Intake
from yomikomi.core.planning.machine import MachineSpeeds

OWN_CABLE = ""
Leg = Literal["picture", "twin", "sound", "host", "screen", "ears", "commentary", "second"]
LEGS: tuple[Leg, ...] = ("picture", "twin", "sound", "host", "screen", "ears", "commentary", "second")
# A setting of a piece, as (piece id, key of settings.toml). Cables have the one setting "plugged".
Knob = tuple[str, str]

# How much each side counts in the ranking, unless a person says otherwise. Our own weights.
WEIGHTS: dict[str, float] = {"picture": 4.0, "sound": 3.0, "steadiness": 2.0, "lag": 1.0, "margin": 1.0, "boxes": 0.5, "wishes": 2.0}

# Line standards that a tape may have come in when nobody knows; the first is assumed.
_SEVERAL_SIDED = ("525i", "625i")


_WOBBLING = {"vhs", "svhs", "video8", "hi8"}


class Wishes(BaseModel):
    """What is wanted besides the recording, and which schools are followed. Kept with a carrier as JSON."""

    model_config = ConfigDict(frozen=True)

    watch: bool = False
    headphones: bool = False
    commentary: bool = False
    second: bool = False
    fast_sport: bool = False
    fields: Literal["kept", "finished"] = "kept"
    size: Literal["native", "enlarged"] = "native"
    level: Literal["consumer", "professional"] = "consumer"
    signal: Literal["raw", "video"] = "raw"
    links: Literal["as needed", "two"] = "as needed"
    gamut: Literal["standard", "wide"] = "standard"
    codec: Literal["ffv1", "rdd36_hq", "h264_high"] = "ffv1"
    scan: Literal["as it is", "progressive 720", "interlaced 1080"] = "as it is"
    weights: dict[str, float] = Field(default_factory=lambda: dict(WEIGHTS))

    @field_validator("level", mode="before")
    @classmethod
    def _renamed(cls, value: object) -> object:
        """Earlier versions named the levels by the tape's tracks, which do not change what a player gives."""
        return {"by the tape": "consumer", "hi-fi": "professional"}.get(value, value) if isinstance(value, str) else value

    @classmethod
    def usual(cls, intake: Intake) -> Wishes:
        """What is wanted of such a carrier as a rule: games are played while they are recorded, comments are kept apart."""
        plays = intake.kind == "console"
        return cls(watch=plays, headphones=plays, commentary="commentary" in intake.details.sound)

    def weight(self, side: str) -> float:
        return max(0.0, self.weights.get(side, WEIGHTS[side]))


@dataclass(frozen=True)
class Task:
    """What is to be recorded: kind of carrier, picture format (None: not known), its sound in words, its length in seconds.

    shape : of its picture in words, as intake asks it; ``pixel_rates`` : pixels a second that this machine encodes, by codec,
        where that was measured; ``free_gb`` : room where takes are kept, in whole GB (None: not known); ``codec_bits`` : bits a
        pixel that each capture codec took of such carriers, where takes tell.
    """

    kind: str
    format: str | None = None
    sound: str = ""
    seconds: float | None = None
    pixel_rates: Mapping[str, float] = field(default_factory=dict)
    shape: str = ""
    free_gb: int | None = None
    codec_bits: Mapping[str, float] = field(default_factory=dict)

    @classmethod
    def of(
        cls, intake: Intake, machine: MachineSpeeds | None = None, *, free_bytes: int | None = None,
        codec_bits: Mapping[str, float] | None = None,
    ) -> Task:  # fmt: skip
        rates = {key: speed.usual for key, speed in machine.encoders.items()} if machine else {}
        free = None if free_bytes is None else free_bytes // 10**9
        return cls(intake.kind, intake.format, intake.details.sound, intake.seconds, rates, intake.details.shape, free, codec_bits or {})

    @property
    def carrier(self) -> CarrierKind:
        return kind_of(self.kind)

    @property
    def wobbles(self) -> bool:
        """Its line timing wobbles unless a corrector steadies it; laser discs rarely need one (common practice, no source)."""
        return self.kind in _WOBBLING

    @property
    def silent(self) -> bool:
        return self.sound == "silent"

    @property
    def picture_format(self) -> str:
        """The key of its format; what is usual for its kind where it is not known."""
        return self.format or (self.carrier.formats[0] if self.carrier.formats else _SEVERAL_SIDED[0])


@dataclass(frozen=True)
class Link:
    """A connection from an output to an input. ``cable``: the piece, empty for the device's own, None where none is there."""

    source: str
    out: str
    target: str
    into: str
    cable: str | None


@dataclass(frozen=True)
class Path:
    """Which pieces are joined how.

    Parameters
    ----------
    source : where the picture comes from; ``recorder`` : what turns it into bits (a reader's or camera's own file: itself).
    computer : None where a recorder keeps its own record; ``store`` : drive or card; None: the computer's system drive.
    picture : from source to recorder; ``sound`` likewise, the same links where both travel together, and at its end those
        into the computer where it goes past the recorder; empty: no sound.
    twin : a second link beside the picture's, where one is too narrow: each carries every other frame.
    host : from recorder to computer or slot.
    screen, ears, commentary, second : for those who watch, listen and speak, and to a second recorder; empty: not there.
    """

    source: str
    recorder: str
    computer: str | None = None
    store: str | None = None
    picture: tuple[Link, ...] = ()
    sound: tuple[Link, ...] = ()
    host: tuple[Link, ...] = ()
    screen: tuple[Link, ...] = ()
    ears: tuple[Link, ...] = ()
    commentary: tuple[Link, ...] = ()
    second: tuple[Link, ...] = ()
    twin: tuple[Link, ...] = ()

    def leg(self, name: Leg) -> tuple[Link, ...]:
        links: tuple[Link, ...] = getattr(self, name)
        return links

    @cached_property
    def links(self) -> tuple[Link, ...]:
        """Every link once, in the order of the signal."""
        return tuple(dict.fromkeys(link for name in LEGS for link in self.leg(name)))

    @cached_property
    def devices(self) -> tuple[str, ...]:
        """Every device once, from the source to the store, then those beside."""
        main = [self.source, *(link.target for link in (*self.picture, *self.host))]
        ends = [one for one in (self.computer, self.store) if one]
        rest = [piece for link in self.links for piece in (link.source, link.target)]
        return tuple(dict.fromkeys((*main, *ends, *rest)))

    @cached_property
    def cables(self) -> tuple[str, ...]:
        return tuple(dict.fromkeys(link.cable for link in self.links if link.cable))

    @property
    def sound_source(self) -> str | None:
        return self.sound[0].source if self.sound else None

    @cached_property
    def key(self) -> str:
        """The same for the same way through the same pieces, whatever cables are taken."""
        return " ".join(f"{link.source}.{link.out}>{link.target}.{link.into}" for link in self.links) + f" @{self.store or ''}"

    def link_into(self, piece: str, leg: Leg = "picture") -> Link | None:
        return next((link for link in self.leg(leg) if link.target == piece), None)

    def link_from(self, piece: str, leg: Leg = "picture") -> Link | None:
        return next((link for link in self.leg(leg) if link.source == piece), None)


@dataclass(frozen=True)
class Setup:
    """A path for a task. ``options`` holds what is set otherwise than planned, by knob."""

    equipment: Equipment
    path: Path
    task: Task
    wishes: Wishes = field(default_factory=Wishes)
    options: Mapping[Knob, str] = field(default_factory=dict)
    # What was worked out about this setup already; every setup is traced many times over in a search.
    memo: dict[Any, Any] = field(default_factory=dict, init=False, compare=False, repr=False)

    @property
    def bare(self) -> Setup:
        """The same with everything as planned."""
        if not self.options:
            return self
        if "bare" not in self.memo:
            self.memo["bare"] = replace(self, options={})
        found: Setup = self.memo["bare"]
        return found

    def kind(self, piece: str) -> DeviceKind:
        return self.equipment.kind_by_id[piece]

    def words(self, piece: str) -> str:
        return self.equipment.words_of(piece)

    def port_out(self, link: Link) -> Port:
        return self.kind(link.source).port(link.out)

    def port_in(self, link: Link) -> Port:
        return self.kind(link.target).port(link.into)

    def changed(self, *changes: tuple[Knob, str]) -> Setup:
        """The same with knobs set otherwise."""
        return replace(self, options={**self.options, **dict(changes)})

    @property
    def reads_data(self) -> bool:
        """The carrier's data are copied as they are."""
        return self.kind(self.path.source).role == "reader"

    @property
    def keeps_own_record(self) -> bool:
        return self.path.computer is None

    def knobs(self) -> Iterator[Knob]:
        """Every knob that this path has, in the order of the signal: cables before the devices they lead to."""
        seen: set[str] = set()
        for piece in self.path.devices:
            for link in self.path.links:
                if link.target == piece and link.cable and link.cable not in seen:
                    seen.add(link.cable)
                    yield link.cable, "plugged"
            for key in self.kind(piece).all_settings:
                yield piece, key
