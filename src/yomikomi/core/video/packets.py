"""Packets and frames of a file that may be damaged: what cannot be read is passed over, and told to whoever counts it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.aligned import Aligner
from yomikomi.core.work.drive import AWAY

# Damaged places in a row after which the rest of a file is given up.
MOST_IN_A_ROW = 50
# Kinds of files that hold nothing but coded pictures: no time stamps, and no way to seek.
BARE_STREAMS = frozenset({"h264", "hevc", "vvc", "m4v", "mpegvideo", "obu", "vc1", "h263", "h261", "dirac", "av1"})

Frame = av.VideoFrame | av.AudioFrame
# What the library raises for damage: its own root, and what Python's memory says of sizes that a damaged header asks for.
DAMAGED = (av.error.FFmpegError, MemoryError)


def packets_of(
    container: av.container.InputContainer, streams: list[Any], path: Path, failed: Callable[[], None] = lambda: None
) -> Iterator[av.Packet]:
    """Packets in the order of the file, from where it stands, at the end one that is empty for each stream.

    ``failed`` is called for each place where the file's own structure is damaged; reading goes on behind it. Raises UnreadableError
    when the file's drive goes away.
    """
    in_a_row = 0
    while in_a_row <= MOST_IN_A_ROW:
        try:
            for packet in container.demux(*streams):
                in_a_row = 0
                yield packet
        except DAMAGED as error:
            raise_if_away(error, path)
            in_a_row += 1
            failed()
        else:
            return


def frames_of(container: av.container.InputContainer, stream: Any, path: Path) -> Iterator[Any]:
    """Decoded frames of one stream, damaged packets passed over; pictures without a stamp get that of their count."""
    stamps, aligner = (Stamps(stream), Aligner()) if isinstance(stream, av.VideoStream) else (None, None)
    in_a_row = 0
    for packet in packets_of(container, [stream], path):
        try:
            frames = packet.decode()
            in_a_row = 0
        except DAMAGED as error:
            raise_if_away(error, path)
            in_a_row += 1
            if in_a_row > MOST_IN_A_ROW:
                return
            continue
        for frame in frames:
            if stamps is not None:
                stamps.put(frame)
            yield aligner.give(frame) if aligner is not None else frame


class Stamps:
    """Gives pictures without a time stamp the one that their count says."""

    def __init__(self, stream: av.VideoStream) -> None:
        self._base = Fraction(stream.time_base or Fraction(1, 90_000))
        rate = Fraction(stream.average_rate or stream.guessed_rate or 25)
        self._step = 1 / (rate * self._base)
        self._next = Fraction(0)

    def put(self, frame: Any) -> None:
        if frame.pts is None:
            frame.pts = round(self._next)
            frame.time_base = self._base
        self._next = max(self._next, Fraction(frame.pts)) + self._step


def raise_if_away(error: BaseException, path: Path) -> None:
    """Damage is passed over; a drive that is gone is not. Raises UnreadableError."""
    if isinstance(error, OSError) and error.errno in AWAY:
        raise UnreadableError(
            f"{path.name} could not be read to its end: {error.strerror or error}.", remedy="Check its drive, then try again.", path=path
        ) from error
