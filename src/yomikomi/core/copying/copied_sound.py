"""A sound stream of the take put into a copy as it is: its own packets, as far as the pictures have come."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.capture.cutting import same_stream
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.packet_content import bare
from yomikomi.core.video.media import heard_streams, open_media
from yomikomi.core.video.packets import packets_of

# Packets that begin so long before the first picture are left out; less is what encoders put before the first sound.
_BEFORE = Fraction(1, 10)


@dataclass(frozen=True)
class CopiedPackets:
    """Of a stream as they were read. ``index``: of the stream in the copy; ``digest``: sha256 of them, in hexadecimal; ``longest``: seconds
    that the longest lasts: the first and the last are whole, so that by so much more may be heard than goes with the pictures."""

    index: int
    codec: str
    packets: int
    digest: str
    longest: float = 0.0


class CopiedTrack:
    """Opened with the copy; closed with it.

    Parameters
    ----------
    number : of the sound stream among those that can be heard.
    first : stamp of the first picture, seconds. ``between``: what is kept, seconds after it; None: all.
    """

    def __init__(
        self, sink: av.container.OutputContainer, path: Path, number: int, *, first: Fraction,
        between: tuple[Fraction, Fraction] | None, kind: str, check: Callable[[], None],
    ) -> None:  # fmt: skip
        self._stack, self._check = ExitStack(), check
        source = self._stack.enter_context(open_media(path))
        stream = heard_streams(source)[number]
        self._codec = stream.codec_context.name
        self._made = same_stream(sink, stream, tagged=kind in source.format.name.split(","))
        self._index = len(sink.streams) - 1
        self._packets = packets_of(source, [stream], path)
        self._first, self._base = first, first + (between[0] if between is not None else 0)
        self._begin = between[0] if between is not None else -_BEFORE
        self._end = between[1] if between is not None else None
        self._digest, self._count, self._longest = hashlib.sha256(), 0, 0.0
        self._given = Fraction(0)

    def until(self, seconds: Fraction | None) -> Iterator[av.Packet]:
        """Packets up to a second of the copy; None: all that are left."""
        while seconds is None or self._given <= seconds:
            self._check()
            packet = next(self._packets, None)
            if packet is None:
                return
            stamp = packet.pts if packet.pts is not None else packet.dts
            if not packet.size or stamp is None:
                continue
            clock = Fraction(packet.time_base)
            at = stamp * clock - self._first
            if at < self._begin:
                continue
            if self._end is not None and at >= self._end:
                return
            self._given = at + self._first - self._base
            self._digest.update(bare(bytes(packet), self._codec))
            self._count += 1
            self._longest = max(self._longest, float((packet.duration or 0) * clock))
            shift = round(self._base / clock)
            packet.pts = stamp - shift
            packet.dts = packet.pts
            packet.stream = self._made
            yield packet

    def close(self) -> CopiedPackets:
        """What was taken over."""
        self._stack.close()
        return CopiedPackets(self._index, self._codec, self._count, self._digest.hexdigest(), self._longest)


def copied_checks(part: Path, copied: Sequence[CopiedPackets], check: Callable[[], None]) -> list[Check]:
    """That a copy holds the packets that were read."""
    if not copied:
        return []
    there = {one.index: one for one in copied}
    digests, counts = {index: hashlib.sha256() for index in there}, dict.fromkeys(there, 0)
    with open_media(part) as container:
        for packet in packets_of(container, [container.streams[index] for index in there], part):
            check()
            if packet.size:
                index = packet.stream.index
                digests[index].update(bare(bytes(packet), there[index].codec))
                counts[index] += 1
    found = []
    for index, one in there.items():
        same = digests[index].hexdigest() == one.digest
        words = f"{counts[index]} of {one.packets}, {'packets identical' if same else 'NOT the same'}"
        found.append(Check(name=f"sound stream {index} as it is", passed=same, found=words))
    return found
