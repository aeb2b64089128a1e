"""Captions of line 21 as text: two bytes a frame, carried beside the coded pictures or drawn in the picture's first lines.

Source: CEA-608 as the library's decoder has it; its bytes travel in the triplets of ATSC A/53 part 4.
"""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from typing import Any

import av
import av.sidedata.sidedata

from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.subtitles import Caption, said_in

# Lines from the top in which the picture may carry them.
LINES = 32
READ_CAPTIONS = ("readeia608", f"scan_max={LINES - 3}")
_BASE = Fraction(1, 25)
_CODED = av.sidedata.sidedata.Type.A53_CC
# Of a triplet: valid, and of the first field (the captions of the first language).
_FIRST_FIELD = 0xFC
_NOTHING = 0x80
# Commands of the first channel: first byte; load out of sight, roll up, paint on; show what was loaded; erase. Letters begin at a space.
_COMMAND, _LOAD, _SHOW, _ERASE, _LETTERS = 0x14, 0x20, 0x2F, 0x2C, 0x20
_MODES = {_LOAD, 0x25, 0x26, 0x27, 0x29}


def coded_pairs(frame: av.VideoFrame) -> bytes:
    """Triplets that came with a coded picture; empty where there are none."""
    found: Any = frame.side_data  # of few frames, by their kind
    return next((bytes(one) for one in found if one.type == _CODED), b"") if len(found) else b""


def says_something(triplets: bytes) -> bool:
    """Whether any pair of the first field is more than padding."""
    parts = (triplets[at : at + 3] for at in range(0, len(triplets) - 2, 3))
    return any(one[0] == _FIRST_FIELD and (one[1] & 0x7F or one[2] & 0x7F) for one in parts)


class FirstLines:
    """The library's readers of what the first lines of a picture carry; ``template``: a frame like those to come, ``readers``: its filters.

    Raises FFmpegError or ValueError where pictures of that kind are not taken.
    """

    def __init__(self, template: av.VideoFrame, *readers: tuple[str, str]) -> None:
        filters = [("crop", f"{template.width}:{LINES}:0:0:exact=1"), ("format", "pix_fmts=gray"), *readers]
        self._line = FilterLine(filters, template=template, time_base=_BASE, rate=1 / _BASE)
        self._pushed = 0

    def read(self, frame: av.VideoFrame) -> list[dict[str, str]]:
        """What they say of a frame, whose stamps stay its own."""
        stamp, base = frame.pts, frame.time_base
        frame.pts, frame.time_base = self._pushed, _BASE
        self._pushed += 1
        found = [dict(out.metadata) for out in self._line.push(frame)]
        frame.pts = stamp
        if base is not None:
            frame.time_base = base
        return found


def drawn_pair(found: dict[str, str]) -> int | None:
    """Both bytes of the first line that carries captions; the second field's line has other data."""
    value = found.get("lavfi.readeia608.0.cc")
    return int(value, 16) if value is not None else None


class DrawnPairs:
    """Reads them off the picture."""

    def __init__(self) -> None:
        self._lines: FirstLines | None = None

    def of(self, frame: av.VideoFrame) -> bytes:
        """A triplet, empty where the lines carry none."""
        self._lines = self._lines or FirstLines(frame, READ_CAPTIONS)
        pairs = [pair for found in self._lines.read(frame) if (pair := drawn_pair(found)) is not None]
        return bytes((_FIRST_FIELD, _odd(pairs[-1] >> 8), _odd(pairs[-1]))) if pairs else b""


class Line21:
    """Decodes triplets, frame by frame, into what stood on the screen when. The library's decoder says what stood there once that
    changes; when it came up shows in the commands."""

    def __init__(self) -> None:
        self._decoder: Any = av.CodecContext.create("cc_dec", "r")
        self._hidden = True  # letters are loaded out of sight until a command shows them
        self._came_up: Fraction | None = None
        self._last = Fraction(0)
        self._screen: list[str] = []

    def push(self, triplets: bytes, at: Fraction) -> Iterator[Caption]:
        """``at``: when its frame is shown, seconds. Gives a caption once something else stands on the screen."""
        if not triplets:
            return
        packet = av.Packet(triplets)
        packet.pts = packet.dts = round(at * 1000)
        packet.time_base = Fraction(1, 1000)
        try:
            found = self._decoder.decode2(packet)
        except (av.error.FFmpegError, ValueError):
            return  # bytes that are none of its language
        for one in found or ():
            yield from self._stood(said_in(one), at)
        for place in range(0, len(triplets) - 2, 3):
            if triplets[place] == _FIRST_FIELD:
                self._follow(triplets[place + 1] & 0x7F, triplets[place + 2] & 0x7F, at)

    def finish(self, at: Fraction) -> Iterator[Caption]:
        """What stands there at the end."""
        for _ in range(2):
            yield from self.push(bytes((_FIRST_FIELD, _odd(_COMMAND), _odd(_ERASE))), at)

    def _follow(self, first: int, second: int, at: Fraction) -> None:
        """Commands come twice; the first one counts."""
        if first == _COMMAND and second == _SHOW:
            self._came_up = self._came_up if self._came_up is not None else at
        elif first == _COMMAND and second in _MODES:
            self._hidden = second == _LOAD
        elif first >= _LETTERS and not self._hidden and self._came_up is None:
            self._came_up = at

    def _stood(self, text: str, at: Fraction) -> Iterator[Caption]:
        """Of lines that roll up only the new ones are said."""
        lines = [line.strip() for line in text.split("\n") if line.strip()]
        kept = next((count for count in range(len(lines), 0, -1) if self._screen[-count:] == lines[:count]), 0)
        begin = self._came_up if self._came_up is not None else self._last
        if lines[kept:] and at > begin:
            yield Caption(begin, at, "\n".join(lines[kept:]))
        self._screen, self._came_up, self._last = lines, None, at


def _odd(byte: int) -> int:
    """Seven bits with odd parity, as they are sent."""
    seven = byte & 0x7F
    return seven if seven.bit_count() % 2 else seven | _NOTHING
