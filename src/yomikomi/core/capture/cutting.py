"""Cutting and joining takes without encoding them anew: their packets are copied."""

from __future__ import annotations

import contextlib
import heapq
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from yomikomi.core.errors import UnfinishedError, UnreadableError, WrongUseError
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media, probe, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.picture_note import NOTE_KEY
from yomikomi.core.video.rates import nearest_known_rate
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import short_name
from yomikomi.core.work.new_file import NewFile, check_free, new_file

CONTAINERS = {".mkv": "matroska", ".mov": "mov", ".mp4": "mp4", ".nut": "nut"}
# Pictures that an encoder which reorders holds back at most, where the file does not say (H.264 and HEVC allow 16).
_USUAL_DEPTH = 4


@dataclass(frozen=True)
class Piece:
    """Part of a file: from frame ``first`` up to but not with ``end`` (None: to its end)."""

    path: Path
    first: int = 0
    end: int | None = None


@dataclass(frozen=True)
class JoinPiecesRequest:
    """Put pieces one after another into ``target``, a new file of the same kind.

    ``snap``: where a piece cannot begin at its first frame, begin at the nearest one at which it can (before it where there is
    one); otherwise that is an error.
    """

    pieces: tuple[Piece, ...]
    target: Path
    snap: bool = True


@dataclass(frozen=True)
class JoinedPieces:
    """``moved``: for each piece how many frames earlier it begins than was asked for (negative: later)."""

    frames: int
    seconds: float
    size_bytes: int
    moved: tuple[int, ...]


class DecodeOrder:
    """Decode stamps for pictures that come in the order of decoding: the lowest of their showing stamps that is still to come, as
    many places back as pictures are held. Matroska keeps no decode stamps, and the showing stamp is none: with pictures that are
    shown later than they are decoded it runs backwards."""

    def __init__(self, stream: Any) -> None:
        held = int(getattr(stream.codec_context, "has_b_frames", 0) or 0)
        self._depth = max(held, _USUAL_DEPTH) if held else 0
        self._held: list[int] = []

    def next(self, pts: int) -> int:
        if not self._held:
            self._held = list(range(pts - self._depth, pts))
        heapq.heappush(self._held, pts)
        return heapq.heappop(self._held)


@dataclass
class _Out:
    container: Any
    streams: dict[int, Any]
    kinds: list[tuple[Any, ...]]
    frame: int = 0  # where the next picture goes
    order: DecodeOrder | None = None
    sound: dict[int, int] = field(default_factory=dict)  # in samples, by sound stream


@contextlib.contextmanager
def writing(target: Path) -> Iterator[NewFile]:
    """:func:`new_file` for a container: also what the library says of pictures or sound that do not fit into it becomes an error for
    people. Raises UnfinishedError besides what :func:`new_file` raises."""
    with new_file(target) as made, container_errors(target):
        yield made


@contextlib.contextmanager
def container_errors(target: Path) -> Iterator[None]:
    """What the library says while packets are put into a file of the kind of ``target`` becomes an UnfinishedError; an OSError stays."""
    try:
        yield
    except OSError:
        raise  # the drive: told by whoever made the file
    except (av.error.FFmpegError, ValueError, MemoryError) as error:
        raise UnfinishedError(
            f"{target.name} could not be written: {getattr(error, 'strerror', None) or error}.",
            remedy=f"What is in the recording may not fit into {target.suffix or 'this kind of file'}; give the output a name that"
            " ends in .mkv.", path=target,
        ) from error  # fmt: skip


def same_stream(container: Any, stream: Any, *, tagged: bool = True) -> Any:
    """A stream for packets of another file, ``tagged`` where it is of the same kind. The template forgets the codec's tag, without which
    raw pictures and some lossless ones cannot be told apart; other kinds of files know other tags. AV1 has no encoder of the same name, so
    its stream is made without one (findings)."""
    opaque = stream.type == "video" and stream.codec_context.codec.canonical_name == "av1"
    made = container.add_stream_from_template(stream, opaque=True) if opaque else container.add_stream_from_template(stream)
    if tagged and made.codec_context is not None and stream.codec_context.codec_tag.strip("\0"):
        made.codec_context.codec_tag = stream.codec_context.codec_tag
    if made.codec_context is not None and stream.type == "video" and stream.sample_aspect_ratio:
        made.codec_context.sample_aspect_ratio = stream.sample_aspect_ratio  # which the demuxer keeps beside what a template copies
    for key in ("title", "language", "handler_name", "timecode"):
        if key in stream.metadata:
            made.metadata[key] = stream.metadata[key]
    return made


def keep_tags(container: Any, source: av.container.InputContainer) -> None:
    """What a file says of itself as a whole goes over into the file that is made of it."""
    for key, value in source.metadata.items():
        if key.lower() in {NOTE_KEY, "timecode"}:
            container.metadata[key.lower()] = value


def container_for(target: Path) -> str:
    """The library's name for the kind of file that a name asks for. Raises WrongUseError for one that takes are not kept in."""
    kind = CONTAINERS.get(target.suffix.lower())
    if kind is None:
        raise WrongUseError(
            f"{short_name(target)} names no kind of file that recordings are kept in.", remedy=f"End it in {', '.join(CONTAINERS)}."
        )
    return kind


def safe_first(path: Path, frame: int, *, reach: int = 600) -> int:
    """The nearest frame at or before ``frame`` at which the file can be cut: ``frame`` itself where every picture is whole, or
    where the file ends before it."""
    with open_media(path) as container:
        stream = video_stream(container, path)
        rate, base = grid_rate(stream), _base(stream)
        begin = container.start_time or 0
        best, reached = 0, False
        container.seek(max(begin, begin + int((frame - 1) / rate * av.time_base)), backward=True)
        for packet in packets_of(container, [stream], path):
            if packet.pts is None:
                continue
            number = round(packet.pts * base * rate)
            if packet.is_keyframe and number <= frame:
                best = max(best, number)
            reached |= number >= frame
            if reached or number > frame + reach:
                break
        return best if reached else frame


def join_pieces(request: JoinPiecesRequest, reporter: Reporter) -> JoinedPieces:
    """Raises UnreadableError for files that cannot be read or do not fit together, WrongUseError for an empty piece or a taken
    name, CancelledError when stopped; nothing is left of an unfinished file."""
    target = request.target
    check_free(target)
    if not request.pieces:
        raise WrongUseError("There is nothing to join.", remedy="Give at least one piece.")
    kind = container_for(target)
    info = probe(request.pieces[0].path)
    moved: list[int] = []
    with writing(target) as made:
        with av.open(str(made.part), "w", format=kind) as container:
            out: _Out | None = None
            for number, piece in enumerate(request.pieces):
                first = safe_first(piece.path, piece.first) if piece.first else 0
                if first != piece.first and not request.snap:
                    raise WrongUseError(
                        f"{piece.path.name} cannot be cut at frame {piece.first}.", remedy=f"The nearest place before it is frame {first}."
                    )
                moved.append(piece.first - first)
                with open_media(piece.path) as source:
                    out = _outputs(container, source, piece.path) if out is None else _fits(out, source, piece.path)
                    done = number / len(request.pieces)
                    _copy(source, Piece(piece.path, first, piece.end), out, reporter, lambda p, d=done: d + p / len(request.pieces))  # type: ignore[misc]
            assert out is not None
            if out.frame == 0:
                raise WrongUseError("No picture lies in what was asked for.", remedy="Choose a longer piece.")
            frames = out.frame
        if kind == "matroska":
            set_display_shape(made.part, info.geometry)
        made.keep()
    rate = info.average_rate or Fraction(25)
    return JoinedPieces(frames, float(frames / rate), target.stat().st_size, tuple(moved))


def _outputs(container: Any, source: av.container.InputContainer, path: Path) -> _Out:
    streams = {}
    picture = video_stream(source, path)
    found = [picture, *heard_streams(source)]
    for stream in found:
        streams[stream.index] = same_stream(container, stream)
    keep_tags(container, source)
    return _Out(container, streams, [_kind(stream) for stream in found], order=DecodeOrder(picture))


def _fits(out: _Out, source: av.container.InputContainer, path: Path) -> _Out:
    """The streams of a further piece must be those of the first."""
    found = [video_stream(source, path), *heard_streams(source)]
    before = list(out.streams.values())
    if [_kind(stream) for stream in found] != out.kinds:
        raise UnreadableError(
            f"{path.name} is of another kind than the first piece.", remedy="Join only parts of one recording.", path=path
        )
    out.streams = {stream.index: made for stream, made in zip(found, before, strict=True)}
    return out


def _kind(stream: Any) -> tuple[Any, ...]:
    """What streams must have in common to follow each other."""
    context = stream.codec_context
    name = context.codec.canonical_name
    return (name, context.width, context.height) if stream.type == "video" else (name, context.sample_rate, context.channels)


def _copy(source: av.container.InputContainer, piece: Piece, out: _Out, reporter: Reporter, part: Callable[[float], float]) -> None:
    picture = video_stream(source, piece.path)
    rate, base = grid_rate(picture), _base(picture)
    last = piece.end
    begins_at = Fraction(piece.first) / rate
    ends_at = None if last is None else Fraction(last) / rate
    if piece.first:
        # Before the first picture, so that the sound that begins with it is met too.
        source.seek(max(0, int((begins_at - Fraction(1, 2)) * av.time_base)), backward=True)
    frames_before, sound_before = out.frame, dict(out.sound)
    highest = -1
    length = float((ends_at or Fraction(source.duration or 1, av.time_base)) - begins_at) or 1.0
    streams = [stream for stream in source.streams if stream.index in out.streams]
    for packet in packets_of(source, streams, piece.path):
        reporter.check()
        if packet.stream.index not in out.streams or packet.pts is None:
            continue
        if packet.stream.index == picture.index:
            number = round(packet.pts * base * rate) - piece.first
            if number < 0 or (last is not None and number >= last - piece.first):
                if number >= 0 and last is not None and number > last - piece.first + 2 * round(rate):
                    break
                continue
            highest = max(highest, number)
            _put_picture(packet, frames_before + number, rate, out)
            reporter.report(part(min(1.0, float(number / rate) / length)))
        else:
            _put_sound(packet, begins_at, ends_at, out, sound_before)
    out.frame = frames_before + highest + 1
    for index, made in list(out.streams.items()):
        if index != picture.index:
            # The next piece's sound begins with its picture, wherever this one's last block ended.
            out.sound[id(made)] = round(out.frame / rate * (made.codec_context.sample_rate or 48_000))


def _put_picture(packet: av.Packet, number: int, rate: Fraction, out: _Out) -> None:
    assert out.order is not None
    packet.stream = out.streams[packet.stream.index]
    packet.time_base = 1 / rate
    packet.pts, packet.dts, packet.duration = number, out.order.next(number), 1
    out.container.mux(packet)


def _put_sound(packet: av.Packet, begins_at: Fraction, ends_at: Fraction | None, out: _Out, before: dict[int, int]) -> None:
    """Sound of a piece, block by block; PCM is cut to the sample."""
    stream = packet.stream
    made = out.streams[stream.index]
    rate = stream.codec_context.sample_rate or 48_000
    base = Fraction(packet.time_base or stream.time_base or Fraction(1, rate))
    start = round((packet.pts or 0) * base * rate)
    first = round(begins_at * rate)
    end = None if ends_at is None else round(ends_at * rate)
    offset = before.get(id(made), 0)
    if stream.codec_context.name.startswith("pcm_"):
        data, place = _cut_pcm(packet, stream, start, first, end, rate)
        if not data:
            return
        fresh = av.Packet(data)
        fresh.pts = fresh.dts = place - first + offset
        fresh.duration = len(data) // _sample_bytes(stream)
    else:
        if start < first or (end is not None and start >= end):
            return
        fresh = packet
        fresh.pts = fresh.dts = start - first + offset
    fresh.time_base = Fraction(1, rate)
    fresh.stream = made
    out.container.mux(fresh)


def _sample_bytes(stream: Any) -> int:
    """Bytes of one sample of all channels, by the number in a name such as ``pcm_s16le``; A-law and mu-law have 8 bits."""
    digits = "".join(c for c in stream.codec_context.name.removeprefix("pcm_").removesuffix("be").removesuffix("le") if c.isdigit())
    return int(digits or 8) // 8 * int(stream.codec_context.channels)


def _cut_pcm(packet: av.Packet, stream: Any, start: int, first: int, end: int | None, rate: int) -> tuple[bytes, int]:
    data = bytes(packet)
    size = _sample_bytes(stream)
    # Matroska rounds to a millisecond; blocks that follow each other are whole, so small overlaps are of its making.
    slack = rate // 1000
    lead = 0 if first - start <= slack else first - start
    count = len(data) // size
    tail = count if end is None or start + count - end <= slack else max(0, end - start)
    lead = min(lead, count)
    return data[lead * size : max(lead, tail) * size], max(first, start + lead)


def grid_rate(stream: av.VideoStream) -> Fraction:
    """The rate of a recording: Matroska tells it rounded to the millisecond."""
    given = Fraction(stream.average_rate or stream.guessed_rate or 25)
    return nearest_known_rate(given, tolerance=0.002) or given


def _base(stream: av.VideoStream) -> Fraction:
    return Fraction(stream.time_base or Fraction(1, 1000))
