"""Captions (line 21) and timecode (vertical interval) that the picture carries, through the library's own decoders.

Source: CEA-608 and SMPTE ST 12 as the library implements them. They stand in the first lines of the picture where a recorder
took more than the 480 (576) lines of the active picture.
"""

from __future__ import annotations

from collections import Counter

import av

from yomikomi.core.reading.models import HiddenLines
from yomikomi.core.reading.sight import LARGEST_TAPED, Sight
from yomikomi.core.video.line21 import LINES, READ_CAPTIONS, FirstLines, coded_pairs, drawn_pair, says_something

_ENOUGH = 2


class HiddenLinesMeter:
    def __init__(self) -> None:
        self._lines: FirstLines | None = None
        self._shape: tuple[int, int, str] | None = None
        self._captions: list[bytes] = []
        self._timecodes: Counter[str] = Counter()
        self._first_timecode: str | None = None
        self._looks = self._coded = 0

    def look(self, before: Sight, now: Sight) -> None:
        for one in (before, now):
            self._coded += one.frame is not None and says_something(coded_pairs(one.frame))
            if one.frame is not None and one.frame.width >= 640 and 480 <= one.frame.height <= LARGEST_TAPED:
                self._push(one.frame)

    def result(self) -> HiddenLines:
        text = b"".join(self._captions)
        printable = "".join(chr(byte) for byte in text if 32 <= byte < 127)
        found = sum(self._timecodes.values())
        return HiddenLines(
            coded=self._coded, captions=len(self._captions) if len(self._captions) >= _ENOUGH else 0,
            caption_bytes=printable[:200] if len(self._captions) >= _ENOUGH else "",
            timecode=self._first_timecode if found >= _ENOUGH else None, timecode_looks=found, looks=self._looks,
        )  # fmt: skip

    def _push(self, frame: av.VideoFrame) -> None:
        shape = (frame.width, frame.height, frame.format.name)
        if self._lines is None or self._shape != shape:
            self._shape = shape
            try:
                self._lines = FirstLines(frame, READ_CAPTIONS, ("readvitc", f"scan_max={LINES - 2}"))
            except (av.error.FFmpegError, ValueError):
                self._lines = None
                return
        self._looks += 1
        for found in self._lines.read(frame):
            self._take(found)

    def _take(self, found: dict[str, str]) -> None:
        if (pair := drawn_pair(found)) is not None:
            self._captions.append(bytes((pair >> 8 & 0x7F, pair & 0x7F)))
        timecode = found.get("lavfi.readvitc.tc_str")
        if timecode:
            self._timecodes[timecode] += 1
            self._first_timecode = self._first_timecode or timecode
