"""Mending a take whose recording was cut off: its packets are copied into a file with a proper end."""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.capture.cutting import CONTAINERS, grid_rate, keep_tags, same_stream
from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.work import Reporter


@dataclass(frozen=True)
class MendRequest:
    """``path``: the take's first file; parts beside it are found by their names, those elsewhere are given in ``folders``."""

    path: Path
    folders: tuple[Path, ...] = ()


@dataclass(frozen=True)
class MendProgress:
    part: float


@dataclass(frozen=True)
class Mended:
    """Of all files together."""

    frames: int
    seconds: float
    files: tuple[Path, ...] = ()


def mend(request: MendRequest, reporter: Reporter) -> Mended:
    """Rewrite a cut-off take in place, each file through a temporary one that then takes its name.

    Raises UnreadableError when not even a first frame can be found, OSError when there is no room to write, CancelledError
    when stopped; the files are then left as they were.
    """
    frames, seconds = 0, 0.0
    files: list[Path] = []
    for number, path in enumerate([request.path, *later_parts(request.path, request.folders)]):
        try:
            one = _mend_file(path, reporter)
        except UnreadableError:
            if number == 0:
                raise
            continue  # a part that was only just begun
        frames, seconds = frames + one.frames, seconds + one.seconds
        files.append(path)
    return Mended(frames, seconds, tuple(files))


def later_parts(path: Path, folders: tuple[Path, ...] = ()) -> list[Path]:
    """The further files of a take in several parts, in order."""
    found = [one for folder in (path.parent, *folders) for one in folder.glob(f"{path.stem}-part*{path.suffix}")]
    return sorted(found, key=lambda one: int("".join(c for c in one.stem.rpartition("-part")[2] if c.isdigit()) or 0))


def _mend_file(path: Path, reporter: Reporter) -> Mended:
    temporary = path.with_name(path.name + ".mending.part")
    try:
        mended = _copy_packets(path, temporary, reporter)
        if path.suffix == ".mkv":
            with open_media(path) as source:
                picture = video_stream(source, path)
                shape = Geometry(picture.width, picture.height, picture.sample_aspect_ratio or Fraction(1))
            set_display_shape(temporary, shape)
        with temporary.open("rb+") as file:
            os.fsync(file.fileno())
        temporary.replace(path)
    finally:
        temporary.unlink(missing_ok=True)
    return mended


def _copy_packets(path: Path, target: Path, reporter: Reporter) -> Mended:
    kind = CONTAINERS.get(path.suffix, "matroska")
    with open_media(path) as source, av.open(str(target), "w", format=kind) as sink:
        picture = video_stream(source, path)
        wanted = [picture, *source.streams.audio]
        outputs = {stream.index: same_stream(sink, stream) for stream in wanted}
        keep_tags(sink, source)
        frames, done, last, size = 0, 0, Fraction(0), max(1, path.stat().st_size)
        with contextlib.suppress(av.error.InvalidDataError):  # the packet that was being written when it ended
            for packet in source.demux(wanted):
                reporter.check()
                if packet.dts is None:
                    continue
                done += packet.size
                if packet.stream.index == picture.index and packet.time_base is not None:
                    frames += 1
                    reporter.report(MendProgress(min(1.0, done / size)))
                    last = max(last, (packet.pts or 0) * Fraction(packet.time_base))
                packet.stream = outputs[packet.stream.index]
                sink.mux(packet)
        rate = grid_rate(picture)
    return Mended(frames, float(last + 1 / rate))
