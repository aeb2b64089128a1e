"""Mending a take whose recording was cut off: its packets are copied into a file with a proper end."""

from __future__ import annotations

import contextlib
import os
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.work import Reporter


@dataclass(frozen=True)
class MendRequest:
    path: Path


@dataclass(frozen=True)
class MendProgress:
    part: float


@dataclass(frozen=True)
class Mended:
    frames: int
    seconds: float


def mend(request: MendRequest, reporter: Reporter) -> Mended:
    """Rewrite a cut-off Matroska take in place (through a temporary file that then takes its name).

    Raises UnreadableError when not even a first frame can be found, OSError when there is no room to write, CancelledError
    when stopped; the file is then left as it was.
    """
    path = request.path
    temporary = path.with_name(path.name + ".mending.part")
    try:
        mended = _copy_packets(path, temporary, reporter)
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
    with open_media(path) as source, av.open(str(target), "w", format="matroska") as sink:
        picture = video_stream(source, path)
        outputs = {stream.index: sink.add_stream_from_template(stream) for stream in source.streams}
        frames, done, last, size = 0, 0, Fraction(0), max(1, path.stat().st_size)
        with contextlib.suppress(av.error.InvalidDataError):  # the packet that was being written when it ended
            for packet in source.demux():
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
    rate = picture.average_rate or Fraction(25)
    return Mended(frames, float(last + 1 / rate))
