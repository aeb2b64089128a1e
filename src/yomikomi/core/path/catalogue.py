"""The equipment catalogue: connectors, settings and generic kinds of devices. The data stand in ``../data/*.toml``."""

from __future__ import annotations

from functools import cached_property, lru_cache
from typing import Any, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator

from yomikomi.core.planning.carriers import KINDS as CARRIER_KINDS
from yomikomi.core.planning.data_files import load
from yomikomi.core.planning.data_rates import CAPTURE_CODECS
from yomikomi.core.planning.formats import FORMATS

Carried = Literal["picture", "sound", "data"]
Way = Literal["in", "out"]
Weight = Literal["break", "degrade", "risk", "note"]
Role = Literal[
    "player", "camera", "console", "reader", "recorder", "converter", "interface", "screen", "amplifier", "headset",
    "microphone", "hub", "computer", "drive", "card", "cable",
]  # fmt: skip
SOURCE_ROLES = ("player", "camera", "console", "reader")


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Connector(_Frozen):
    """``fidelity``: how much of the picture survives, 0…1. Rates in Mb/s: as the standard names it, and what pictures get.
    ``short``: its name where there is little room, if that is another."""

    words: str
    carries: tuple[Carried, ...]
    short: str = ""
    analogue: bool = False
    fidelity: float = Field(default=1.0, ge=0, le=1)
    nominal_mbps: float | None = None
    payload_mbps: float | None = None
    feeds: bool = False


class Wrong(_Frozen):
    """What an option spoils; ``effect`` names fields of ``Delivery``."""

    option: str
    weight: Weight
    effect: dict[str, Any]
    says: str


class Setting(_Frozen):
    """``odds``: how often it is found wrong, 0…1; ``minutes``: what it takes to look."""

    words: str
    options: tuple[tuple[str, str], ...] = ()
    right: str = ""
    why: str
    see: str
    odds: float = Field(ge=0, le=1)
    minutes: float = Field(gt=0)
    order: int
    wrong: tuple[Wrong, ...] = ()


class Port(_Frozen):
    """``loop``: an exact copy of the input, without delay; ``own``: it has its own cable; ``takes_away``: what is plugged in
    here takes the sound away from the other sockets."""

    way: Way
    connector: str
    key: str = ""
    carries: tuple[Carried, ...] = ()
    loop: bool = False
    own: bool = False
    takes_away: bool = False

    @model_validator(mode="after")
    def _complete(self) -> Self:
        if self.connector not in CONNECTORS:
            raise ValueError(f"there is no connector {self.connector!r}")
        object.__setattr__(self, "key", self.key or f"{self.connector}_{self.way}")
        object.__setattr__(self, "carries", self.carries or CONNECTORS[self.connector].carries)
        return self

    @property
    def words(self) -> str:
        return CONNECTORS[self.connector].words

    @property
    def short(self) -> str:
        return CONNECTORS[self.connector].short or self.words

    @property
    def analogue(self) -> bool:
        return CONNECTORS[self.connector].analogue

    @property
    def sdi(self) -> bool:
        return self.connector.startswith("sdi")


class DeviceKind(_Frozen):
    """A kind of equipment; the fields are told in ``equipment.toml``."""

    key: str = Field(pattern=r"^[a-z0-9_]{1,40}$")
    words: str = Field(min_length=1, max_length=80)
    role: Role
    plays: tuple[str, ...] = ()
    power: Literal["mains", "bus", "battery", "none"] = "none"
    ports: tuple[Port, ...] = ()
    takes: tuple[str, ...] = ()
    turns_into: dict[str, str] = {}
    settings: tuple[str, ...] = ()
    delivered: dict[str, str] = {}
    corrector: bool = False
    true_component: bool = True
    always_marks: bool = False
    powered_mic: bool = False
    sound_device: Literal["recorder", "default"] = "recorder"
    compresses_to_mbps: float | None = Field(default=None, gt=0)
    compresses_as: str = ""
    sends_raw: bool = False
    takes_raw: bool = False
    depth: int = Field(default=8, ge=8, le=16)
    lag_ms: int = Field(default=0, ge=0, le=5000)
    lead_ms: int = Field(default=0, ge=0, le=2000)
    write_mb_s: float | None = Field(default=None, gt=0)
    buffer_mb: float = Field(default=0, ge=0)
    ends: tuple[tuple[str, str], ...] = ()
    quirks: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _check(self) -> Self:
        unknown = [
            *(key for key in (*self.settings, *self.delivered) if key not in SETTINGS),
            *(key for key in (*self.takes, *self.turns_into, *self.turns_into.values()) if key not in FORMATS),
            *(key for key in self.plays if key not in CARRIER_KINDS),
            *((self.compresses_as,) if self.compresses_as and self.compresses_as not in CAPTURE_CODECS else ()),
            *(plug for pair in self.ends for plug in pair if plug not in CONNECTORS),
        ]
        if unknown:
            raise ValueError(f"{self.key}: not known: {', '.join(unknown)}")
        wrong = [f"{key}: {now}" for key, now in self.delivered.items() if now not in {one for one, _ in self.options(key)}]
        if wrong:
            raise ValueError(f"{self.key}: cannot be delivered so: {', '.join(wrong)}")
        if len({port.key for port in self.ports}) != len(self.ports):
            raise ValueError(f"{self.key}: two ports have the same key")
        if (self.role == "cable") != bool(self.ends):
            raise ValueError(f"{self.key}: a cable has ends, and nothing else has")
        return self

    @property
    def compresses(self) -> bool:
        """It hands on what it compressed inside."""
        return self.compresses_to_mbps is not None or bool(self.compresses_as)

    @property
    def is_source(self) -> bool:
        return self.role in SOURCE_ROLES

    @cached_property
    def all_settings(self) -> tuple[str, ...]:
        """With power, which every device has that is switched on by hand, and what a live source can send."""
        # The computer that this runs on is on.
        power = ("power",) if self.power in {"mains", "battery"} and self.role != "computer" else ()
        send = ("send",) if self.is_source and self.takes else ()
        return (*power, *send, *self.settings)

    @cached_property
    def _by_key(self) -> dict[str, Port]:
        return {port.key: port for port in self.ports}

    def port(self, key: str) -> Port:
        return self._by_key[key]

    def ins(self, carried: Carried) -> list[Port]:
        return [port for port in self.ports if port.way == "in" and carried in port.carries]

    def outs(self, carried: Carried) -> list[Port]:
        return [port for port in self.ports if port.way == "out" and carried in port.carries]

    def options(self, setting: str) -> tuple[tuple[str, str], ...]:
        """What a setting of this kind can be set to: key and words."""
        if setting == "input":
            # A selector switches pictures; sound comes in beside them. Devices for sound alone switch sound.
            return _named(self.ins("picture") or self.ins("sound"))
        if setting == "output":
            return _named(self.outs("picture"))
        if setting in {"standard", "send"}:
            return tuple((key, FORMATS[key].words) for key in self.takes)
        return SETTINGS[setting].options


def _named(ports: list[Port]) -> tuple[tuple[str, str], ...]:
    """Keys and words of sockets; alike ones are counted."""
    found: list[tuple[str, str]] = []
    for port in ports:
        count = sum(words.startswith(port.words) for _, words in found)
        found.append((port.key, f"{port.words}, {count + 1}" if count else port.words))
    return tuple(found)


_RAW = load("connectors", "path")
CONNECTORS: dict[str, Connector] = {key: Connector.model_validate(row) for key, row in _RAW.items() if key != "fits"}
_FITS = {frozenset(row["pair"]) for row in _RAW["fits"]}
SETTINGS: dict[str, Setting] = {key: Setting.model_validate(row) for key, row in load("settings", "path").items()}
CATALOGUE: dict[str, DeviceKind] = {row["key"]: DeviceKind.model_validate(row) for row in load("equipment", "path")["kind"]}


def fits(one: str, other: str) -> bool:
    """Plug and socket go into each other."""
    return one == other or frozenset((one, other)) in _FITS


def joins(cable: DeviceKind, out: str, into: str) -> int | None:
    """Which pair of a cable's plugs joins an output to an input, or None. Cables work both ways round."""
    for number, (left, right) in enumerate(cable.ends):
        if (fits(left, out) and fits(right, into)) or (fits(right, out) and fits(left, into)):
            return number
    return None


@lru_cache(maxsize=512)
def cable_for(out: str, into: str) -> str | None:
    """The simplest kind of cable of the catalogue that joins an output to an input; None where there is none."""
    kinds = [kind for kind in CATALOGUE.values() if kind.ends and joins(kind, out, into) is not None]
    best = min(kinds, key=lambda kind: len(kind.ends), default=None)
    return best.key if best else None


@lru_cache(maxsize=512)
def payload_mbps(*connectors: str) -> float | None:
    """What gets through a chain of plugs and sockets: the slowest decides. None: analogue, no limit in bits."""
    found = [CONNECTORS[key].payload_mbps for key in connectors]
    known = [one for one in found if one is not None]
    return min(known) if known else None
