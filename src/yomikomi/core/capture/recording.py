"""How a take is recorded: the codec and what it is opened with, sound, timecode, and how a file says what its pictures are."""

from __future__ import annotations

from fractions import Fraction
from typing import Any, Literal

import av
from pydantic import BaseModel, ConfigDict, Field, field_validator

from yomikomi.core.errors import WrongUseError
from yomikomi.core.planning.data_rates import CAPTURE_CODECS, DEFAULT_CAPTURE_CODEC, CaptureCodec
from yomikomi.core.video.planes import native_format
from yomikomi.core.video.source import SourceFormat
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import TimecodeRule

# AVFieldOrder numbers: progressive; coded and shown top first; coded and shown bottom first.
FIELD_ORDER_NUMBER = {None: 1, FieldOrder.TFF: 2, FieldOrder.BFF: 3}
# Clusters and fragments of a quarter second, handed on as they come: measured loss at kill -9 is 0.03 to 0.4 s (docs/science.md).
CONTAINER_OPTIONS = {
    "matroska": {"cluster_time_limit": "250", "flush_packets": "1"},
    "mov": {"movflags": "hybrid_fragmented", "frag_duration": "250000", "flush_packets": "1"},
    "nut": {"flush_packets": "1"},
}
# Nothing is held back in the encoder: a crash would lose it. "sliced" splits the picture instead of working ahead.
_AT_ONCE = "rc-lookahead=0:bframes=0:sync-lookahead=0:mbtree=0:sliced-threads=1"
SOUND_CODECS = {"pcm": "pcm_s16le", "flac": "flac", "aac": "aac"}
_DEEP_PCM = "pcm_s24le"


class RecordAs(BaseModel):
    """Parameters
    ----------
    codec : a key of ``data/capture_codecs.toml``.
    sound : PCM with 16 or 24 bits as the source gives it, or FLAC (about half of it, nothing lost), or AAC with the lossy codecs.
    crf, mbps : constant quality, or a fixed rate; for codecs that know them. With neither the codec's usual quality.
    speed : encoder preset, where the codec has one.
    part_minutes : begin a new file every so many minutes; None: one file.
    timecode : of the first picture, ``hh:mm:ss:ff``.
    sound_later_ms : the sound is moved to so much later (negative: sooner) than it came, as the sync test found it wants.
    threads : of the encoder.
    """

    model_config = ConfigDict(frozen=True)

    codec: str = DEFAULT_CAPTURE_CODEC
    sound: Literal["pcm", "flac", "aac"] = "pcm"
    crf: int | None = Field(default=None, ge=0, le=51)
    mbps: float | None = Field(default=None, gt=0, le=2000)
    speed: str | None = None
    part_minutes: float | None = Field(default=None, gt=0)
    timecode: str = "00:00:00:00"
    sound_later_ms: float = Field(default=0.0, ge=-1000, le=1000)
    threads: int = 2

    @field_validator("codec")
    @classmethod
    def _known(cls, codec: str) -> str:
        if codec not in CAPTURE_CODECS:
            raise ValueError(f"there is no capture codec {codec!r}; there are {', '.join(CAPTURE_CODECS)}")
        return codec

    @property
    def row(self) -> CaptureCodec:
        return CAPTURE_CODECS[self.codec]

    @property
    def words(self) -> str:
        how = f", {self.mbps:g} Mb/s" if self.mbps else f", quality {self.quality}" if self.quality is not None else ""
        return f"{self.row.words}{how}; sound {self.sound.upper()}"

    @property
    def quality(self) -> int | None:
        """The constant-quality value that counts, if any does."""
        return None if self.mbps or self.row.crf is None else self.crf if self.crf is not None else self.row.crf

    def encoder(self, bits: int) -> str:
        return self.row.deep_encoder if bits > 8 and self.row.deep_encoder else self.row.encoder

    def container(self, bits: int) -> str:
        return self.row.deep_container if bits > 8 and self.row.deep_container else self.row.container

    def suffix(self, bits: int) -> str:
        return self.row.deep_suffix if bits > 8 and self.row.deep_suffix else self.row.suffix

    def pixel_format(self, bits: int) -> str:
        return self.row.formats[bits > 8] or self.row.formats[0]

    def options(self, source: SourceFormat) -> dict[str, str]:
        row, order = self.row, source.field_order
        options = dict(row.deep_options if source.bits > 8 and row.deep_options else row.options)
        if row.fields == "ildct" and order is not None:
            options["flags"] = "+ildct"
        if row.encoder == "libx264":
            fields = {None: "", FieldOrder.TFF: ":tff=1", FieldOrder.BFF: ":bff=1"}[order]
            options |= {"x264-params": _AT_ONCE + fields, "bf": "0"}
            if self.speed:
                options["preset"] = self.speed
            if self.quality is not None:
                options["crf"] = str(self.quality)
        return options

    def timecode_at(self, rate: Fraction, frame: int) -> str:
        """The timecode of frame ``frame`` of the take, ``;`` before the frames where numbers are dropped.

        Raises WrongUseError for a start that is no timecode at this rate."""
        rule = TimecodeRule.usual_for(rate) if ";" in self.timecode else TimecodeRule(rate)
        try:
            return rule.from_frames(rule.to_frames(self.timecode) + frame)
        except ValueError as error:
            raise WrongUseError(f"{self.timecode!r} is no timecode here: {error}.", remedy="Write it as hh:mm:ss:ff.") from error

    def losses(self, source: SourceFormat) -> list[str]:
        """What this way of recording would not keep of a source; sentences, empty where all of it is kept."""
        row, found = self.row, []
        if not row.takes(source.bits):
            found.append(f"{row.words} keeps 8 bits of the source's {source.bits}.")
        if row.fields == "none" and source.field_order is not None:
            found.append("The file cannot say which field comes first; the record of the take does.")
        if row.formats[source.bits > 8].startswith("yuv420"):
            found.append("Colour is kept at half the lines (4:2:0).")
        return found


def add_video(container: Any, record_as: RecordAs, source: SourceFormat) -> av.VideoStream:
    """The picture stream of an output container, ready to encode. Raises what the library raises for what it cannot do."""
    standard = source.standard
    options = record_as.options(source)
    stream: av.VideoStream = container.add_stream(record_as.encoder(source.bits), rate=standard.rate, options=options)
    stream.width, stream.height, stream.pix_fmt = standard.width, standard.height, record_as.pixel_format(source.bits)
    context = stream.codec_context
    stream.sample_aspect_ratio = context.sample_aspect_ratio = source.sample_aspect
    context.time_base = 1 / standard.rate
    context.field_order = FIELD_ORDER_NUMBER[source.field_order]
    context.thread_count = record_as.threads
    if record_as.mbps and record_as.row.crf is not None:
        bits = round(record_as.mbps * 1e6)
        stream.bit_rate = bits
        context.options |= {"maxrate": str(bits), "bufsize": str(bits), "minrate": str(bits)}
    standard.colour.put_on(context)
    return stream


def add_sound(container: Any, record_as: RecordAs, source: SourceFormat) -> list[av.AudioStream]:
    """One stream for each track of the source."""
    streams = []
    deep = source.sound_bits > 16
    codec = _DEEP_PCM if deep and record_as.sound == "pcm" else SOUND_CODECS[record_as.sound]
    for track in source.tracks:
        stream: av.AudioStream = container.add_stream(
            codec, rate=source.sound_rate, layout="mono" if track.channels == 1 else "stereo"
        )
        if deep and record_as.sound == "flac":
            stream.codec_context.format = "s32"  # of which the codec keeps 24 bits
        if record_as.sound == "aac":
            stream.bit_rate = 160_000 * track.channels
        stream.metadata["title"] = track.name
        stream.metadata["handler_name"] = track.name  # what MOV keeps
        streams.append(stream)
    return streams


def picture_filters(source: SourceFormat, pixel_format: str) -> list[tuple[str, str]]:
    """Marks frames with their field order and colour (encoders differ in whether they ask the frame or the context) and brings
    them into the encoder's format, fields apart where lines of chroma are halved."""
    colour, order = source.standard.colour, source.field_order
    fields = order.value if order else "prog"
    marks = (
        f"field_mode={fields}:range={'tv' if colour.range == 1 else 'pc'}:color_primaries={colour.primaries}"
        f":color_trc={colour.transfer}:colorspace={colour.matrix}"
    )
    filters = [("setparams", marks)]
    if pixel_format != native_format(source.bits):
        filters += [("scale", f"interl={int(order is not None)}"), ("format", pixel_format)]
    return filters
