"""Small pictures of a file for a report."""

from __future__ import annotations

import contextlib
import io
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
from PIL import Image

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.timecode import clock

_QUALITY = 80  # of JPEG


@dataclass(frozen=True)
class SmallPicture:
    caption: str
    jpeg: bytes
    width: int
    height: int


def small_pictures(path: Path, count: int, *, width: int = 240) -> list[SmallPicture]:
    """Spread over the whole length, at the shape that the file is shown in; what cannot be read is left out."""
    found: list[SmallPicture] = []
    with contextlib.suppress(UnreadableError), open_media(path) as container:
        stream = video_stream(container, path)
        seconds = (container.duration or 0) / av.time_base
        for at in (seconds * (number + 0.5) / count for number in range(count)):
            with contextlib.suppress(av.error.FFmpegError, StopIteration):
                base = Fraction(stream.time_base or 1)
                first = stream.start_time or 0
                container.seek(first + round(at / base), stream=stream)
                frame = next(one for one in container.decode(stream) if one.pts is None or (one.pts - first) * base >= at - 0.02)
                aspect = Fraction(frame.width, frame.height) * Fraction(stream.sample_aspect_ratio or 1)
                height = max(2, round(width / aspect))
                image = Image.fromarray(frame.reformat(width=width, height=height, format="rgb24").to_ndarray())
                made = io.BytesIO()
                image.save(made, "JPEG", quality=_QUALITY)
                found.append(SmallPicture(clock(at), made.getvalue(), width, height))
    return found
