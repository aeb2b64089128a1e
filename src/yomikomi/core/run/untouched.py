"""Copying a take's own packets into another file: nothing is encoded, and nothing can be lost.

Where a part is asked for, it begins at the key picture before and ends before the key picture behind. What was written is read again and
held against what was read, packet by packet; where the new container wraps packets otherwise (start codes become lengths), the decoded
pictures and sound are held against each other instead.
"""

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

from yomikomi.core.balance.leaving import why_not_untouched
from yomikomi.core.capture.cutting import DecodeOrder, same_stream, writing
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.run.checks import Check, index_check, outlet_check, source_check
from yomikomi.core.run.containers import open_copy
from yomikomi.core.run.packet_content import bare
from yomikomi.core.run.request import CopyProgress, CopyRequest
from yomikomi.core.run.result import CopyResult, unverified_name
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media, probe, video_stream
from yomikomi.core.video.packets import DAMAGED, packets_of
from yomikomi.core.work import Reporter

# Subtitles that a kind of file holds; Matroska holds all.
_SUBTITLES = {"mp4": {"mov_text"}, "mov": {"mov_text"}}
# Stamps may be rounded to the coarser of two clocks: Matroska's milliseconds.
_STAMP_TOLERANCE_S = Fraction(11, 10_000)
_REPORT_PERIOD_S = 0.1


@dataclass
class _Track:
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
class _Part:
    """Seconds of the file between which packets are taken: ``begin`` is a key picture's; None: from its beginning, to its end."""

    begin: Fraction | None
    end: Fraction | None


def copy_untouched(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Raises WrongUseError where a treatment needs an encode, UnfinishedError where the container does not take the streams, and what
    :func:`new_file` raises; stopped at any moment, nothing is left."""
    reading, target = request.reading, request.target
    reason = why_not_untouched(request.treatment, reading)
    if reason is not None:
        raise WrongUseError(f"The streams cannot be copied untouched: {reason}.", remedy="Encode, or leave the treatment out.")
    kind, started = request.recipe.container, time.monotonic()
    with writing(target) as made:
        with (
            open_media(request.path) as source,
            open_copy(made.part, kind) as sink,
        ):
            copied = _Copied(source, sink, request, reporter)
            copied.run()
        geometry = reading.geometry
        if kind == "mkv":
            set_display_shape(made.part, Geometry(geometry.width, geometry.height, Fraction(geometry.sample_aspect)))
        spent = time.monotonic() - started
        checks = [
            *_same(copied, request, made.part, reporter), index_check(made.part, kind),
            *source_check(request.path, reading.content, reporter), *outlet_check(made.part, kind, request.outlet, reporter),
        ]  # fmt: skip
        verified = all(check.passed for check in checks)
        kept = made.keep(None if verified else unverified_name(target))
    pictures = copied.tracks[copied.picture_index]
    return CopyResult(
        file=kept.name, size_bytes=kept.stat().st_size, frames=pictures.packets, duration_seconds=round(copied.seconds, 6),
        encode_seconds=round(spent, 3), verified=verified, checks=checks, not_carried=copied.left,
        source_damage=reading.damage,
    )  # fmt: skip


class _Copied:
    """One pass over the source; afterwards what was taken over is known."""

    def __init__(
        self, source: av.container.InputContainer, sink: av.container.OutputContainer, request: CopyRequest, reporter: Reporter
    ) -> None:
        self.source, self.sink, self.request, self.reporter = source, sink, request, reporter
        self.picture = video_stream(source, request.path)
        self.picture_index = self.picture.index  # which outlives the open file
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

    def _track(self, stream: Any) -> _Track:
        kind = self.request.recipe.container
        made = same_stream(self.sink, stream, tagged=kind in self.source.format.name.split(","))
        if stream.type == "video" and stream.codec_context.name == "hevc" and kind != "mkv":
            made.codec_context.codec_tag = "hvc1"  # players that go by the tag do not know the other one
        if stream.type == "video" and (turn := probe(self.request.path).rotation):
            made.set_display_rotation(turn)  # which a template forgets: a telephone's upright picture would lie
        codec = stream.codec_context.name if stream.codec_context is not None else ""
        return _Track(stream.type, codec, stream.index, made, DecodeOrder(stream) if stream.type == "video" else None)

    def _part(self) -> _Part:
        trim = self.request.treatment.get(Trim)
        if trim is None:
            return _Part(None, None)
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
        return _Part(before if trim.start else None, behind)

    def run(self) -> None:
        self.sink.metadata.update(self.source.metadata)
        chapters = self.source.chapters()
        if chapters and self.part == _Part(None, None):
            self.sink.set_chapters(chapters)
        base = self.part.begin if self.part.begin is not None else self.first
        last, told_at, done = base, 0.0, 0
        total = max(1, self.request.reading.size_bytes)
        started = time.monotonic()
        streams = [self.source.streams[index] for index in self.tracks]
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
            if not self._inside(at):
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
        self.seconds = float(last - base)
        if not self.tracks[self.picture_index].packets:
            raise UnfinishedError("No picture lies in what was asked for.", remedy="Choose a longer part.", path=self.request.path)

    def _inside(self, at: Fraction) -> bool:
        return (self.part.begin is None or at >= self.part.begin) and (self.part.end is None or at < self.part.end)

    def _mux(self, packet: av.Packet, track: _Track, base: Fraction) -> None:
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


def _same(copied: _Copied, request: CopyRequest, part: Path, reporter: Reporter) -> list[Check]:
    """Packets and stamps of a copy against those that were read."""
    found = []
    tracks = list(copied.tracks.values())
    with open_media(part) as container:
        streams = list(container.streams)
        number_of = {stream.index: place for place, stream in enumerate(streams)}
        digests = [hashlib.sha256() for _ in streams]
        stamps: list[list[Fraction]] = [[] for _ in streams]
        for packet in packets_of(container, streams, part):
            reporter.check()
            if packet.size == 0:
                continue
            place = number_of[packet.stream.index]
            codec = tracks[place].codec if place < len(tracks) else ""
            digests[place].update(bare(bytes(packet), codec))
            at = packet.pts if packet.pts is not None else packet.dts
            stamps[place].append((at or 0) * Fraction(packet.time_base))
    found.append(_shown_alike(request.path, part))
    found.append(Check(name="streams", passed=len(streams) == len(tracks), found=f"{len(streams)} of {len(tracks)}"))
    # A container may move everything at once: what counts is where tracks stand to each other.
    moved = min(stamps[0], default=Fraction(0)) - min(tracks[0].stamps, default=Fraction(0)) if stamps else Fraction(0)
    for number, (track, digest, own) in enumerate(zip(tracks, digests, stamps, strict=False)):
        name = f"{track.kind} {number + 1}"
        same, how = digest.digest() == track.digest.digest(), "packets identical"
        if not same and len(own) == track.packets and track.kind in {"video", "audio"} and copied.part == _Part(None, None):
            same, how = _decodes_alike(request.path, part, track.index, number, reporter), "wrapped otherwise, decoded identical"
        found.append(Check(name=f"{name} packets", passed=same, found=f"{len(own)} of {track.packets}, {how if same else 'NOT the same'}"))
        off = max((abs(one - two - moved) for one, two in zip(own, track.stamps, strict=False)), default=Fraction(0))
        close = len(own) == len(track.stamps) and off <= _STAMP_TOLERANCE_S
        found.append(Check(name=f"{name} time stamps", passed=close, found=f"at most {float(off) * 1000:.2f} ms apart"))
    return found


def _shown_alike(source: Path, copy: Path) -> Check:
    """What a container says beside the packets: shape, turn and colour."""
    one, two = probe(source), probe(copy)
    shape = one.geometry == two.geometry and one.rotation == two.rotation
    colour = one.colour == two.colour
    words = ["the same"] if shape and colour else [name for name, same in (("shape or turn", shape), ("colour", colour)) if not same]
    return Check(name="shown alike", passed=shape and colour, found=", ".join(words) + ("" if shape and colour else " differs"))


def _decodes_alike(source: Path, copy: Path, one: int, two: int, reporter: Reporter) -> bool:
    try:
        return _decoded(source, one, reporter) == _decoded(copy, two, reporter)
    except DAMAGED:
        return False


def _decoded(path: Path, index: int, reporter: Reporter) -> str:
    """Hash of all decoded samples of a stream."""
    digest = hashlib.sha256()
    with open_media(path) as container:
        for frame in container.decode(container.streams[index]):
            reporter.check()
            assert isinstance(frame, av.VideoFrame | av.AudioFrame)
            for plane in frame.planes:
                digest.update(memoryview(plane))
    return digest.hexdigest()
