"""Pictures at given places of a file."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import BARE_STREAMS, frames_of

# A seek may land up to a group of pictures late in program streams; start earlier and decode forward (findings).
_EARLY = Fraction(11, 10)
# A picture is looked for from so long before it on; and stamps may be rounded by so much, seconds.
_BEFORE_S, _APART_S = Fraction(1, 100), Fraction(1, 500)


def frames_from(path: Path, *, start_seconds: Fraction, first_seconds: Fraction = Fraction(0)) -> Iterator[av.VideoFrame]:
    """Frames in showing order from the first whose time is at or after ``start_seconds``.

    Parameters
    ----------
    start_seconds : seconds from the beginning of the take.
    first_seconds : time stamp of the take's first frame, as the Reading found it.
    """
    with open_media(path) as container:
        stream = video_stream(container, path)
        stream.thread_type = "AUTO"
        base = stream.time_base or Fraction(1, 1000)
        wanted = first_seconds + start_seconds
        if start_seconds > _EARLY and container.format.name not in BARE_STREAMS:
            container.seek(int((wanted - _EARLY) / base), stream=stream)
        # Half a millisecond of tolerance: Matroska rounds time stamps to whole ones.
        edge = wanted - Fraction(1, 2000) - base / 2
        for frame in frames_of(container, stream, path):
            if frame.pts * base >= edge:
                yield frame


def frame_at(path: Path, *, frame: int, rate: Fraction, first_seconds: Fraction = Fraction(0)) -> av.VideoFrame:
    """The frame with a given number (from 0) of a take of constant rate."""
    for found in frames_from(path, start_seconds=frame / rate - 1 / (4 * rate), first_seconds=first_seconds):
        return found
    raise UnreadableError(f"{path.name} has no frame {frame}.", remedy="The file may have changed; read it again.", path=path)


def pictures_at(
    path: Path, moments: Sequence[Fraction], check: Callable[[], None], *, first_seconds: Fraction = Fraction(0)
) -> Iterator[tuple[int, av.VideoFrame]]:
    """Decoded pictures with their numbers among ``moments``; those that cannot be decoded are left out.

    Parameters
    ----------
    moments : seconds after the first picture, ascending.
    check : called for every picture that is decoded; may raise to stop.
    first_seconds : time stamp of the first picture.
    """
    number = 0
    for frame in frames_from(path, start_seconds=max(Fraction(0), moments[0] - _BEFORE_S), first_seconds=first_seconds):
        check()
        at = (frame.pts or 0) * Fraction(frame.time_base or 1) - first_seconds
        while number < len(moments) and at > moments[number] + _APART_S:
            number += 1
        if number < len(moments) and at >= moments[number] - _APART_S:
            yield number, frame
            number += 1
        if number == len(moments):
            return
