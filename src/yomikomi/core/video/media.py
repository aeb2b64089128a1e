"""Opening footage, and saying clearly why it cannot be opened."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.picture_note import PictureNote

# Formats that are lists, addresses or text: opening them would read other files, or show letters as a picture.
_REFUSED_FORMATS = {"hls", "concat", "tty", "lavfi", "sdp", "rtsp", "dash", "webvtt", "srt", "ass", "ffmetadata"}
# A declared length may exceed what is found by this much before the file counts as cut off.
_TAIL_TOLERANCE_S = Fraction(1)


@dataclass(frozen=True)
class SoundStream:
    codec: str
    channels: int
    sample_rate: int
    language: str | None
    seconds: Fraction | None


@dataclass(frozen=True)
class MediaInfo:
    """What a file says of itself; the Reading finds out what is true."""

    path: Path
    size_bytes: int
    container: str
    seconds: Fraction | None
    codec: str
    pixel_format: str
    bit_depth: int
    geometry: Geometry
    average_rate: Fraction | None
    flagged_frames: int
    flagged_field_order: str | None
    colour: ColourTags
    sound: tuple[SoundStream, ...]
    subtitle_streams: int
    rotation: int


def describe_failure(path: Path, error: BaseException | None = None) -> UnreadableError:
    """The error a person can act on, for a file that did not open."""
    name = path.name
    if not path.exists():
        return UnreadableError(f"There is no file {name}.", remedy="Check the name, or whether its drive is connected.", path=path)
    if path.is_dir():
        return UnreadableError(f"{name} is a folder.", remedy="Give a file in it instead.", path=path)
    if path.stat().st_size == 0:
        return UnreadableError(f"{name} is empty (0 bytes).", remedy="Copy it again from where it came.", path=path)
    if not os.access(path, os.R_OK) or isinstance(error, PermissionError):
        return UnreadableError(f"{name} may not be read.", remedy="Ask its owner for the right to read it.", path=path)
    with contextlib.suppress(OSError), path.open("rb") as file:
        if file.read(12)[4:8] == b"ftyp":
            return UnreadableError(
                f"{name} is an MP4 or MOV that was cut off before its index was written.",
                remedy="Copy it again, or let the camera that made it repair its card.",
                path=path,
            )
    return UnreadableError(
        f"{name} is not footage that can be opened; it may be damaged or of another kind.",
        remedy="Check that it plays elsewhere, and copy it again if it should.",
        path=path,
    )


@contextlib.contextmanager
def open_media(path: Path) -> Iterator[av.container.InputContainer]:
    """Open for decoding; raises UnreadableError with a remedy.

    The ``file:`` prefix keeps a hostile name from being taken for an address.
    """
    path = Path(path)
    if not path.is_file() or path.stat().st_size == 0:
        raise describe_failure(path)
    try:
        container = av.open(f"file:{path}", metadata_errors="replace")
    except (av.error.FFmpegError, OSError, ValueError) as error:
        raise describe_failure(path, error) from error
    with container:
        names = set(container.format.name.split(","))
        if names & _REFUSED_FORMATS:
            raise UnreadableError(f"{path.name} is a list or a text, not footage.", remedy="Give the footage file itself.", path=path)
        if any(name.endswith("_pipe") or name == "image2" for name in names):
            raise UnreadableError(f"{path.name} is a still picture.", remedy="Give a moving picture.", path=path)
        video_stream(container, path)
        yield container


def video_stream(container: av.container.InputContainer, path: Path) -> av.VideoStream:
    """The moving picture of a file; cover pictures do not count."""
    for stream in container.streams.video:
        if not stream.disposition & av.stream.Disposition.attached_pic and stream.codec_context is not None and stream.codec_context.width:
            return stream
    if container.streams.audio:
        raise UnreadableError(f"{path.name} holds sound only, no picture.", remedy="Give the file that holds the picture.", path=path)
    raise UnreadableError(f"{path.name} holds no moving picture.", remedy="Check that it is the right file.", path=path)


def heard_streams(container: av.container.InputContainer) -> list[av.AudioStream]:
    """The sound streams that can be decoded; a damaged header may name one of no known kind."""
    return [stream for stream in container.streams.audio if stream.codec_context is not None]


# AVFieldOrder of the library, by number; 4 and 5 are coded in one order and shown in the other.
_FIELD_ORDERS = {1: "progressive", 2: "tff", 3: "bff", 4: "bff", 5: "tff"}


def probe(path: Path) -> MediaInfo:
    """What a file says of itself. Decodes one frame, so that a header without pictures is found out."""
    path = Path(path)
    with open_media(path) as container:
        stream = video_stream(container, path)
        frame = _first_frame(container, stream, path)
        context = stream.codec_context
        pixel = av.VideoFormat(frame.format.name)
        aspect = stream.sample_aspect_ratio or context.sample_aspect_ratio or Fraction(1)
        seconds = Fraction(container.duration, av.time_base) if container.duration else None
        colour, order = ColourTags.of(context), _FIELD_ORDERS.get(_field_order_number(context))
        note = PictureNote.among(container.metadata)
        if note is not None and stream.sample_aspect_ratio is None:
            aspect, colour, order = note.sample_aspect, note.colour, note.field_order
        return MediaInfo(
            path=path,
            size_bytes=path.stat().st_size,
            container=container.format.name.split(",")[0],
            seconds=seconds,
            codec=context.codec.canonical_name,
            pixel_format=pixel.name,
            bit_depth=pixel.components[0].bits,
            geometry=Geometry(frame.width, frame.height, Fraction(aspect)),
            average_rate=Fraction(stream.average_rate) if stream.average_rate else None,
            flagged_frames=stream.frames,
            flagged_field_order=order,
            colour=colour,
            sound=tuple(_sound(s) for s in heard_streams(container)),
            subtitle_streams=len(container.streams.subtitles),
            rotation=int(frame.rotation or 0) % 360,
        )


def check_tail(path: Path) -> str | None:
    """A warning if a file ends before the length it declares (it was cut off), else None."""
    with open_media(path) as container:
        stream = video_stream(container, path)
        if not container.duration:
            return "its length is not written in it: it was not closed in order, and may end early"
        declared = Fraction(container.duration, av.time_base)
        start = Fraction(container.start_time or 0, av.time_base)
        end = _last_time(container, stream, declared)
        if end is None or declared - (end - start) > _TAIL_TOLERANCE_S + declared / 50:
            found = "nothing" if end is None else f"{float(end - start):.1f} s"
            return f"it is cut off: it declares {float(declared):.1f} s and holds {found}"
    return None


def _last_time(container: av.container.InputContainer, stream: av.VideoStream, declared: Fraction) -> Fraction | None:
    """Time of the last picture packet, looking near the end first."""
    base = stream.time_base or Fraction(1, 1000)
    for back in (Fraction(2), Fraction(12), declared):
        last = None
        with contextlib.suppress(av.error.FFmpegError):
            container.seek(int(max(Fraction(0), declared - back) * av.time_base) + (container.start_time or 0))
            for packet in container.demux(stream):
                if packet.pts is not None:
                    last = max(last or Fraction(0), packet.pts * base)
        if last is not None:
            return last
    return None


def _first_frame(container: av.container.InputContainer, stream: av.VideoStream, path: Path) -> av.VideoFrame:
    try:
        for frame in container.decode(stream):
            return frame
    except (av.error.FFmpegError, OSError) as error:
        raise describe_failure(path, error) from error
    raise UnreadableError(f"{path.name} has a header but no pictures in it.", remedy="It was cut off; copy it again.", path=path)


def _field_order_number(context: av.VideoCodecContext) -> int:
    return int(getattr(context, "field_order", 0) or 0)


def _sound(stream: av.AudioStream) -> SoundStream:
    seconds = stream.duration * stream.time_base if stream.duration and stream.time_base else None
    context = stream.codec_context
    return SoundStream(
        codec=context.codec.canonical_name,
        channels=context.channels,
        sample_rate=context.sample_rate or 0,
        language=stream.language,
        seconds=seconds,
    )
