"""What is written down of a carrier when it is taken in, and series of like carriers."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.carriers import CHECKS, kind_of, verdict_of

SERIES_LIMIT = 500  # labels made at once; more is more likely a slip of the finger than a wish

_NUMBER_AT_END = re.compile(r"^(.*?)(\d+)$")


class Condition(BaseModel):
    """The answers of the condition check.

    Parameters
    ----------
    looked : somebody looked at it; without that its condition is not known.
    ticked : keys of the questions answered with yes.
    """

    model_config = ConfigDict(frozen=True)

    looked: bool = False
    ticked: tuple[str, ...] = ()

    @property
    def verdict(self) -> Literal["not checked", "fine", "care", "unfit"]:
        """A yes counts even where the rest was not looked at."""
        found = verdict_of(self.ticked)
        return found if found != "fine" or self.looked else "not checked"

    @property
    def words(self) -> str:
        findings = ", ".join(CHECKS[key].finding for key in self.ticked if key in CHECKS)
        if self.verdict == "unfit":
            return f"unfit to play: {findings}"
        return {"care": f"with care: {findings}", "fine": "looked at, fine", "not checked": "condition not checked"}[self.verdict]


# The letter before the minutes on a cassette: T of 525 lines, E of 625; nothing where there is none.
Cassette = Literal["", "T", "E"]


class CarrierDetails(BaseModel):
    """All that intake asks beyond label, title, kind, format, length and note. Kept as one JSON document."""

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    shape: str = ""
    sound: str = ""
    marked_minutes: float | None = Field(default=None, gt=0, le=6000)
    cassette: Cassette = ""
    speed: str = ""
    condition: Condition = Condition()
    rights: bool = False
    wanted: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()


class Intake(BaseModel):
    """One carrier as it is to be put on the shelf. ``format`` is a key of the picture formats, None where not known."""

    model_config = ConfigDict(frozen=True)

    label: str
    title: str = ""
    kind: str
    format: str | None = None
    seconds: float | None = Field(default=None, gt=0, le=360_000)
    note: str = ""
    details: CarrierDetails = CarrierDetails()


def usual_details(kind_key: str) -> CarrierDetails:
    """What is usual for a kind, as a beginning."""
    kind = kind_of(kind_key)
    return CarrierDetails(
        shape=kind.shapes[0], sound=kind.sounds[0], speed=kind.speeds[0][0] if kind.speeds else "", wanted=("archive", "viewing")
    )


def tags_of(words: str) -> tuple[str, ...]:
    """``parade, 1993; harbour`` to tags, each once, in the order written."""
    found = (part.strip() for part in re.split(r"[,;\n]", words))
    return tuple(dict.fromkeys(part for part in found if part))


def series_labels(first: str, count: int, taken: set[str]) -> list[str]:
    """``count`` labels from ``first`` on, counting up the number at its end and leaving out labels that are taken.

    A label without a number at its end gets one. Raises WrongUseError for a count out of range or an empty label.
    """
    if not 1 <= count <= SERIES_LIMIT:
        raise WrongUseError(f"A series has 1 to {SERIES_LIMIT} carriers, not {count}.", remedy="Take them in in several goes.")
    if not first.strip():
        raise WrongUseError("A carrier needs a label.", remedy="Write what stands on it, or a number.")
    if count == 1:
        return [first.strip()]
    found = _NUMBER_AT_END.match(first.strip())
    stem, digits = (found.group(1), found.group(2)) if found else (f"{first.strip()}-", "01")
    labels: list[str] = []
    number = int(digits)
    while len(labels) < count:
        candidate = f"{stem}{number:0{len(digits)}d}"
        if candidate not in taken:
            labels.append(candidate)
        number += 1
    return labels
