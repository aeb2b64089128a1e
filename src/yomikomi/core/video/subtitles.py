"""The subtitles of a file as what is shown when: text, or pictures with their transparency.

The library decodes both; the colours of bitmaps it keeps to itself, so those are read off the packets.
Sources: DVD sub-pictures: the display control sequence as published in the libavcodec decoder's documentation and known from use (from
memory: commands 3 and 4 choose four of sixteen colours and their opacity); Blu-ray graphics: palette segments hold Y, Cr, Cb, A (from
memory).
"""

from __future__ import annotations

import re
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container
import av.subtitles.subtitle
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.video.colour import weights_of
from yomikomi.core.video.media import open_media
from yomikomi.core.video.packets import DAMAGED, packets_of

TEXT_KINDS = frozenset({"subrip", "srt", "ass", "ssa", "webvtt", "mov_text", "text"})
BITMAP_KINDS = frozenset({"dvd_subtitle", "dvdsub", "hdmv_pgs_subtitle", "pgssub"})
# One without an end is over so long after its begin, if no other comes before (seconds).
_LONGEST_S = Fraction(8)
_ENDLESS_MS = 2**31
_TAGS, _MARKUP = re.compile(r"\{[^}]*\}"), re.compile(r"<[^>]*>")


@dataclass(frozen=True)
class Bitmap:
    """``x``, ``y``: its upper left corner on the canvas; ``packed``: which of the colours in ``table`` each sample has, compressed: a film
    has thousands of them, nearly empty and as wide as its picture."""

    x: int
    y: int
    width: int
    height: int
    packed: bytes
    table: bytes

    @property
    def rgba(self) -> NDArray[np.uint8]:
        """ndarray [shape=(lines, columns, 4), 0…255, not premultiplied]"""
        index = np.frombuffer(zlib.decompress(self.packed), np.uint8).reshape(self.height, self.width)
        return np.frombuffer(self.table, np.uint8).reshape(256, 4)[index]


@dataclass(frozen=True)
class Caption:
    """``begin``, ``end``: seconds on the file's clock; either ``text`` (lines apart by line feeds) or ``bitmaps``."""

    begin: Fraction
    end: Fraction
    text: str = ""
    bitmaps: tuple[Bitmap, ...] = ()


@dataclass(frozen=True)
class Captions:
    """``canvas``: width and height that bitmaps are placed on; None: the size of the picture."""

    shown: tuple[Caption, ...]
    canvas: tuple[int, int] | None = None


def captions_of(
    path: Path, number: int, check: Callable[[], None] = lambda: None, *, between: tuple[Fraction, Fraction] | None = None
) -> Captions:
    """Subtitle stream ``number`` of a file, counted from 0; ``between``: only what begins there, seconds on the file's clock, and perhaps
    some more.

    Raises UnreadableError where there is no such stream, WrongUseError where its kind cannot be drawn.
    """
    with open_media(path) as container:
        streams = container.streams.subtitles
        if number >= len(streams):
            raise UnreadableError(f"{path.name} has no subtitles {number + 1}.", remedy="Choose another track.", path=path)
        stream: Any = streams[number]
        name = stream.codec_context.name if stream.codec_context is not None else "an unknown kind"
        if name not in TEXT_KINDS | BITMAP_KINDS:
            raise WrongUseError(f"Subtitles of this kind ({name}) cannot be drawn.", remedy="Carry them as a track, in Matroska.")
        maker = _Text() if name in TEXT_KINDS else _Dvd(stream) if name in {"dvd_subtitle", "dvdsub"} else _Graphics()
        if between is not None and between[0] > 0:
            container.seek(int(between[0] * av.time_base))
        found = []
        for one in _timed(container, stream, maker, path, check):
            if between is not None and one[0] > between[1]:
                break
            found.append(one)
    return Captions(tuple(_ended(found)), maker.canvas)


def _timed(
    container: av.container.InputContainer, stream: Any, maker: _Text | _Dvd | _Graphics, path: Path, check: Callable[[], None]
) -> Iterator[tuple[Fraction, Fraction | None, str, tuple[Bitmap, ...]]]:
    """Begin, end where it is known, and what is shown; nothing at all ends what was shown before."""
    for packet in packets_of(container, [stream], path):
        check()
        if packet.pts is None or not packet.size:
            continue
        try:
            found = stream.codec_context.decode2(packet)
        except DAMAGED:
            continue
        if found is None:
            continue
        base = Fraction(packet.time_base or Fraction(1, 1000))
        at = packet.pts * base
        begin = at + Fraction(found.start_display_time, 1000)
        lasts = Fraction(found.end_display_time, 1000) if 0 < found.end_display_time < _ENDLESS_MS else (packet.duration or 0) * base
        yield begin, at + lasts if lasts else None, *maker.make(bytes(packet), found)


def _ended(found: list[tuple[Fraction, Fraction | None, str, tuple[Bitmap, ...]]]) -> Iterator[Caption]:
    found.sort(key=lambda one: one[0])
    for place, (begin, end, text, bitmaps) in enumerate(found):
        if not text and not bitmaps:
            continue
        following = next((later[0] for later in found[place + 1 :] if later[0] > begin), begin + _LONGEST_S)
        yield Caption(begin, end if end is not None else min(following, begin + _LONGEST_S), text, bitmaps)


def said_in(event: Any) -> str:
    """The text of what the library decoded, without tags; lines apart by line feeds."""
    raw = event.ass.decode("utf-8", "replace") if hasattr(event, "ass") else ""
    # Fields before the text: order, layer, style, name, three margins, effect.
    text = raw.split(",", 8)[8] if raw.count(",") >= 8 else raw
    return _TAGS.sub("", text).replace("\\N", "\n").replace("\\n", "\n").replace("\\h", " ")


class _Text:
    canvas: tuple[int, int] | None = None

    def make(self, _packet: bytes, found: Any) -> tuple[str, tuple[Bitmap, ...]]:
        lines = []
        for one in found:
            lines.append(_MARKUP.sub("", said_in(one)).strip())
        return "\n".join(line for line in lines if line), ()


class _Dvd:
    """Sixteen colours stand in the stream's head; each picture chooses four of them, and how opaque they are."""

    def __init__(self, stream: Any) -> None:
        head = bytes(stream.codec_context.extradata or b"").decode("latin-1", "replace")
        named = re.search(r"palette:([0-9a-fA-F ,\t]+)", head)
        colours = [int(one, 16) for one in re.findall(r"[0-9a-fA-F]{6}", named.group(1))] if named else []
        colours += [0, 0xFFFFFF, 0x808080, 0x404040][: max(0, 4 - len(colours))]
        colours += [0xFFFFFF] * (16 - len(colours))
        self._colours = np.array([[one >> 16, one >> 8 & 255, one & 255] for one in colours[:16]], np.uint8)
        size = re.search(r"size:\s*(\d+)x(\d+)", head)
        self.canvas = _size(int(size.group(1)), int(size.group(2))) if size else None

    def make(self, packet: bytes, found: Any) -> tuple[str, tuple[Bitmap, ...]]:
        chosen, opacity = _four(packet)
        table = np.zeros((256, 4), np.uint8)
        for place in range(4):
            table[place, :3], table[place, 3] = self._colours[chosen[place]], 17 * opacity[place]
        return "", _drawn(found, table)


def _four(unit: bytes) -> tuple[list[int], list[int]]:
    """Which of the sixteen colours the four values of a DVD sub-picture stand for, and how opaque they are, 0…15.

    The control sequences begin where bytes 2 and 3 say: delay, address of the next, then commands of one byte and their data.
    """
    chosen, opacity = [0, 1, 2, 3], [0, 15, 15, 15]
    sizes = {0: 0, 1: 0, 2: 0, 3: 2, 4: 2, 5: 6, 6: 4}
    at = int.from_bytes(unit[2:4], "big")
    if not 4 <= at <= len(unit) - 4:
        return chosen, opacity
    place = at + 4
    while place < len(unit) and unit[place] in sizes:
        command, data = unit[place], unit[place + 1 : place + 1 + sizes[unit[place]]]
        if command in {3, 4} and len(data) == 2:
            four = [data[1] & 15, data[1] >> 4, data[0] & 15, data[0] >> 4]
            chosen, opacity = (four, opacity) if command == 3 else (chosen, four)
        place += 1 + len(data)
    return chosen, opacity


class _Graphics:
    """Palettes come in segments of their own and stay until others come."""

    def __init__(self) -> None:
        self._table = np.zeros((256, 4), np.uint8)
        self.canvas: tuple[int, int] | None = None

    def make(self, packet: bytes, found: Any) -> tuple[str, tuple[Bitmap, ...]]:
        at = 0
        while at + 3 <= len(packet):
            kind, size = packet[at], int.from_bytes(packet[at + 1 : at + 3], "big")
            body = packet[at + 3 : at + 3 + size]
            if kind == 0x16 and len(body) >= 4:
                self.canvas = _size(int.from_bytes(body[:2], "big"), int.from_bytes(body[2:4], "big"))
            elif kind == 0x14:
                self._take(body[2:])
            at += 3 + size
        return "", _drawn(found, self._table)

    def _take(self, entries: bytes) -> None:
        hd = self.canvas is None or self.canvas[1] > 576
        for place in range(0, len(entries) - 4, 5):
            number, y, cr, cb, alpha = entries[place : place + 5]
            self._table[number] = (*_rgb(y, cb, cr, hd=hd), alpha)


def _size(width: int, height: int) -> tuple[int, int] | None:
    """A canvas that a damaged head makes up is none."""
    return (width, height) if 16 <= width <= 16_384 and 16 <= height <= 16_384 else None


def _rgb(y: int, cb: int, cr: int, *, hd: bool) -> tuple[int, int, int]:
    """Limited range to R′G′B′ of 8 bits (ITU-R BT.709 of HD, BT.601 of SD)."""
    red, blue = weights_of(1 if hd else 6, height=0)
    luma, u, v = (y - 16) / 219, (cb - 128) / 224, (cr - 128) / 224
    r, b = luma + 2 * (1 - red) * v, luma + 2 * (1 - blue) * u
    g = (luma - red * r - blue * b) / (1 - red - blue)
    made = [round(255 * min(1.0, max(0.0, one))) for one in (r, g, b)]
    return made[0], made[1], made[2]


def _drawn(found: Any, table: NDArray[np.uint8]) -> tuple[Bitmap, ...]:
    made = []
    for one in found:
        if not isinstance(one, av.subtitles.subtitle.BitmapSubtitle) or not one.planes or not one.width or not one.height:
            continue
        plane: Any = one.planes[0]  # a buffer, which its type does not say
        index = np.frombuffer(plane, np.uint8)[: one.width * one.height].reshape(one.height, one.width)
        made.append(Bitmap(one.x, one.y, one.width, one.height, zlib.compress(index.tobytes(), 1), table.tobytes()))
    return tuple(made)
