"""A set as a document, those that ship, and those of a person."""

from __future__ import annotations

import itertools
import re
import tomllib
from collections.abc import Collection
from functools import lru_cache
from importlib import resources
from pathlib import Path
from typing import Literal

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field, field_validator

from yomikomi.core.errors import WrongUseError
from yomikomi.core.outlets.model import Outlet, outlets
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.steps import AnyStep
from yomikomi.core.work.document_file import read_document
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import write_over

# A part of a file's name on every file system.
COPY_NAME = re.compile(r"^[\w][\w -]{0,39}$")


class SetCopy(BaseModel):
    """One copy of a set.

    Parameters
    ----------
    name : added to the copy's file name, so that copies of a set never meet.
    outlets : keys of those that it has to play at.
    fields : ``kept``: interlaced pictures stay so, whatever the take's treatment does to them.
    steps : of the treatment, in place of those of their kind: crops, sizes, rates.
    folder : where the copy is put, from the root; empty: where copies are put as a rule.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(pattern=COPY_NAME.pattern)
    outlets: tuple[str, ...] = ()
    recipe: Recipe
    fields: Literal["treated", "kept"] = "treated"
    steps: tuple[AnyStep, ...] = ()
    folder: str = Field(default="", max_length=1000, pattern=r"^(/[^\x00]*)?$")

    @field_validator("outlets")
    @classmethod
    def _known(cls, keys: tuple[str, ...]) -> tuple[str, ...]:
        unknown = [key for key in keys if key not in outlets()]
        if unknown:
            raise ValueError(f"there is no outlet {unknown[0]!r}")
        return keys

    @property
    def places(self) -> list[Outlet]:
        return [outlets()[key] for key in self.outlets]


class CopySet(BaseModel):
    """``key``: how it is named on the command line and as a file."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = 1
    key: str = Field(pattern=r"^[\w][\w-]{0,39}$")
    words: str = Field(min_length=1, max_length=80)
    copies: tuple[SetCopy, ...] = Field(min_length=1, max_length=12)

    @field_validator("copies")
    @classmethod
    def _names_differ(cls, copies: tuple[SetCopy, ...]) -> tuple[SetCopy, ...]:
        names = [one.name.casefold() for one in copies]
        if len(set(names)) < len(names):
            raise ValueError("two copies of it have one name")
        return copies


@lru_cache(maxsize=1)
def shipped_sets() -> dict[str, CopySet]:
    with resources.files("yomikomi.core.sets").joinpath("data/sets.toml").open("rb") as file:
        found = [CopySet.model_validate(row) for row in tomllib.load(file)["set"]]
    return {one.key: one for one in found}


def sets_folder() -> Path:
    """Where a person's own sets lie."""
    return user_config_path("yomikomi") / "sets"


def read_set(path: Path) -> CopySet:
    """A set from a file; raises WrongUseError for what is none."""
    found = read_document(path, CopySet, words="set", remedy="See: yomikomi sets --json")
    for one in found.copies:
        one.recipe.check()
    return found


def key_for(words: str, taken: Collection[str]) -> str:
    """A key for a set of that name, other than those taken."""
    plain = re.sub(r"[^\w]+", "-", words.casefold()).strip("-_")[:34] or "set"
    return next(key for number in itertools.count(1) if (key := plain if number == 1 else f"{plain}-{number}") not in taken)


def keep_set(wanted: CopySet, path: Path) -> None:
    """As a file, in the place of what was there: the person said so. Raises YomikomiError where the folder or drive does not take it."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_over(path, wanted.model_dump_json(indent=1, exclude_computed_fields=True).encode())
    except OSError as error:
        raise drive_error(error, path) from error


def own_sets(folder: Path) -> dict[str, CopySet]:
    """Those of a person, by key; files that are none are passed by: the command that names one says why."""
    found: dict[str, CopySet] = {}
    for path in sorted(folder.glob("*.json")) if folder.is_dir() else []:
        try:
            one = read_set(path)
        except WrongUseError:
            continue
        found[one.key] = one
    return found


def all_sets(folder: Path) -> dict[str, CopySet]:
    """Those that ship and a person's own; an own one goes before a shipped one of the same key."""
    return {**shipped_sets(), **own_sets(folder)}


def named_set(name: str, folder: Path) -> CopySet:
    """By its key, or out of a file. Raises WrongUseError."""
    known = all_sets(folder)
    if name in known:
        return known[name]
    if name.endswith(".json"):
        return read_set(Path(name))
    raise WrongUseError(f"There is no set {name!r}.", remedy=f"Use one of: {', '.join(known)}; or name a file that ends in .json.")
