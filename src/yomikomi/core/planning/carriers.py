"""Kinds of carriers with what is usual for them, and the condition check. The data stand in ``data/*.toml``."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from pydantic import BaseModel, ConfigDict

from yomikomi.core.planning.data_files import load


class _Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class Caution(_Frozen):
    when: Literal["intake", "play", "live", "copy", "always"]
    words: str


class Check(_Frozen):
    """A question of the condition check; ``verdict`` is what a yes means."""

    question: str
    finding: str
    verdict: Literal["care", "unfit"]
    caution: str | None = None


class CarrierKind(_Frozen):
    """``edge``: colour of its edge on the shelf; ``icon``: its glyph; ``way``: played in real time, live, or copied as data;
    ``speeds``: name and running time over marked time, the standard speed first;
    ``speeds_625``: where those of 625 lines differ."""

    key: str
    words: str
    icon: str
    edge: str
    way: Literal["play", "live", "copy"]
    formats: tuple[str, ...]
    speeds: tuple[tuple[str, float], ...] = ()
    speeds_625: tuple[tuple[str, float], ...] = ()
    marked: tuple[int, ...] = ()
    shapes: tuple[str, ...]
    sounds: tuple[str, ...]
    cautions: tuple[str, ...] = ()
    checks: tuple[str, ...] = ()

    def caution_words(self, *moments: str) -> tuple[str, ...]:
        """Its cautions for the given moments, and those that always hold."""
        wanted = {*moments, "always"}
        return tuple(CAUTIONS[key].words for key in self.cautions if CAUTIONS[key].when in wanted)


CAUTIONS: dict[str, Caution] = {key: Caution.model_validate(row) for key, row in load("cautions").items()}
CHECKS: dict[str, Check] = {key: Check.model_validate(row) for key, row in load("checks").items()}
KINDS: dict[str, CarrierKind] = {row["key"]: CarrierKind.model_validate(row) for row in load("kinds")["kind"]}

# What a carrier may be wanted for; the words are what people read.
OUTCOMES: dict[str, str] = {
    "viewing": "viewing copy",
    "archive": "archive master",
    "edit": "material for editing",
    "upload": "upload",
    "disc": "disc",
}


def kind_of(key: str) -> CarrierKind:
    """The kind, or the plain file for a key from a newer workspace."""
    return KINDS.get(key, KINDS["file"])


def verdict_of(ticked: Iterable[str]) -> Literal["fine", "care", "unfit"]:
    """What the ticked questions come to: one that makes a carrier unfit outweighs all others."""
    verdicts = {CHECKS[key].verdict for key in ticked if key in CHECKS}
    return "unfit" if "unfit" in verdicts else "care" if "care" in verdicts else "fine"
