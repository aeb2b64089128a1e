"""An outlet as a document: own ones are kept in the same form as those that ship."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib import resources

from pydantic import BaseModel, ConfigDict, Field


class CodecLimit(BaseModel):
    """A codec that an outlet plays."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    codec: str
    level: str | None = Field(default=None, description="highest level; null: any")
    profiles: tuple[str, ...] = Field(default=(), description="names of profiles; empty: any")
    depth: int = Field(default=8, description="most bits of a sample")
    chroma: tuple[str, ...] = Field(default=("4:2:0",), description="how colour may be sampled")


class SoundLimit(BaseModel):
    """A sound codec that an outlet plays."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    codec: str
    kbps: int | None = Field(default=None, description="most of a stream; null: any")
    channels: int = 2
    rates: tuple[int, ...] = (44_100, 48_000)


class Outlet(BaseModel):
    """A kind of place where copies are watched or used, with what it takes. Null: no limit."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    key: str
    words: str
    note: str = Field(default="", description="what it is, and where its figures are from")
    containers: tuple[str, ...]
    video: tuple[CodecLimit, ...]
    sound: tuple[SoundLimit, ...]
    width: int | None = None
    height: int | None = None
    rate: float | None = Field(default=None, description="most frames a second")
    interlaced: bool = Field(default=False, description="whether it shows fields as they should be")
    average_kbps: int | None = None
    peak_kbps: int | None = Field(default=None, description="over the buffer")
    buffer_seconds: float = 1.0
    key_seconds: float | None = Field(default=None, description="longest time between key pictures")
    file_bytes: int | None = None
    index_in_front: bool = False

    def plays(self, codec: str) -> CodecLimit | None:
        return next((limit for limit in self.video if limit.codec == codec), None)

    def hears(self, codec: str) -> SoundLimit | None:
        return next((limit for limit in self.sound if limit.codec == codec), None)


@lru_cache(maxsize=1)
def outlets() -> dict[str, Outlet]:
    """Those that ship, by key, the most demanding first."""
    with resources.files("yomikomi.core.outlets").joinpath("data/outlets.toml").open("rb") as file:
        found = [Outlet.model_validate(row) for row in tomllib.load(file)["outlet"]]
    return {outlet.key: outlet for outlet in found}
