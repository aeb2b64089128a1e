"""A part of a take copied exactly: whole groups of pictures as they are, and only what lies before the first and behind the last of them
encoded, with headers of its own beside those of the take.

H.264 alone: its headers are numbered, so that two encoders' pictures can stand in one stream.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.codec.context import Flags

from yomikomi.core.balance.leaving import why_not_exact
from yomikomi.core.balance.metrics import psnr_db
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.plan import plan_for, set_up
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.run.checks import Check
from yomikomi.core.run.copied_streams import CopiedStreams, Part
from yomikomi.core.run.h264_headers import Configuration, begins_anew, with_lengths
from yomikomi.core.run.request import CopyRequest
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.video.media import probe
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.planes import luma
from yomikomi.core.work import Reporter

# Few pictures, so that their size hardly counts: nearer to the take than anybody can see.
_QUALITY, _LEAST_DB = 10, 40.0
_ADVICE = "Copy it cut at key pictures, or encode."


@dataclass(frozen=True)
class _Ends:
    """Stamps of the pictures that are encoded, in order, and which packets of the picture, counted from 0, are copied."""

    head: tuple[int, ...]
    tail: tuple[int, ...]
    kept: range
    decode: dict[int, int]


class ExactStreams(CopiedStreams):
    """``ends`` : what is encoded of the part that a treatment trims."""

    def _part(self) -> Part:
        trim, reason = self.request.treatment.get(Trim), why_not_exact(self.request.reading)
        if trim is None:
            raise WrongUseError("Nothing is cut off the take, so nothing has to be encoded.", remedy="Copy it untouched.")
        if reason is not None:
            raise WrongUseError(f"The take cannot be cut exactly: {reason}.", remedy=_ADVICE)
        if probe(self.request.path).flagged_field_order in {"tff", "bff"}:
            raise WrongUseError("The take says that its pictures are interlaced, so it cannot be cut exactly.", remedy=_ADVICE)
        if Configuration.of(bytes(self.picture.codec_context.extradata or b"")) is None:
            raise WrongUseError("The take's H.264 is not kept as in MP4 or Matroska, so it cannot be cut exactly.", remedy=_ADVICE)
        self.clock = clock = Fraction(self.picture.time_base or 1)  # outlives the open file
        begin, end = (Fraction(second).limit_denominator(10**6) + self.first for second in (trim.start, trim.end))
        self.ends = self._plan(begin / clock, end / clock if trim.end else None)
        self.encoded = len(self.ends.head), len(self.ends.tail)
        self.source.seek(0)
        self._count = 0
        first = min(self.ends.decode)
        return Part(first * clock, end if trim.end else None)

    def _plan(self, begin: Fraction, end: Fraction | None) -> _Ends:
        """``begin``, ``end``: in ticks of the picture."""
        stamps, anew = [], []
        for packet in packets_of(self.source, [self.picture], self.request.path):
            self.reporter.check()
            if not packet.size:
                continue
            if packet.pts is None:
                raise WrongUseError("Pictures without time stamps cannot be cut exactly.", remedy=_ADVICE)
            stamps.append(packet.pts)
            anew.append(bool(packet.is_keyframe) and begins_anew(bytes(packet)))
        wanted = sorted(pts for pts in stamps if pts >= begin and (end is None or pts < end))
        starts = [place for place, new in enumerate(anew) if new]
        first = next((place for place in starts if stamps[place] >= begin), None)
        # The picture behind the last group that is wanted whole.
        stop = len(stamps) if end is None else next((place for place in reversed(starts) if stamps[place] <= end), None)
        if not wanted or first is None or stop is None or stop <= first:
            raise WrongUseError(
                "No whole group of pictures lies in the part that was asked for, so all of it would have to be encoded.",
                remedy="Encode it.",
            )
        head = tuple(pts for pts in wanted if pts < stamps[first])
        tail = tuple(pts for pts in wanted if stop < len(stamps) and pts >= stamps[stop])
        order = [*head, *stamps[first:stop], *tail]
        shown = sorted(order)
        late = max(one - two for one, two in zip(shown, order, strict=True))
        decode = {pts: shown[place] - late for place, pts in enumerate(order)}
        return _Ends(head, tail, range(first, stop), decode)

    def _before(self, base: Fraction) -> None:
        own = Configuration.of(bytes(self.picture.codec_context.extradata or b""))
        assert own is not None
        number, ends = own.free_number, self.ends
        header, self._head = self._encode(ends.head, number)
        other, self._tail = self._encode(ends.tail, number)
        if header and other and header != other:
            raise UnfinishedError("The two ends could not be encoded alike.", remedy=_ADVICE, path=self.request.path)
        if header or other:
            self.tracks[self.picture_index].sink.codec_context.extradata = own.beside(header or other).data
        self._put(self._head, base)

    def _behind(self, base: Fraction, last: Fraction) -> Fraction:
        self._put(self._tail, base)
        shown = sorted(self.ends.decode)
        each = (shown[-1] - shown[0]) / Fraction(len(shown) - 1) if len(shown) > 1 else Fraction(0)
        return (shown[-1] + each) * self.clock

    def _inside(self, packet: av.Packet, at: Fraction) -> bool:
        if packet.stream.index != self.picture_index:
            return super()._inside(packet, at)
        self._count += 1
        if self._count - 1 not in self.ends.kept:
            return False
        packet.dts = self.ends.decode[packet.pts or 0]
        return True

    def _encode(self, stamps: Sequence[int], number: int) -> tuple[bytes, list[av.Packet]]:
        """The stream's header and packets of pictures of the take. ``number``: of the headers."""
        if not stamps:
            return b"", []
        reading, recipe = self.request.reading, recipe_for("h264", _QUALITY, speed="medium")
        treated = replace(source_format(reading), pixel_format="yuv420p")
        plan = plan_for(recipe, treated)
        plan = replace(plan, params={**plan.params, "sps-id": str(number), "bframes": "0", "scenecut": "0", "keyint": "99999"})
        encoder = av.CodecContext.create(plan.encoder, "w")
        assert isinstance(encoder, av.VideoCodecContext)
        set_up(encoder, recipe, treated, plan, plan.in_pass(1, None))
        clock = encoder.time_base = self.clock
        probe(self.request.path).colour.put_on(encoder)  # what the file says, not what is taken for it where it says nothing
        encoder.flags |= Flags.global_header
        encoder.open()
        packets: list[av.Packet] = []
        for frame in pictures_of(self.request.path, reading, stamps, clock, self.reporter):
            kept = frame.reformat(format="yuv420p")
            kept.pts, kept.time_base, kept.pict_type = frame.pts, clock, av.video.frame.PictureType.NONE
            packets += encoder.encode(kept)
        packets += encoder.encode(None)
        if len(packets) != len(stamps):
            raise UnfinishedError(
                f"{len(stamps) - len(packets)} of the pictures at the ends could not be decoded.", remedy=_ADVICE, path=self.request.path
            )
        return bytes(encoder.extradata or b""), packets

    def _put(self, packets: Sequence[av.Packet], base: Fraction) -> None:
        track, clock = self.tracks[self.picture_index], self.clock
        for made in packets:
            packet = av.Packet(with_lengths(bytes(made)))
            pts = made.pts or 0
            packet.pts, packet.dts, packet.time_base, packet.is_keyframe = pts, self.ends.decode[pts], clock, made.is_keyframe
            track.stamps.append(pts * clock - base)
            self._mux(packet, track, base)


def pictures_of(path: Path, reading: Reading, stamps: Sequence[int], clock: Fraction, reporter: Reporter) -> list[av.VideoFrame]:
    """Decoded pictures of these stamps, ticks of ``clock``, ascending; those that cannot be decoded are missing."""
    first, wanted = Fraction(reading.first_seconds), set(stamps)
    begin = max(Fraction(0), stamps[0] * clock - first - Fraction(1, 100))
    found = []
    for frame in frames_from(path, start_seconds=begin, first_seconds=first):
        reporter.check()
        if frame.pts in wanted:
            found.append(frame)
        if frame.pts is not None and frame.pts >= stamps[-1]:
            break
    return found


def ends_checks(copied: ExactStreams, request: CopyRequest, part: Path, reporter: Reporter) -> list[Check]:
    """Where encoded pictures meet copied ones everything decodes, and what was encoded looks like the take."""
    reading, clock, ends = request.reading, copied.clock, copied.ends
    shown = sorted(ends.decode)
    base = shown[0] * clock
    near = [shown[: len(ends.head) + 2] if ends.head else [], shown[-len(ends.tail) - 2 :] if ends.tail else []]
    wanted = [pts for stretch in near for pts in stretch]
    least, seen = 100.0, 0
    for stretch in near:
        if not stretch:
            continue
        take = {frame.pts: luma(frame) for frame in pictures_of(request.path, reading, stretch, clock, reporter)}
        for pts, frame in zip(stretch, _shown_at(part, [pts * clock - base for pts in stretch], reporter), strict=False):
            if frame is None or pts not in take:
                continue
            seen += 1
            error = float(((luma(frame).astype(np.float32) - take[pts].astype(np.float32)) ** 2).mean())
            least = min(least, psnr_db(error))
    good = seen == len(wanted) and least >= _LEAST_DB
    told = f"{sum(copied.encoded)} of {len(shown)} pictures encoded, {seen} of {len(wanted)} there decode, {least:.1f} dB at least"
    return [Check(name="exact ends", passed=good, found=told)]


def _shown_at(path: Path, moments: Sequence[Fraction], reporter: Reporter) -> list[av.VideoFrame | None]:
    """The pictures of a copy at these seconds, ascending."""
    found: list[av.VideoFrame | None] = []
    waiting = list(moments)
    for frame in frames_from(path, start_seconds=max(Fraction(0), moments[0] - Fraction(1, 100)), first_seconds=Fraction(0)):
        reporter.check()
        at = (frame.pts or 0) * Fraction(frame.time_base or 1)
        while waiting and at > waiting[0] + Fraction(1, 500):
            found.append(None)
            waiting.pop(0)
        if waiting and abs(at - waiting[0]) <= Fraction(1, 500):
            found.append(frame)
            waiting.pop(0)
        if not waiting:
            break
    return found + [None] * len(waiting)
