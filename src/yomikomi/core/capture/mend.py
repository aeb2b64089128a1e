"""Mending a take whose recording was cut off: its packets are copied into a file with a proper end.

The file as it was recorded goes only when all of it is in the mended one; where anything could not be carried over it stays beside it.
Nothing outside the workspace is changed: parts of a take on overflow drives play as they are, and are only counted.
"""

from __future__ import annotations

import time
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container
import av.stream

from yomikomi.core.capture.cutting import DecodeOrder, container_for, grid_rate, keep_tags, same_stream, writing
from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import free_name, is_being_written

# A recording that was killed lets go of its file when its process is gone altogether.
_DYING_S = 3.0
# What a recording may have begun to write when it was cut off: a cluster of a quarter second, a frame, and what the encoder held.
_TORN_S = Fraction(2)
_TORN_BYTES = 1_000_000
# What the structure of a recording takes besides its packets (measured: up to 0.7 % for pictures of 720 x 480, 3 % for tiny ones).
_STRUCTURE, _STRUCTURE_BYTES = 0.03, 20_000


@dataclass(frozen=True)
class MendRequest:
    """``path``: the take's first file; parts beside it are found by their names, those elsewhere are given in ``folders``.
    ``inside``: the only folder in which files are changed, by default that of the first file."""

    path: Path
    folders: tuple[Path, ...] = ()
    inside: Path | None = None


@dataclass(frozen=True)
class MendProgress:
    part: float


@dataclass(frozen=True)
class Mended:
    """Of all files together. ``originals``: files as they were recorded, kept since not all of them could be carried over."""

    frames: int
    seconds: float
    files: tuple[Path, ...] = ()
    originals: tuple[Path, ...] = ()


def mend(request: MendRequest, reporter: Reporter) -> Mended:
    """Rewrite a cut-off take, each file through a new one that then takes its name.

    Raises UnreadableError when not even a first frame can be found, UnfinishedError when there is no room to write, CancelledError
    when stopped; the files are then left as they were.
    """
    frames, seconds = 0, 0.0
    files: list[Path] = []
    originals: list[Path] = []
    inside = (request.inside or request.path.parent).resolve()
    for number, path in enumerate([request.path, *later_parts(request.path, request.folders)]):
        try:
            one = (_mend_file if path.resolve().is_relative_to(inside) else _counted)(path, reporter)
        except UnreadableError:
            if number == 0:
                raise
            continue  # a part that was only just begun
        frames, seconds = frames + one.frames, seconds + one.seconds
        files.append(path)
        originals += one.originals
    return Mended(frames, seconds, tuple(files), tuple(originals))


def later_parts(path: Path, folders: tuple[Path, ...] = ()) -> list[Path]:
    """The further files of a take in several parts, in order."""
    found = [one for folder in (path.parent, *folders) for one in folder.glob(f"{path.stem}-part*{path.suffix}")]
    return sorted(found, key=lambda one: int("".join(c for c in one.stem.rpartition("-part")[2] if c.isdigit()) or 0))


def _mend_file(path: Path, reporter: Reporter) -> Mended:
    until = time.monotonic() + _DYING_S
    while (still := is_being_written(path)) and time.monotonic() < until:
        reporter.check()
        time.sleep(0.05)
    if still:
        raise UnfinishedError(f"{path.name} is still being recorded.", remedy="Wait until that recording has ended.", path=path)
    with writing(free_name(path.parent, f"{path.stem}.mended", path.suffix)) as made:
        copied = _copy_packets(path, made.part, reporter)
        if path.suffix == ".mkv":
            with open_media(path) as source:
                picture = video_stream(source, path)
                shape = Geometry(picture.width, picture.height, picture.sample_aspect_ratio or Fraction(1))
            set_display_shape(made.part, shape)
        spare = None if copied.whole else free_name(path.parent, f"{path.stem}.as-recorded", path.suffix)
        made.take_place_of(path, spare=spare)
    return Mended(copied.frames, copied.seconds, (path,), (spare,) if spare else ())


def _counted(path: Path, reporter: Reporter) -> Mended:
    """A file that is left as it is."""
    with open_media(path) as source:
        picture = video_stream(source, path)
        frames, last = 0, Fraction(0)
        for packet in packets_of(source, [picture], path):
            reporter.check()
            if packet.pts is not None and packet.time_base is not None:
                frames, last = frames + 1, max(last, packet.pts * Fraction(packet.time_base))
        return Mended(frames, float(last + 1 / grid_rate(picture)))


@dataclass(frozen=True)
class _Copied:
    """``whole``: all that the file holds went over, but for what was being written when it was cut off."""

    frames: int
    seconds: float
    whole: bool


class _Copier:
    """Copies packets of one file to another and sees whether anything stayed behind."""

    def __init__(self, path: Path, source: av.container.InputContainer, sink: av.container.OutputContainer) -> None:
        self._path, self._sink = path, sink
        self._picture = video_stream(source, path)
        self._outputs: dict[int, Any] = {}
        self._left = 0  # streams that cannot be carried
        for stream in source.streams:
            if stream.type in {"video", "audio", "subtitle"} and stream.codec_context is not None:
                self._outputs[stream.index] = same_stream(sink, stream)
            elif isinstance(stream, av.stream.AttachmentStream):
                sink.add_attachment(stream.name or "attached", stream.mimetype or "application/octet-stream", bytes(stream.data or b""))
            elif not (stream.type == "data" and stream.metadata.get("timecode")):  # timecode goes over with its picture
                self._left += 1
        self._order = DecodeOrder(self._picture)
        if chapters := source.chapters():
            sink.set_chapters(chapters)
        self._size = max(1, path.stat().st_size)
        self._rate = grid_rate(self._picture)
        self.broken = self.frames = self._reached = self._carried = 0
        self._last = Fraction(0)

    def run(self, source: av.container.InputContainer, reporter: Reporter) -> _Copied:
        streams = [stream for stream in source.streams if stream.index in self._outputs]
        for packet in packets_of(source, streams, self._path, self._failed):
            reporter.check()
            if packet.pts is None and packet.dts is None:
                continue
            self._put(packet)
            reporter.report(MendProgress(min(1.0, self._reached / self._size)))
        seconds = self._last + 1 / self._rate
        torn = max(_TORN_BYTES, float(_TORN_S / max(seconds, Fraction(1)) * self._size))
        # A hole is passed over without a word: what was carried over must be nearly all bytes there are up to the torn end.
        carried = self._reached - self._carried <= max(_STRUCTURE_BYTES, _STRUCTURE * self._reached)
        whole = self.broken <= 1 and not self._left and carried and self._size - self._reached <= torn
        return _Copied(self.frames, float(seconds), whole)

    def _failed(self) -> None:
        self.broken += 1

    def _put(self, packet: av.Packet) -> None:
        self._carried += packet.size
        if packet.pos is not None:
            self._reached = max(self._reached, packet.pos + packet.size)
        if packet.stream.index == self._picture.index and packet.pts is not None and packet.time_base is not None:
            self.frames += 1
            self._last = max(self._last, packet.pts * Fraction(packet.time_base))
            packet.dts = self._order.next(packet.pts)
        packet.stream = self._outputs[packet.stream.index]
        self._sink.mux(packet)


def _copy_packets(path: Path, target: Path, reporter: Reporter) -> _Copied:
    with open_media(path) as source, av.open(str(target), "w", format=container_for(path)) as sink:
        keep_tags(sink, source)
        return _Copier(path, source, sink).run(source, reporter)
