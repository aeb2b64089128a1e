"""The Reading as a document: what ``yomikomi read --json`` prints and the workspace keeps.

Version 2 added everything but file, scan type, rate, shape, tags, sound levels and strips; a document of version 1 is read as
one of version 2 in which nothing else was measured (``None``).
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from yomikomi.core.video.damage import Damage
from yomikomi.core.video.identity import FileIdentity

SCHEMA_VERSION = 2
ScanKind = Literal[
    "interlaced", "progressive", "film_2_3", "film_2_2", "film_2_3_3_2", "repeats", "blended", "mixed", "undetermined"
]  # fmt: skip
Order = Literal["tff", "bff"]
Span = tuple[float, float]


class Document(BaseModel):
    model_config = ConfigDict(frozen=True)


class Measured(Document):
    """A value with the interval in which it lies nine times in ten, from the scatter of its samples."""

    value: float
    low: float
    high: float
    unit: str
    samples: int = Field(ge=0)


class ScanSegment(Document):
    """A stretch of one kind. ``start``, ``end``: seconds from the first frame."""

    start: float
    end: float
    first_frame: int
    end_frame: int = Field(description="one past the last")
    kind: ScanKind
    field_order: Order | None
    confidence: float = Field(ge=0, le=1)
    informative_frames: int = Field(ge=0)


class Scan(Document):
    """Scan type. ``confidence``: how likely the verdict is right, from the agreement of all frames in a sequence model;
    at most 0.99, 0.95 on compressed sources (for undetermined: how little there is to go by)."""

    kind: ScanKind
    field_order: Order | None
    confidence: float = Field(ge=0, le=1)
    frames: int = Field(ge=0)
    informative_frames: int = Field(ge=0)
    agreeing_frames: int = Field(ge=0)
    flagged: str | None = Field(description="what the file itself says: progressive, tff, bff or nothing")
    segments: list[ScanSegment] = Field(default_factory=list)
    cadence: str = Field(default="", description="in words, where the take has one")
    broken_at: list[int] = Field(default_factory=list, description="frames where a cadence breaks without a cut")
    runs: list[tuple[int, str, int]] = Field(
        default_factory=list,
        description="the cadence frame by frame: first frame, pattern, place in its round; each holds until the next. Empty where not "
        "every frame was looked at, or where it changes all the time",
    )
    telling_frame: int | None = Field(default=None, description="the frame that shows the verdict best")
    whole_pictures: float = Field(
        default=0.0, ge=0, le=1,
        description="of undetermined: probability that the frames are progressive or blended, not interlaced; else 0",
    )


class Rate(Document):
    nominal: str = Field(description="exact rate of the frames as a fraction, 30000/1001")
    constant: bool
    gaps: int = Field(ge=0, description="places where frames are missing")
    missing_frames: int = Field(ge=0)
    told_by: str
    true: str = Field(default="", description="exact rate of the source pictures: pulldown and repeats removed")
    gap_places: list[tuple[int, int]] = Field(default_factory=list, description="frame before the gap, frames missing; 200 at most")
    jitter_ms: float = Field(default=0.0, description="standard deviation of the time stamps about a constant rate")
    off_places: list[int] = Field(default_factory=list, description="frames that stand outside their place; 200 at most")
    stamps: str = Field(default="", description="exact rate of the time stamps, where a person says that the true rate is another")
    retimed: bool = Field(default=False, description="the stamps are wrong: frames are shown one after another at the nominal rate")

    @property
    def by_stamps(self) -> Fraction:
        """The rate at which frames are found in the file."""
        return Fraction(self.stamps or self.nominal)


class Losses(Document):
    """From the pictures; gaps of the time stamps stand under ``rate``. Lists hold the first 500 places."""

    repeated: list[int] = Field(description="frames that show the one before again, outside any cadence")
    suspected: list[int] = Field(default_factory=list, description="empty; documents made before 2026-11-27 list guesses here")
    frozen: list[tuple[int, int]] = Field(description="first frame and length of stand-stills in moving material")
    repeated_count: int = 0
    suspected_count: int = 0


class Shape(Document):
    width: int
    height: int
    sample_aspect: str = Field(description="pixel shape, width over height, 8/9")
    display_aspect: str
    shape: str = Field(description="the shape in words, 4:3")


class Borders(Document):
    """Empty lines and columns around the picture, in samples. ``confidence``: share of bright enough looks that agree."""

    top: int
    bottom: int
    left: int
    right: int
    confidence: float
    moving: bool = Field(description="the borders are not the same throughout")
    changes: list[tuple[int, list[int]]] = Field(default_factory=list, description="frame, [top, bottom, left, right] from there")
    head_switching_lines: int = Field(default=0, description="torn lines at the bottom of a tape's picture")
    active_shape: str = Field(default="", description="shape of what is inside, in words")
    likely_shape: str | None = Field(default=None, description="shape the whole is likely meant at; None: undetermined")
    shape_reason: str = ""


class Colour(Document):
    primaries: int
    transfer: int
    matrix: int
    range: int
    words: str


class Levels(Document):
    """Luma in 8-bit code values. ``range_found``: what the codes argue for, on the evidence told in ``range_reason``."""

    black: float = Field(description="darkest thousandth of the picture, of the dark looks")
    white: float = Field(description="brightest thousandth, of the bright looks")
    below_16: float = Field(description="part of all samples, noise allowed for")
    above_235: float
    clipped_low: float = Field(description="part of all samples piled up at the lowest code in use")
    clipped_high: float
    range_found: Literal["limited", "full", "undetermined"]
    range_reason: str
    tone: Literal["fine", "raised black", "crushed black", "washed out", "clipped white", "undetermined"]
    cast: tuple[float, float] = Field(description="mean Cb and Cr of near-grey parts, from 128")
    cast_drift: float = Field(description="how far the cast wanders over the take, code values")
    transfer_found: Literal["as flagged", "could be PQ", "could be SDR", "undetermined"] = "undetermined"
    darkest_frame: int | None = None
    brightest_frame: int | None = None


class BarsFound(Document):
    """Colour bars in the picture, against the values of ITU-R BT.601 or BT.709."""

    frames: int
    at_frame: int
    matrix: Literal["bt601", "bt709"]
    saturation: float = Field(description="of the colours against what they must be; 1 is right")
    phase_degrees: float = Field(description="how far the hues are turned")
    luma_error: float = Field(description="largest error of a bar's luma, code values")
    level: Literal[75, 100]


class TapeFaults(Document):
    """``None``: could not be measured on this material."""

    luma_noise: Measured | None = None
    chroma_noise: Measured | None = None
    line_jitter: Measured | None = Field(default=None, description="of lines against their neighbours, samples")
    wobble: Measured | None = Field(default=None, description="slow displacement within a field, samples")
    dropouts_per_minute: Measured | None = None
    dropout_places: list[tuple[int, int, int, int]] = Field(default_factory=list, description="frame, line, column, length; 200 at most")
    chroma_delay: Measured | None = Field(default=None, description="chroma comes later by so many luma samples")
    dot_crawl: float | None = Field(default=None, description="subcarrier left in the luma: how far above its surroundings, dB")
    cross_colour: float | None = Field(default=None, description="chroma alternating from frame to frame in fine detail, code values")
    hum_bar: float | None = Field(default=None, description="amplitude of a rolling bright band, code values")
    ghost: tuple[float, float] | None = Field(default=None, description="an echo: distance in samples, strength")


class DigitalFaults(Document):
    blocking: float | None = Field(default=None, description="step at an 8 x 8 grid against steps beside it; 1 is none")
    banding: float | None = Field(default=None, description="part of smooth areas that stands in flat steps")


class Sound(Document):
    index: int
    codec: str
    channels: int
    sample_rate: int
    kbps: float | None = Field(default=None, description="of its packets; null: not counted, as in older readings")
    language: str | None
    seconds: float = Field(description="length by its samples; of a quick reading, by its header")
    heard_seconds: float = Field(default=0.0, description="how much of it was listened to")
    starts_at: float = Field(default=0.0, description="seconds after the first picture; negative if before")
    ends_at: float = Field(default=0.0, description="seconds after the first picture")
    peak_db: float = Field(description="dB below full scale")
    rms_db: float
    silences: list[Span] = Field(description="from, to in seconds; at least 1 s under −60 dB")
    loudness: float | None = Field(default=None, description="integrated, LUFS, EBU R 128")
    loudness_range: float | None = Field(default=None, description="LU, EBU Tech 3342")
    true_peak: float | None = Field(default=None, description="dBTP, ITU-R BS.1770")
    clipped: int = Field(default=0, description="runs of three samples or more at full scale")
    clipped_at: list[float] = Field(default_factory=list, description="seconds; the first 50")
    relation: Literal["mono", "stereo", "identical", "one side", "out of phase", "several"] = "mono"
    empty_channels: list[int] = Field(default_factory=list)
    hum_hz: float | None = None
    hum_db: float | None = None
    dc: float = Field(default=0.0, description="mean, full scale 1")
    noise_floor_db: float | None = Field(default=None, description="of the quietest parts that are not silent")
    holds: Literal["speech", "music"] | None = Field(default=None, description="speech alone, or music somewhere; null: neither for sure")
    speed: float | None = Field(default=None, description="against what the hum says it should be; None: nothing to go by")


class Sync(Document):
    """``offset_ms``: the sound comes after its picture by so much; None: too few events that belong together."""

    offset_ms: float | None
    low: float | None = None
    high: float | None = None
    events: int = 0
    drift_ms_per_hour: float | None = None
    reason: str = ""


class Structure(Document):
    """Frames unless told otherwise."""

    cuts: list[int] = Field(description="first frames of new shots; 2000 at most")
    cut_count: int
    fades: list[tuple[int, int, str]] = Field(default_factory=list, description="first, last, 'in' or 'out'")
    black: list[tuple[int, int]] = Field(
        default_factory=list, description="first and last frame of black stretches: of a second or more, at head and tail of half a second"
    )
    head_black_seconds: float = 0.0
    tail_black_seconds: float = 0.0
    fragments: list[tuple[int, int]] = Field(
        default_factory=list, description="short material after two seconds or more of black and silence near the end"
    )
    spatial: Measured | None = Field(default=None, description="spatial information, ITU-T P.910")
    temporal: Measured | None = Field(default=None, description="temporal information, ITU-T P.910")
    hardest_frame: int = 0
    easiest_frame: int = 0
    typical_frame: int = 0


class HiddenLines(Document):
    """What the picture carries in its first lines."""

    captions: int = Field(default=0, description="looks with line-21 captions in them")
    coded: int = Field(default=0, description="looks whose coded pictures bring such captions with them")
    caption_bytes: str = Field(default="", description="printable characters of the first ones")
    timecode: str | None = Field(default=None, description="first vertical-interval timecode")
    timecode_looks: int = 0
    looks: int = 0


class Strips(Document):
    """Evidence over time, a value a bin of ``frames_per_bin`` frames; empty lists: not measured."""

    frames_per_bin: int
    combing: list[float] = Field(description="root-mean-square height of comb teeth, 8-bit code values; largest of the bin")
    motion: list[float] = Field(description="mean change from frame to frame, 8-bit code values; largest of the bin")
    vote: list[int] = Field(
        description="0 nothing, 1 progressive, 2 top first, 3 bottom first, 4 unclear, 5 film, 6 repeats, 7 blended; the commonest"
    )
    sound_db: list[float] = Field(description="peak of all streams, dB below full scale")
    low: list[float] = Field(default_factory=list, description="darkest hundredth of the luma, 8-bit code values")
    high: list[float] = Field(default_factory=list, description="brightest hundredth")
    loss: list[int] = Field(default_factory=list, description="0 none, 1 repeated, 2 frozen or missing")


class Complexity(Document):
    """Bytes of a small fast encode in cells of ``frames_per_cell`` frames: where a take is hard."""

    frames_per_cell: int
    cell_bytes: list[int]
    cell_key_bytes: list[int] = Field(default_factory=list, description="of key pictures among them; empty where that was not kept")

    @property
    def between_bytes(self) -> list[int]:
        """Of all pictures but key pictures, a cell each."""
        keys = self.cell_key_bytes or [0] * len(self.cell_bytes)
        return [size - key for size, key in zip(self.cell_bytes, keys, strict=True)]

    def of_cells(self, cells: Sequence[int]) -> Complexity:
        """Of some cells, in that order."""
        some = [[sizes[cell] for cell in cells] if sizes else [] for sizes in (self.cell_bytes, self.cell_key_bytes)]
        return Complexity(frames_per_cell=self.frames_per_cell, cell_bytes=some[0], cell_key_bytes=some[1])


class Doubt(Document):
    """Where the file says one thing and its pictures another, or what of it is damaged. ``topic``: what it is about."""

    topic: Literal["damage", "rate", "scan", "matrix"]
    words: str


class Reading(Document):
    schema_version: int = SCHEMA_VERSION
    mode: Literal["full", "quick"] = "full"
    file: str
    size_bytes: int
    container: str
    codec: str
    pixel_format: str
    bit_depth: int
    frames: int
    frames_looked_at: int = Field(default=0, description="by the scan: all of them, or a quick reading's sample")
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
    warnings: list[str] = Field(description="the words of ``doubts``")
    doubts: list[Doubt] = Field(default_factory=list, description="empty in readings made before warnings had topics")
    read_seconds: float
    overruled: list[str] = Field(default_factory=list, description="topics on which a person's word stands, not the measurement")
    losses: Losses | None = None
    borders: Borders | None = None
    levels: Levels | None = None
    bars: BarsFound | None = None
    tape: TapeFaults | None = None
    digital: DigitalFaults | None = None
    sync: Sync | None = None
    structure: Structure | None = None
    hidden: HiddenLines | None = None
    damage: Damage | None = Field(default=None, description="what could not be read as it was written; None: not looked for")
    chapters: int = 0
    identity: FileIdentity | None = Field(default=None, description="the file as it lay there when it was read")
    content: str | None = Field(default=None, description="BLAKE3 of all its bytes; None: a quick reading")

    def doubted(self, topic: str) -> list[str]:
        """What is doubtful about a topic, in words."""
        return [one.words for one in self.doubts if one.topic == topic]

    @model_validator(mode="before")
    @classmethod
    def _with_topics(cls, document: object) -> object:
        """Documents written before warnings had topics: what those versions said is known."""
        if isinstance(document, dict) and "doubts" not in document and isinstance(document.get("warnings"), list):
            told = [words for words in document["warnings"] if isinstance(words, str)]
            return {**document, "doubts": [{"topic": _old_topic(words), "words": words} for words in told]}
        return document


def _old_topic(words: str) -> str:
    if "unusual for its size" in words:
        return "matrix"
    if words.startswith("the frame rate") or "frames a second" in words or " fps" in words:
        return "rate"
    return "scan" if words.startswith("the file says") else "damage"
