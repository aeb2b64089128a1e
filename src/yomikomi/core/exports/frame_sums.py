"""Checksums of every decoded frame and of the sound: files with the same list show and sound the same, whatever holds them."""

from __future__ import annotations

import hashlib
import io
from dataclasses import dataclass
from pathlib import Path

import av
import numpy as np

from yomikomi.core.fixity.checking import Progress
from yomikomi.core.video.damage import Decoder, damage_words
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import size_of

_HEAD = "stream,number,stamp,time_base,bytes,sha256\r\n"


@dataclass(frozen=True)
class FrameSums:
    """``csv``: a line a frame (picture) or block (sound), in the order of the file; ``damage``: what the decoders said, empty: nothing."""

    csv: str
    frames: int
    damage: str


def frame_sums(path: Path, reporter: Reporter) -> FrameSums:
    """Of the picture's planes without the padding that decoders put behind lines, and of the sound's samples.

    Raises UnreadableError, CancelledError.
    """
    lines, counts, whole = io.StringIO(), dict[int, int](), max(1, size_of(path) or 1)
    lines.write(_HEAD)
    with open_media(path) as container:
        picture = video_stream(container, path)
        streams = [picture, *container.streams.audio]
        with Decoder(container, streams, path, reporter.check) as decoder:
            for index, frame in decoder.frames():
                number = counts.get(index, 0)
                counts[index] = number + 1
                content = _samples(frame) if isinstance(frame, av.VideoFrame) else np.ascontiguousarray(frame.to_ndarray()).tobytes()
                digest = hashlib.sha256(content).hexdigest()
                lines.write(f"{index},{number},{frame.pts},{frame.time_base},{len(content)},{digest}\r\n")
                reporter.report(Progress(part=min(1.0, sum(decoder.sizes.values()) / whole)))
            damage = decoder.damage()
    return FrameSums(lines.getvalue(), counts.get(picture.index, 0), damage_words(damage))


def _samples(frame: av.VideoFrame) -> bytes:
    """Formats that have no arrangement of their own here are told by one that holds all of them."""
    try:
        return np.ascontiguousarray(frame.to_ndarray()).tobytes()
    except ValueError:
        return np.ascontiguousarray(frame.reformat(format="yuv444p16le").to_ndarray()).tobytes()
