"""A finished file as its own bytes tell it: what is held against an outlet."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.outlets.headers import Said, said_by
from yomikomi.core.video.boxes import first_box_of
from yomikomi.core.video.matroska import index_in_front
from yomikomi.core.video.media import heard_streams, open_media, video_stream
from yomikomi.core.video.packets import packets_of

_KINDS = {"matroska": "mkv", "mov": "mp4", "mp4": "mp4", "mpeg": "mpg", "vob": "mpg", "mpegts": "ts", "avi": "avi"}
_CHROMA = {(1, 1): "4:2:0", (1, 0): "4:2:2", (0, 0): "4:4:4"}


@dataclass(frozen=True)
class SoundFacts:
    """``kbps``: of the stream's packets, on average."""

    codec: str
    channels: int
    rate: int
    kbps: float


@dataclass(frozen=True)
class Facts:
    """What a file is.

    Parameters
    ----------
    said : profile and level that the stream claims, None where it claims none that can be read.
    packets : seconds of decoding and bytes of each coded picture, in the order of decoding.
    key_seconds : longest time from key picture to key picture, or to the end.
    interlaced : whether the decoder calls its first pictures interlaced.
    """

    container: str
    codec: str
    width: int
    height: int
    rate: Fraction
    depth: int
    chroma: str
    interlaced: bool
    said: Said | None
    sounds: tuple[SoundFacts, ...]
    packets: tuple[tuple[float, int], ...]
    seconds: float
    key_seconds: float
    size_bytes: int
    index_in_front: bool
    _peaks: dict[float, float] = field(default_factory=dict, init=False, repr=False, compare=False)

    @property
    def average_kbps(self) -> float:
        """Of the pictures."""
        return sum(size for _, size in self.packets) / 125 / max(self.seconds, 0.04)

    def peak_kbps(self, buffer_seconds: float) -> float:
        """The lowest constant rate that, into a buffer of so many seconds of it, full at the beginning, brings every picture in time.

        (A leaky bucket, as Annex C of H.264 and HEVC.) Found by halving: what a rate can do, a higher one can. Each buffer's is found
        once: outlets ask again and again.
        """
        if buffer_seconds not in self._peaks:
            self._peaks[buffer_seconds] = self._find_peak(buffer_seconds)
        return self._peaks[buffer_seconds]

    def _find_peak(self, buffer_seconds: float) -> float:
        low, high = 0.0, 1.0
        while not self._keeps_up(high, buffer_seconds):
            high *= 2
        for _ in range(40):
            middle = (low + high) / 2
            low, high = (low, middle) if self._keeps_up(middle, buffer_seconds) else (middle, high)
        return high

    def _keeps_up(self, kbps: float, buffer_seconds: float) -> bool:
        bits = 1000 * kbps
        room = level = bits * buffer_seconds
        last = self.packets[0][0] if self.packets else 0.0
        for at, size in self.packets:
            level = min(room, level + bits * max(0.0, at - last))
            last = at
            level -= 8 * size
            if level < 0:
                return False
        return True


def facts_of(path: Path, check: Callable[[], None] = lambda: None, *, container_kind: str | None = None) -> Facts:
    """Read a file's packets, and decode a few pictures. ``container_kind``: of a file whose name does not tell it yet. Raises
    UnreadableError."""
    with open_media(path) as container:
        picture = video_stream(container, path)
        heard = heard_streams(container)
        rate = Fraction(picture.average_rate or picture.guessed_rate or 25)
        context = picture.codec_context
        shape = context.format
        chroma = (1, 1)
        if shape is not None and len(shape.components) > 1:
            chroma = (int(shape.chroma_width(64) == 32), int(shape.chroma_height(64) == 32))
        interlaced = _first_is_interlaced(container, picture)
    with open_media(path) as container:
        picture = video_stream(container, path)
        heard = heard_streams(container)
        sizes = {stream.index: 0 for stream in heard}
        packets: list[tuple[float, int]] = []
        keys: list[float] = []
        stamps: list[float] = []
        for packet in packets_of(container, [picture, *heard], path):
            check()
            if not packet.size:
                continue
            if packet.stream.index != picture.index:
                sizes[packet.stream.index] += packet.size
                continue
            shown = float((packet.pts if packet.pts is not None else packet.dts or 0) * Fraction(packet.time_base))
            packets.append((len(packets) / float(rate), packet.size))
            stamps.append(shown)
            if packet.is_keyframe:
                keys.append(shown)
        seconds = (max(stamps) - min(stamps) if stamps else 0.0) + float(1 / rate)
        ends = [*keys, (min(stamps) if stamps else 0.0) + seconds]
        sounds = tuple(
            SoundFacts(
                s.codec_context.name, s.codec_context.channels, s.codec_context.sample_rate or 0, sizes[s.index] / 125 / max(seconds, 0.04)
            )
            for s in heard
        )
        kind = container_kind or _kind(container.format.name, path)
        return Facts(
            container=kind, codec=_name(picture.codec_context.name), width=picture.width, height=picture.height, rate=rate,
            depth=int(shape.components[0].bits) if shape is not None else 8, chroma=_CHROMA.get(chroma, "4:2:0"), interlaced=interlaced,
            said=said_by(_name(picture.codec_context.name), bytes(picture.codec_context.extradata or b"")), sounds=sounds,
            packets=tuple(packets), seconds=seconds,
            key_seconds=max((two - one for one, two in itertools.pairwise(ends)), default=seconds),
            size_bytes=path.stat().st_size, index_in_front=_index(path, kind),
        )  # fmt: skip


def _name(codec: str) -> str:
    return "av1" if codec in {"libdav1d", "av1"} else codec


def _kind(library: str, path: Path) -> str:
    if path.suffix.lower() == ".mov":
        return "mov"
    return next((_KINDS[name] for name in library.split(",") if name in _KINDS), library)


def _index(path: Path, kind: str) -> bool:
    return first_box_of(path, (b"moov", b"mdat")) == b"moov" if kind in {"mp4", "mov"} else kind == "mkv" and index_in_front(path)


def _first_is_interlaced(container: av.container.InputContainer, picture: av.VideoStream) -> bool:
    try:
        frame = next(container.decode(picture), None)
    except (av.error.FFmpegError, MemoryError):
        return False
    return bool(frame is not None and frame.interlaced_frame)
