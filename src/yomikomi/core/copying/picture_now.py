"""About which picture of its take a copy has come to, for whoever looks at the run."""

from __future__ import annotations

from fractions import Fraction

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.copying.request import CopyRequest
from yomikomi.core.errors import UnreadableError
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import BARE_STREAMS, frames_of


def picture_now(request: CopyRequest, frame: int, box: tuple[int, int]) -> NDArray[np.uint8]:
    """The key picture of the take before what becomes frame ``frame`` of the copy: in a moment, also of long groups of pictures.

    Parameters
    ----------
    box : width and height in pixels that it fits in.

    Returns
    -------
    shape=(lines, columns, 3), RGB 0…255, at its display shape.

    Raises UnreadableError where nothing can be decoded there; what :func:`open_media` raises.
    """
    timing = Timing.of(request.reading, request.treatment)
    number = min(max(0, frame), timing.frames - 1)
    uncut = next(timing.kept.stretches(range(number, number + 1)), range(number, number + 1))
    seconds = timing.stamped_at(timing.source(uncut, reach=0).start)
    width, height = source_format(request.reading, turned=False).geometry.fit(*box)
    with open_media(request.path) as container:
        stream = video_stream(container, request.path)
        base = stream.time_base or Fraction(1, 1000)
        wanted = Fraction(request.reading.first_seconds) + seconds
        if seconds > 0 and container.format.name not in BARE_STREAMS:
            container.seek(int(wanted / base), stream=stream)
        stream.codec_context.skip_frame = "NONKEY"
        before: av.VideoFrame | None = None
        for found in frames_of(container, stream, request.path):
            # Half a millisecond of tolerance: Matroska rounds time stamps to whole ones.
            if before is not None and found.pts * base > wanted + Fraction(1, 2000):
                break
            before = found
        if before is not None:
            return np.asarray(before.to_ndarray(format="rgb24", width=width, height=height), np.uint8)
    raise UnreadableError(f"{request.path.name} has no picture there.", remedy="Read it again: it may have changed.", path=request.path)
