"""Opening footage, and saying clearly why it cannot be opened."""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.packets import BARE_STREAMS, DAMAGED, frames_of, packets_of
from yomikomi.core.video.picture_note import PictureNote
from yomikomi.core.work.drive import AWAY, short_name

# The kinds of files that footage comes in, by the library's names; nothing else is opened. Lists, addresses and text would read
# other files or show letters as a picture; the more parsers face a hostile file, the worse. Those of sound only are there to be told so.
FORMATS = (
    "matroska", "webm", "mov", "mp4", "m4a", "3gp", "3g2", "mj2", "avi", "mpeg", "mpegts", "mpegvideo", "m4v", "mxf", "gxf", "lxf", "dv",
    "nut", "flv", "asf", "wtv", "ogg", "rm", "h264", "hevc", "vvc", "obu", "av1", "ivf", "vc1", "h263", "h261", "dirac",
    "yuv4mpegpipe", "roq", "swf", "wav", "w64", "mp3", "flac", "aac", "aiff", "ac3",
)  # fmt: skip
_OPEN = {"protocol_whitelist": "file", "format_whitelist": ",".join(FORMATS)}
# How stills begin, to tell what they are.
_STILLS = (b"\x89PNG", b"\xff\xd8\xff", b"GIF8", b"BM", b"II*\0", b"MM\0*", b"\0\0\0\x0cjP", b"\0\0\0\x0cJXL")
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
    chapters: int = 0


def describe_failure(path: Path, error: BaseException | None = None) -> UnreadableError:
    """The error a person can act on, for a file that did not open."""
    name = short_name(path)

    def made(words: str, remedy: str) -> UnreadableError:
        return UnreadableError(f"{name} {words}", remedy=remedy, path=path)

    try:
        found = path.stat()
    except FileNotFoundError:
        return UnreadableError(f"There is no file {name}.", remedy="Check the name, or whether its drive is connected.", path=path)
    except OSError as trouble:
        return made(f"cannot be reached: {trouble.strerror}.", "Check the name, and the drive it lies on.")
    if stat.S_ISDIR(found.st_mode):
        return made("is a folder.", "Give a file in it instead.")
    if not stat.S_ISREG(found.st_mode):
        return made("is no ordinary file.", "Give a file with footage.")
    if found.st_size == 0:
        return made("is empty (0 bytes).", "Copy it again from where it came.")
    if not os.access(path, os.R_OK) or isinstance(error, PermissionError):
        return made("may not be read.", "Ask its owner for the right to read it.")
    if isinstance(error, MemoryError):
        return made("asks for more memory than there is; its header is damaged.", "Copy it again.")
    if isinstance(error, OSError) and error.errno in AWAY:
        return made(f"could not be read: {error.strerror or error}.", "Check its drive, then try again.")
    head = b""
    with contextlib.suppress(OSError), path.open("rb") as file:
        head = file.read(2048)
    if head[4:8] == b"ftyp":
        return made(
            "is an MP4 or MOV that was cut off before its index was written.",
            "Copy it again, or let the camera that made it repair its card.",
        )
    if head.startswith(_STILLS) or head[8:12] == b"WEBP":
        return made("is a still picture.", "Give a moving picture.")
    if head and b"\0" not in head and sum(byte >= 32 or byte in b"\t\r\n" for byte in head) == len(head):
        return made("is a list or a text, not footage.", "Give the footage file itself.")
    return made(
        "is not footage that can be opened; it may be damaged or of another kind.",
        "Check that it plays elsewhere, and copy it again if it should.",
    )


@contextlib.contextmanager
def open_media(path: Path) -> Iterator[av.container.InputContainer]:
    """Open for decoding, only kinds of ``FORMATS`` and only the file itself; raises UnreadableError with a remedy.

    The ``file:`` prefix keeps a hostile name from being taken for an address.
    """
    with open_sound(path) as container:
        video_stream(container, Path(path))
        yield container


@contextlib.contextmanager
def open_sound(path: Path) -> Iterator[av.container.InputContainer]:
    """As :func:`open_media`, also a file without moving pictures."""
    path = Path(path)
    if not is_regular(path) or path.stat().st_size == 0:
        raise describe_failure(path)
    try:
        container = av.open(f"file:{path}", metadata_errors="replace", options=_OPEN)
    except (av.error.FFmpegError, OSError, ValueError, MemoryError) as error:
        raise describe_failure(path, error) from error
    with container:
        yield container


def is_regular(path: Path) -> bool:
    """Whether a name leads to an ordinary file: opening a pipe would wait for ever, a device is something else."""
    try:
        return stat.S_ISREG(path.stat().st_mode)
    except (OSError, ValueError):
        return False


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
            chapters=len(container.chapters()),
        )


def check_tail(path: Path) -> str | None:
    """A warning if a file ends before the length it declares (it was cut off), else None."""
    with open_media(path) as container:
        stream = video_stream(container, path)
        if container.format.name in BARE_STREAMS:
            return None  # such a file tells no length
        if not container.duration:
            return "its length is not written in it: it was not closed in order, and may end early"
        declared = Fraction(container.duration, av.time_base)
        start = Fraction(container.start_time or 0, av.time_base)
        end = _last_time(container, stream, declared, path)
        if end is None or declared - (end - start) > _TAIL_TOLERANCE_S + declared / 50:
            found = "nothing" if end is None else f"{float(end - start):.1f} s"
            return f"it is cut off: it declares {float(declared):.1f} s and holds {found}"
    return None


def _last_time(container: av.container.InputContainer, stream: av.VideoStream, declared: Fraction, path: Path) -> Fraction | None:
    """Time of the last picture packet, looking near the end first."""
    base = stream.time_base or Fraction(1, 1000)
    for back in (Fraction(2), Fraction(12), declared):
        last = None
        with contextlib.suppress(*DAMAGED):
            container.seek(int(max(Fraction(0), declared - back) * av.time_base) + (container.start_time or 0))
            for packet in packets_of(container, [stream], path):
                if packet.pts is not None:
                    last = max(last or Fraction(0), packet.pts * base)
        if last is not None:
            return last
    return None


def _first_frame(container: av.container.InputContainer, stream: av.VideoStream, path: Path) -> av.VideoFrame:
    for frame in frames_of(container, stream, path):
        return frame
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
