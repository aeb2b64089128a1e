"""The JSON documents of the commands of capturing."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture.health import HealthEnd


class CaptureDocument(BaseModel):
    """``yomikomi capture``: how a pass went."""

    model_config = ConfigDict(frozen=True)

    file: str
    files: list[str] = Field(description="all of them, where the take has several parts")
    codec: str
    frames: int
    seconds: float
    late: int
    lost: int
    repeated: int
    doubled: int = Field(default=0, description="pictures that the driver handed on twice; the second was left out")
    gaps: list[tuple[int, int]] = Field(description="frames that are missing: first number, how many")
    size_bytes: int
    headroom: float = Field(description="how many times faster than needed the recorder worked")
    ended: str
    trouble: str
    health: HealthEnd | None


class SourceDocument(BaseModel):
    """A source that can be captured from. ``busy``: the programs that hold it."""

    model_config = ConfigDict(frozen=True)

    name: str
    words: str
    kind: str = Field(description="simulated, video or sound")
    inputs: list[str] = []
    standards: list[str] = []
    formats: list[str] = []
    busy: list[str] = []


class SourcesDocument(BaseModel):
    """``yomikomi sources``."""

    model_config = ConfigDict(frozen=True)

    sources: list[SourceDocument]


class CutDocument(BaseModel):
    """``yomikomi cut``, ``join`` and ``merge``: what came out without encoding anew."""

    model_config = ConfigDict(frozen=True)

    file: str
    frames: int
    seconds: float
    size_bytes: int
    moved: list[int] = Field(description="for each piece, how many frames before the asked one it had to begin")
