"""The Reading as a document: what ``yomikomi read --json`` prints and the workspace keeps."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

SCHEMA_VERSION = 1
ScanKind = Literal["interlaced", "progressive", "undetermined"]
Order = Literal["tff", "bff"]


class Document(BaseModel):
    model_config = ConfigDict(frozen=True)


class Scan(Document):
    """Scan type. ``confidence``: how likely the verdict is right, from the share of telling frames that agree, ten
    neighbouring frames counting as one witness; at most 0.99 (for undetermined: how little there is to go by)."""

    kind: ScanKind
    field_order: Order | None
    confidence: float = Field(ge=0, le=1)
    frames: int = Field(ge=0)
    informative_frames: int = Field(ge=0)
    agreeing_frames: int = Field(ge=0)
    flagged: str | None = Field(description="what the file itself says: progressive, tff, bff or nothing")


class Rate(Document):
    nominal: str = Field(description="exact rate as a fraction, 30000/1001")
    constant: bool
    gaps: int = Field(ge=0, description="places where frames are missing")
    missing_frames: int = Field(ge=0)
    told_by: str


class Shape(Document):
    width: int
    height: int
    sample_aspect: str = Field(description="pixel shape, width over height, 8/9")
    display_aspect: str
    shape: str = Field(description="the shape in words, 4:3")


class Colour(Document):
    primaries: int
    transfer: int
    matrix: int
    range: int
    words: str


class Sound(Document):
    index: int
    codec: str
    channels: int
    sample_rate: int
    language: str | None
    seconds: float = Field(description="length by its samples")
    starts_at: float = Field(default=0.0, description="seconds after the first picture; negative if before")
    ends_at: float = Field(default=0.0, description="seconds after the first picture")
    peak_db: float = Field(description="dB below full scale")
    rms_db: float
    silences: list[tuple[float, float]] = Field(description="from, to in seconds; at least 1 s under −60 dB")


class Strips(Document):
    """Evidence over time, a value a bin of ``frames_per_bin`` frames."""

    frames_per_bin: int
    combing: list[float] = Field(description="root-mean-square height of comb teeth, 8-bit codes; largest of the bin")
    motion: list[float] = Field(description="mean change from frame to frame, 8-bit codes; largest of the bin")
    vote: list[int] = Field(description="0 nothing, 1 progressive, 2 top first, 3 bottom first, 4 unclear; the commonest")
    sound_db: list[float] = Field(description="peak of all streams, dB below full scale")


class Complexity(Document):
    """Bytes of a small fast encode in cells of ``frames_per_cell`` frames: where a take is hard."""

    frames_per_cell: int
    cell_bytes: list[int]


class Reading(Document):
    schema_version: int = SCHEMA_VERSION
    file: str
    size_bytes: int
    container: str
    codec: str
    pixel_format: str
    bit_depth: int
    frames: int
    duration_seconds: float
    first_seconds: str = Field(description="time stamp of the first frame, exact")
    scan: Scan
    rate: Rate
    geometry: Shape
    colour: Colour
    rotation: int
    sound: list[Sound]
    subtitle_streams: int
    strips: Strips
    complexity: Complexity
    most_combed_frame: int = Field(description="middle of the most combed second")
    warnings: list[str]
    read_seconds: float
    overruled: list[str] = Field(default_factory=list, description="topics on which a person's word stands, not the measurement")
