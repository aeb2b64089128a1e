"""Captions of line 21 of a source as a text track of its copy, taken while the pictures are copied."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import av
import av.container

from yomikomi.core.copying.text_track import TextTrack
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.cadence import pace_of
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.video.line21 import DrawnPairs, Line21, coded_pairs
from yomikomi.core.video.subtitles import Caption

_TITLE = "Captions"


class Line21Track:
    """``pieces``: what is kept of the take."""

    def __init__(self, sink: av.container.OutputContainer, container: str, reading: Reading, pieces: Pieces) -> None:
        assert reading.hidden is not None
        self._reading = reading
        self._track = TextTrack(sink, container, pieces)
        self._track.stream.metadata["title"] = _TITLE
        self._drawn = None if reading.hidden.coded else DrawnPairs()
        self._decoder = Line21()
        self._number = self.written = 0
        self._at = Fraction(0)

    def look(self, frame: av.VideoFrame) -> Iterator[av.Packet]:
        """A decoded frame, before anything is done to it. What stood on the screen until now comes out."""
        rate = self._reading.rate
        if rate.retimed or frame.pts is None:
            self._at = self._number / pace_of(self._reading)
        else:
            self._at = frame.pts * Fraction(frame.time_base or Fraction(1, 1000)) - Fraction(self._reading.first_seconds)
        self._number += 1
        triplets = self._drawn.of(frame) if self._drawn is not None else coded_pairs(frame)
        yield from self._packets(self._decoder.push(triplets, self._at))

    def finish(self) -> Iterator[av.Packet]:
        yield from self._packets(self._decoder.finish(self._at + 1 / pace_of(self._reading)))

    def _packets(self, captions: Iterator[Caption]) -> Iterator[av.Packet]:
        for caption in captions:
            for packet in self._track.packets(caption, Fraction(0)):
                self.written += 1
                yield packet
