"""The streams of a take on their way into another file, packet by packet."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container

from yomikomi.core.capture.cutting import DecodeOrder, same_stream
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.packet_content import bare
from yomikomi.core.copying.request import CopyProgress, CopyRequest
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.video.media import heard_streams, probe, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.work import Reporter

# Subtitles that a kind of file holds; Matroska holds all.
_SUBTITLES = {"mp4": {"mov_text"}, "mov": {"mov_text"}}
_REPORT_PERIOD_S = 0.1


@dataclass
class Track:
    """One stream on its way. ``digest``: of the packets as they were read; ``stamps``: seconds since the first picture."""

    kind: str
    codec: str
    index: int
    sink: Any
    order: DecodeOrder | None
    digest: Any = field(default_factory=hashlib.sha256)
    packets: int = 0
    stamps: list[Fraction] = field(default_factory=list)


@dataclass(frozen=True)
class Part:
    """Seconds of the file between which packets are taken: ``begin`` is a key picture's; None: from its beginning, to its end."""

    begin: Fraction | None
    end: Fraction | None


class CopiedStreams:
    """One pass over the source; afterwards what was taken over is known.

    ``encoded``: how many pictures at the beginning and at the end are no packets of the source.
    """

    encoded: tuple[int, int] = (0, 0)

    def __init__(
        self, source: av.container.InputContainer, sink: av.container.OutputContainer, request: CopyRequest, reporter: Reporter
    ) -> None:
        self.source, self.sink, self.request, self.reporter = source, sink, request, reporter
        self.picture = video_stream(source, request.path)
        self.picture_index = self.picture.index  # which outlives the open file
        self.told = probe(request.path)
        self.left: list[str] = []
        self.tracks = {stream.index: self._track(stream) for stream in self._wanted()}
        self.first = Fraction(request.reading.first_seconds)
        self.part = self._part()
        self.seconds = 0.0

    def _wanted(self) -> Iterator[Any]:
        treatment, kind = self.request.treatment, self.request.recipe.container
        yield self.picture
        for number, stream in enumerate(heard_streams(self.source)):
            if treatment.takes_sound(number):
                yield stream
        for number, text in enumerate(self.source.streams.subtitles):
            name = text.codec_context.name if text.codec_context is not None else "unknown"
            if kind in _SUBTITLES and name not in _SUBTITLES[kind]:
                self.left.append(f"subtitles {number + 1} ({name}): {kind.upper()} does not hold them")
            else:
                yield text

    def _track(self, stream: Any) -> Track:
        kind = self.request.recipe.container
        made = same_stream(self.sink, stream, tagged=kind in self.source.format.name.split(","))
        if stream.type == "video" and stream.codec_context.name == "hevc" and kind != "mkv":
            made.codec_context.codec_tag = "hvc1"  # players that go by the tag do not know the other one
        if stream.type == "video" and self.told.rotation:
            made.set_display_rotation(self.told.rotation)  # which a template forgets: a telephone's upright picture would lie
        codec = stream.codec_context.name if stream.codec_context is not None else ""
        return Track(stream.type, codec, stream.index, made, DecodeOrder(stream) if stream.type == "video" else None)

    def own_checks(self, part: Path) -> list[Check]:
        """What there is to prove besides that packets are the same. ``part``: the file that was written."""
        return []

    def _part(self) -> Part:
        trim = self.request.treatment.get(Trim)
        if trim is None:
            return Part(None, None)
        begin, end = (Fraction(second).limit_denominator(10**6) + self.first for second in (trim.start, trim.end))
        before, behind = None, None
        for packet in packets_of(self.source, [self.picture], self.request.path):
            self.reporter.check()
            if not packet.is_keyframe or packet.pts is None:
                continue
            at = packet.pts * Fraction(packet.time_base)
            if at <= begin:
                before = at
            if trim.end and at >= end:
                behind = at
                break
        self.source.seek(0)
        return Part(before if trim.start else None, behind)

    def run(self) -> None:
        self.sink.metadata.update(self.source.metadata)
        chapters = self.source.chapters()
        if chapters and self.part == Part(None, None):
            self.sink.set_chapters(chapters)
        base = self.part.begin if self.part.begin is not None else self.first
        last, told_at, done = base, 0.0, 0
        total = max(1, self.request.reading.size_bytes)
        started = time.monotonic()
        streams = [self.source.streams[index] for index in self.tracks]
        self._before(base)
        for packet in packets_of(self.source, streams, self.request.path):
            self.reporter.check()
            stamp = packet.pts if packet.pts is not None else packet.dts
            if packet.size == 0 or stamp is None:
                continue
            if packet.is_discard and packet.stream.index == self.picture_index:
                raise WrongUseError(
                    f"{self.request.path.name} hides pictures at its beginning (an edit list), which a copy of its packets could show.",
                    remedy="Encode it: in Balance, run trials.",
                )
            track, clock = self.tracks[packet.stream.index], Fraction(packet.time_base)
            at = stamp * clock
            if not self._inside(packet, at):
                continue
            track.digest.update(bare(bytes(packet), track.codec))
            track.packets += 1
            track.stamps.append(at - base)
            if packet.stream.index == self.picture_index:
                last = max(last, at + (packet.duration or 0) * clock)
            self._mux(packet, track, base)
            done += packet.size
            now = time.monotonic()
            if now - told_at > _REPORT_PERIOD_S:
                told_at, part = now, min(1.0, done / total)
                left = (now - started) * (1 - part) / part if part > 0.01 else 0.0
                self.reporter.report(CopyProgress("copying", part, self.tracks[self.picture_index].packets, done, left))
        last = self._behind(base, last)
        self.seconds = float(last - base)
        if not self.tracks[self.picture_index].packets:
            raise UnfinishedError("No picture lies in what was asked for.", remedy="Choose a longer part.", path=self.request.path)

    def _before(self, base: Fraction) -> None:
        """Called once, before anything is written. ``base``: the moment from which the copy counts."""

    def _behind(self, base: Fraction, last: Fraction) -> Fraction:
        """Called once, when all was copied up to ``last``; where it then ends."""
        return last

    def _inside(self, packet: av.Packet, at: Fraction) -> bool:
        return (self.part.begin is None or at >= self.part.begin) and (self.part.end is None or at < self.part.end)

    def _mux(self, packet: av.Packet, track: Track, base: Fraction) -> None:
        clock = Fraction(packet.time_base)
        shift = round(base / clock)
        if packet.pts is not None:
            packet.pts -= shift
        if packet.dts is not None:
            packet.dts -= shift
        elif track.order is not None and packet.pts is not None:
            packet.dts = track.order.next(packet.pts)
        packet.stream = track.sink
        self.sink.mux(packet)
