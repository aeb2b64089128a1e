"""An outlet as a document: own ones are kept in the same form as those that ship."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib import resources
from pathlib import Path

from platformdirs import user_config_path
from pydantic import BaseModel, ConfigDict, Field, model_validator

from yomikomi.core.errors import WrongUseError
from yomikomi.core.recipes.levels import LEVELS
from yomikomi.core.work.document_file import read_document


class CodecLimit(BaseModel):
    """A codec that an outlet plays."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    codec: str
    level: str | None = Field(default=None, description="highest level; null: any")
    profiles: tuple[str, ...] = Field(default=(), description="names of profiles; empty: any")
    depth: int = Field(default=8, ge=8, le=16, description="most bits of a sample")
    chroma: tuple[str, ...] = Field(default=("4:2:0",), description="how colour may be sampled")

    @model_validator(mode="after")
    def _known_level(self) -> CodecLimit:
        if self.level is not None and self.level not in [one.name for one in LEVELS.get(self.codec, ())]:
            raise ValueError(f"{self.codec} has no level {self.level!r}")
        return self


class SoundLimit(BaseModel):
    """A sound codec that an outlet plays."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    codec: str
    kbps: int | None = Field(default=None, ge=8, description="most of a stream; null: any")
    channels: int = Field(default=2, ge=1, le=64)
    rates: tuple[int, ...] = (44_100, 48_000)


class Outlet(BaseModel):
    """A kind of place where copies are watched or used, with what it takes. Null: no limit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    key: str
    words: str
    note: str = Field(default="", description="what it is, and where its figures are from")
    containers: tuple[str, ...] = Field(min_length=1)
    video: tuple[CodecLimit, ...] = Field(min_length=1)
    sound: tuple[SoundLimit, ...]
    width: int | None = Field(default=None, ge=16)
    height: int | None = Field(default=None, ge=16)
    rate: float | None = Field(default=None, gt=0, allow_inf_nan=False, description="most frames a second")
    interlaced: bool = Field(default=False, description="whether it shows fields as they should be")
    average_kbps: int | None = Field(default=None, ge=50)
    peak_kbps: int | None = Field(default=None, ge=50, description="over the buffer")
    buffer_seconds: float = Field(default=1.0, gt=0, le=60)
    key_seconds: float | None = Field(default=None, gt=0, le=60, description="longest time between key pictures")
    file_bytes: int | None = Field(default=None, ge=10_000)
    index_in_front: bool = False

    def plays(self, codec: str) -> CodecLimit | None:
        return next((limit for limit in self.video if limit.codec == codec), None)

    def hears(self, codec: str) -> SoundLimit | None:
        return next((limit for limit in self.sound if limit.codec == codec), None)


@lru_cache(maxsize=1)
def shipped_outlets() -> dict[str, Outlet]:
    """Those that ship, by key, the most demanding first."""
    with resources.files("yomikomi.core.outlets").joinpath("data/outlets.toml").open("rb") as file:
        found = [Outlet.model_validate(row) for row in tomllib.load(file)["outlet"]]
    return {outlet.key: outlet for outlet in found}


def outlets() -> dict[str, Outlet]:
    """Those that ship and a person's own, by key; an own one never hides one that ships."""
    return {**own_outlets(), **shipped_outlets()}


def outlets_folder() -> Path:
    """Where a person's own ones lie, each a JSON file."""
    return user_config_path("yomikomi") / "outlets"


class _OutletFile(Outlet):
    """One of a person's own; several in one, which copies keep, have longer names."""

    key: str = Field(pattern=r"^[\w][\w-]{0,39}$")
    words: str = Field(min_length=1, max_length=80)


def read_outlet(path: Path) -> Outlet:
    """Raises WrongUseError for what is no outlet."""
    found = read_document(path, _OutletFile, words="outlet", remedy="See: yomikomi outlets --json")
    return Outlet.model_validate(found.model_dump())


def own_outlets() -> dict[str, Outlet]:
    """A person's own, by key; files that are none are passed by."""
    folder = outlets_folder()
    files = sorted(folder.glob("*.json")) if folder.is_dir() else []
    return _own(tuple((path, path.stat().st_mtime_ns, path.stat().st_size) for path in files if path.is_file()))


@lru_cache(maxsize=4)
def _own(files: tuple[tuple[Path, int, int], ...]) -> dict[str, Outlet]:
    """Read anew when a file is another one: they are asked for whenever a menu is opened."""
    found: dict[str, Outlet] = {}
    for path, _, _ in files:
        try:
            one = read_outlet(path)
        except WrongUseError:
            continue
        found[one.key] = one
    return found
