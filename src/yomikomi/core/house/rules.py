"""A named set of decisions for a kind of carrier, as a document."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field, model_validator

from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.errors import WrongUseError
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.reading.models import Reading, ScanKind
from yomikomi.core.sets.model import COPY_NAME, CopySet, SetCopy, key_for
from yomikomi.core.treatment.steps import AnyStep
from yomikomi.core.work.document_file import read_document
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import write_over

# What a person has to look at where nothing else was said. The scan's certainty is calibrated (docs/science.md); the rest is judgement.
_CERTAINTY, _LOST_AN_HOUR, _SHORTEST_S = 0.9, 20.0, 5.0


class Limits(BaseModel):
    """Where a reading differs by more, a person is asked.

    Parameters
    ----------
    scan : kinds that are expected; empty: any that is not undetermined.
    field_order : empty: whichever it is.
    certainty : of the scan type, 0…1.
    lost_an_hour : frames that are missing or repeated, for each hour.
    clipped, silent, damaged : whether such sound, no sound at all, or damage to the file is passed over.
    rate : of the frames, exact; empty: any that is constant.
    bytes_an_hour : of all copies together as predicted at the high end; None: they are not predicted first.
    shortest_seconds : what is shorter is a fragment, as a rule.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    scan: tuple[ScanKind, ...] = ()
    field_order: Literal["", "tff", "bff"] = ""
    certainty: float = Field(default=_CERTAINTY, ge=0, le=1)
    lost_an_hour: float = Field(default=_LOST_AN_HOUR, ge=0)
    clipped: bool = False
    silent: bool = False
    damaged: bool = False
    rate: str = ""
    bytes_an_hour: float | None = Field(default=None, gt=0)
    shortest_seconds: float = Field(default=_SHORTEST_S, ge=0)


class HouseRules(BaseModel):
    """Parameters
    ----------
    key : how it is named on the command line and as a file.
    kind, standard : of the carriers that it is for; empty: any.
    treatment : ``suggested``: all that the reading asks for; ``fields``: what its fields need, and nothing else.
    steps : put in besides, or in place of those of their kind.
    copies : what is made; recipes, outlets and places.
    path : key of the path that such carriers are captured by, in words; for people.
    sheet : that path with its settings, all still to be set; None: each carrier's is planned by itself.
    record_as : how such carriers are recorded; None: as the workspace does.
    automatic : applied to a carrier of that kind as soon as it is read.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = 1
    key: str = Field(pattern=r"^[\w][\w-]{0,39}$")
    words: str = Field(min_length=1, max_length=80)
    kind: str = Field(default="", max_length=40)
    standard: str = Field(default="", max_length=40)
    treatment: Literal["suggested", "fields"] = "fields"
    steps: tuple[AnyStep, ...] = ()
    copies: tuple[SetCopy, ...] = Field(min_length=1, max_length=12)
    limits: Limits = Limits()
    path: str = Field(default="", max_length=400)
    sheet: PathSheet | None = None
    record_as: RecordAs | None = None
    automatic: bool = False

    @model_validator(mode="after")
    def _names_differ(self) -> HouseRules:
        names = [one.name.casefold() for one in self.copies]
        if len(set(names)) < len(names):
            raise ValueError("two copies have one name")
        return self

    def suits(self, kind: str, standard: str | None) -> bool:
        return self.kind in {"", kind} and self.standard in {"", standard or ""}

    @property
    def copy_set(self) -> CopySet:
        return CopySet(key=self.key, words=self.words, copies=self.copies)

    @property
    def summary(self) -> str:
        """What they decide, in one line."""
        kind = kind_of(self.kind).words if self.kind else "any carrier"
        treatment = {"suggested": "all suggested corrections", "fields": "fields as they need it"}[self.treatment]
        standard = f", {self.standard}" if self.standard else ""
        return f"{kind}{standard}: {treatment}; {', '.join(one.recipe.words for one in self.copies)}"


def rules_from(
    words: str, reading: Reading, copies: Sequence[SetCopy], *, kind: str, standard: str | None, suggested: bool,
    steps: Sequence[AnyStep] = (), path: str = "", sheet: PathSheet | None = None, record_as: RecordAs | None = None,
    taken: Sequence[str] = (),
) -> HouseRules:  # fmt: skip
    """Of a carrier that was done by hand: the next ones like it. Raises WrongUseError for a name that is none, or without a copy."""
    if not words.strip():
        raise WrongUseError("House rules need a name.", remedy="Say what they are for: VHS for the family.")
    if not copies:
        raise WrongUseError("No copy of that carrier was asked for.", remedy="Decide on its copies in Balance first.")
    limits = Limits(
        scan=(reading.scan.kind,), field_order=reading.scan.field_order or "", rate=reading.rate.nominal,
        shortest_seconds=min(_SHORTEST_S, reading.duration_seconds / 2),
    )  # fmt: skip
    return HouseRules(
        key=key_for(words, taken), words=words.strip()[:80], kind=kind, standard=standard or "",
        treatment="suggested" if suggested else "fields", steps=tuple(steps), copies=tuple(copies), limits=limits, path=path[:400],
        sheet=sheet, record_as=record_as,
    )  # fmt: skip


def copy_name(words: str, number: int) -> str:
    """A name for a copy of rules that is allowed for one."""
    kept = "".join(letter if COPY_NAME.match(f"x{letter}") else " " for letter in words)[:38].strip(" -")
    return kept if COPY_NAME.match(kept) else f"copy {number}"


def rules_folder() -> Path:
    """Where a person's rules lie."""
    return user_config_path("yomikomi") / "house rules"


def read_rules(path: Path) -> HouseRules:
    """Raises WrongUseError for what is none."""
    found = read_document(path, HouseRules, words="house rules document", remedy="See: yomikomi schema house-rules")
    for one in found.copies:
        one.recipe.check()
    return found


def keep_rules(wanted: HouseRules, folder: Path | None = None) -> Path:
    """In the place of what had that key. Raises YomikomiError where the folder or its drive does not take it."""
    path = (folder or rules_folder()) / f"{wanted.key}.json"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_over(path, wanted.model_dump_json(indent=1, exclude_computed_fields=True).encode())
    except OSError as error:
        raise drive_error(error, path) from error
    return path


def all_rules(folder: Path | None = None) -> dict[str, HouseRules]:
    """By key; files that are none are passed by."""
    found: dict[str, HouseRules] = {}
    place = folder or rules_folder()
    for path in sorted(place.glob("*.json")) if place.is_dir() else []:
        try:
            one = read_rules(path)
        except WrongUseError:
            continue
        found[one.key] = one
    return found


def named_rules(name: str, folder: Path | None = None) -> HouseRules:
    """By key or name, or out of a file. Raises WrongUseError."""
    known = all_rules(folder)
    for one in known.values():
        if name in {one.key, one.words}:
            return one
    if name.endswith(".json"):
        return read_rules(Path(name))
    raise WrongUseError(f"There are no house rules {name!r}.", remedy=f"Known: {', '.join(known) or 'none yet'}; or name a .json file.")


