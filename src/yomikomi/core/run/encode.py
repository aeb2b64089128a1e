"""Making one copy: decode, treat, encode, write; never under the final name before it is whole, never over another file."""

from __future__ import annotations

import contextlib
import errno
import os
import time
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.balance.recipes import (
    CODECS,
    Recipe,
    pixel_format_for,
    set_up,
    sound_bits_per_second,
)
from yomikomi.core.errors import CancelledError, DriveFullError, UnfinishedError, UnreadableError
from yomikomi.core.reading.models import Reading
from yomikomi.core.run.sound_track import SoundTrack
from yomikomi.core.treatment.chain import Chain, Treatment, chain_for
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.work import Reporter
from yomikomi.core.work.priority import lower_all_threads, tame_encoders

_REPORT_PERIOD_S = 0.1
_FORMATS = {"mp4": "mp4", "mkv": "matroska"}
# The index in front, so that a copy plays while it loads.
_OPTIONS: dict[str, dict[str, str]] = {"mp4": {"movflags": "+faststart"}, "mkv": {"cues_to_front": "1"}}


@dataclass(frozen=True)
class CopyRequest:
    """``expected_frames`` of the copy, for progress only."""

    path: Path
    target: Path
    reading: Reading
    treatment: Treatment
    recipe: Recipe


@dataclass(frozen=True)
class CopyProgress:
    """``step`` is encoding or verifying; ``part`` 0…1 of that step."""

    step: str
    part: float
    frames: int
    bytes_written: int
    seconds_left: float


@dataclass(frozen=True)
class Encoded:
    """What was written: the numbers that verification holds the file against."""

    path: Path
    frames: int
    rate: Fraction
    size_bytes: int
    seconds: float


def part_path(target: Path) -> Path:
    """Where a copy grows before it has its name."""
    return target.with_name(f".{target.name}.part")


def free_name(folder: Path, stem: str, suffix: str, *, taken: Collection[str] = ()) -> Path:
    """A name that no file has yet and that is not ``taken``: the stem, or the stem with a number."""
    for number in range(1, 10_000):
        name = f"{stem}{suffix}" if number == 1 else f"{stem}-{number}{suffix}"
        if name not in taken and not (folder / name).exists():
            return folder / name
    raise UnfinishedError(f"There are 10 000 copies named {stem} already.", remedy="Move some elsewhere.")


class _Encode:
    def __init__(self, request: CopyRequest, reporter: Reporter) -> None:
        self.request, self.reporter = request, reporter
        reading = request.reading
        self.chain: Chain = chain_for(
            reading, request.treatment,
            pixel_format=pixel_format_for(request.recipe.codec, bit_depth=reading.bit_depth),
        )  # fmt: skip
        self.expected = max(1, round(Fraction(reading.duration_seconds).limit_denominator(10**6) * self.chain.format.rate))
        self.frames = 0
        self.bytes = 0
        self.started = time.monotonic()
        self.told_at = 0.0

    def run(self, part: Path) -> None:
        container_kind = self.request.recipe.container
        with (
            open_media(self.request.path) as source,
            av.open(str(part), "w", format=_FORMATS[container_kind], options=_OPTIONS[container_kind]) as sink,
        ):
            picture = video_stream(source, self.request.path)
            picture.thread_type = "AUTO"
            self.first = Fraction(self.request.reading.first_seconds)
            self.base = Fraction(picture.time_base or Fraction(1, 1000))
            video = self._add_picture(sink)
            tracks = {
                stream.index: SoundTrack(
                    sink, stream, self.request.recipe.sound_codec, first=self.first,
                    bit_rate=sound_bits_per_second(self.request.recipe, stream.codec_context.channels),
                )
                for stream, heard in zip(source.streams.audio, self.request.reading.sound, strict=False)
                if heard.seconds > 0  # a stream with nothing in it makes no track
            }  # fmt: skip
            self._go(source, picture, sink, video, tracks)

    def _add_picture(self, sink: av.container.OutputContainer) -> av.VideoStream:
        recipe, treated = self.request.recipe, self.chain.format
        stream = sink.add_stream(CODECS[recipe.codec].encoder, rate=treated.rate)
        assert isinstance(stream, av.VideoStream)
        set_up(stream.codec_context, recipe, treated)
        if recipe.codec == "hevc" and recipe.container == "mp4":
            stream.codec_context.codec_tag = "hvc1"  # players that go by the tag do not know the other one
        return stream

    def _go(
        self,
        source: av.container.InputContainer,
        picture: av.VideoStream,
        sink: av.container.OutputContainer,
        video: av.VideoStream,
        tracks: dict[int, SoundTrack],
    ) -> None:
        for frame in self._frames(source, picture, tracks, sink):
            for treated in self.chain.push(frame, time_base=self.base):
                if self.frames == 0:
                    video.codec_context.open(strict=False)
                    lower_all_threads()
                self._mux(sink, video.encode(treated))
                self.frames += 1
                self._tell()
        if self.frames == 0:
            raise UnreadableError(f"No frame of {self.request.path.name} can be decoded.", remedy="Read it again.")
        self._mux(sink, video.encode(None))
        for track in tracks.values():
            self._mux(sink, track.finish())

    def _frames(
        self,
        source: av.container.InputContainer,
        picture: av.VideoStream,
        tracks: dict[int, SoundTrack],
        sink: av.container.OutputContainer,
    ) -> Iterator[av.VideoFrame | None]:
        """Decoded pictures in order, then None; sound is encoded on the way. Damaged packets are passed over."""
        packets = source.demux([picture, *(track.source for track in tracks.values())])
        while True:
            self.reporter.check()
            try:
                packet = next(packets)
                decoded = packet.decode()
            except StopIteration:
                break
            except (av.error.InvalidDataError, av.error.EOFError):
                continue
            for frame in decoded:
                if isinstance(frame, av.VideoFrame):
                    yield frame
                elif isinstance(frame, av.AudioFrame):
                    self._mux(sink, tracks[packet.stream.index].push(frame))
        yield None

    def _mux(self, sink: av.container.OutputContainer, packets: list[av.Packet]) -> None:
        for packet in packets:
            self.bytes += packet.size
            sink.mux(packet)

    def _tell(self) -> None:
        self.reporter.check()
        now = time.monotonic()
        if now - self.told_at < _REPORT_PERIOD_S:
            return
        self.told_at = now
        part = min(1.0, self.frames / self.expected)
        spent = now - self.started
        self.reporter.report(CopyProgress("encoding", part, self.frames, self.bytes, spent * (1 - part) / part if part > 0.005 else 0.0))


def encode(request: CopyRequest, reporter: Reporter) -> Encoded:
    """Make a copy under its final name, or none at all.

    Raises CancelledError, DriveFullError, UnfinishedError (target exists, may not be written), UnreadableError.
    """
    request.recipe.check()
    tame_encoders()
    if request.target.exists():
        raise UnfinishedError(
            f"{request.target.name} exists already and was left alone.", remedy="Choose another name.", path=request.target
        )
    part = part_path(request.target)
    started = time.monotonic()
    job = _Encode(request, reporter)
    try:
        job.run(part)
        treated = job.chain.format
        if request.recipe.container == "mkv":
            set_display_shape(part, Geometry(treated.geometry.width, treated.geometry.height, treated.geometry.sample_aspect))
        _take_name(part, request.target)
    except CancelledError:
        raise
    except OSError as error:
        raise _translate(error, request.target) from error
    finally:
        with contextlib.suppress(OSError):
            part.unlink(missing_ok=True)
    return Encoded(request.target, job.frames, treated.rate, request.target.stat().st_size, time.monotonic() - started)


def _take_name(part: Path, target: Path) -> None:
    """Give the finished file its name without ever replacing another file, and make sure it is on the drive."""
    with part.open("rb+") as file:
        os.fsync(file.fileno())
    try:
        os.link(part, target)  # fails if the name was taken meanwhile
    except FileExistsError:
        raise
    except OSError:  # a drive without hard links
        if target.exists():
            raise FileExistsError(errno.EEXIST, "exists", str(target)) from None
        part.rename(target)


def _translate(error: OSError, target: Path) -> UnfinishedError:
    if error.errno in {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}:
        return DriveFullError(
            "The drive is full; the unfinished copy was removed, the take is untouched.",
            remedy="Make room or choose another drive, then copy again.",
            path=target,
        )
    if error.errno == errno.EEXIST:
        return UnfinishedError(f"{target.name} exists already and was left alone.", remedy="Choose another name.", path=target)
    if error.errno in {errno.EACCES, errno.EROFS, errno.EPERM}:
        return UnfinishedError(
            f"Nothing may be written to {target.parent.name or target.parent}/.", remedy="Choose another folder.", path=target
        )
    if error.errno == errno.ENOENT:
        return UnfinishedError(
            f"The folder {target.parent.name or target.parent}/ is not there.", remedy="Make it, or connect its drive.", path=target
        )
    return UnfinishedError(f"The copy could not be made: {error.strerror or error}.", remedy="Check source and drive.", path=target)
