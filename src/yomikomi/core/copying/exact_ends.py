"""A part of a take copied exactly: whole groups of pictures as they are, and only what lies before the first and behind the last of them
encoded, with headers of its own beside those of the take.

H.264 alone: its headers are numbered, so that two encoders' pictures can stand in one stream.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.codec.context import Flags

from yomikomi.core.balance.leaving import why_not_exact
from yomikomi.core.balance.metrics import psnr_db
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.copied_streams import CopiedStreams, Part
from yomikomi.core.copying.h264_headers import Configuration, begins_anew, with_lengths
from yomikomi.core.errors import UnfinishedError, WrongUseError
from yomikomi.core.recipes.plan import plan_for, set_up
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.steps import Trim
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.picture_at import pictures_at
from yomikomi.core.video.planes import luma

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
        if self.told.flagged_field_order in {"tff", "bff"}:
            raise WrongUseError("The take says that its pictures are interlaced, so it cannot be cut exactly.", remedy=_ADVICE)
        own = Configuration.of(bytes(self.picture.codec_context.extradata or b""))
        if own is None:
            raise WrongUseError("The take's H.264 is not kept as in MP4 or Matroska, so it cannot be cut exactly.", remedy=_ADVICE)
        self.clock = clock = Fraction(self.picture.time_base or 1)  # outlives the open file
        self._own = own
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
        number = self._own.free_number
        header, head = self._encode(self.ends.head, number)
        other, self._tail = self._encode(self.ends.tail, number)
        if header and other and header != other:
            raise UnfinishedError("The two ends could not be encoded alike.", remedy=_ADVICE, path=self.request.path)
        if header or other:
            self.tracks[self.picture_index].sink.codec_context.extradata = self._own.beside(header or other).data
        self._put(head, base)

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

    def _encode(self, stamps: Sequence[int], sets: int) -> tuple[bytes, list[av.Packet]]:
        """The stream's header and packets of pictures of the take. ``sets``: number of its parameter sets."""
        if not stamps:
            return b"", []
        reading, recipe = self.request.reading, recipe_for("h264", _QUALITY, speed="medium")
        treated = replace(source_format(reading), pixel_format="yuv420p")
        plan = plan_for(recipe, treated)
        plan = replace(plan, params={**plan.params, "sps-id": str(sets), "bframes": "0", "scenecut": "0", "keyint": "99999"})
        encoder = av.CodecContext.create(plan.encoder, "w")
        assert isinstance(encoder, av.VideoCodecContext)
        set_up(encoder, recipe, treated, plan, plan.in_pass(1, None))
        clock = encoder.time_base = self.clock
        self.told.colour.put_on(encoder)  # what the file says, not what is taken for it where it says nothing
        encoder.flags |= Flags.global_header
        encoder.open()
        packets: list[av.Packet] = []
        for number, frame in self._of_take(stamps):
            kept = frame.reformat(format="yuv420p")
            kept.pts, kept.time_base, kept.pict_type = stamps[number], clock, av.video.frame.PictureType.NONE
            packets += encoder.encode(kept)
        packets += encoder.encode(None)
        if len(packets) != len(stamps):
            raise UnfinishedError(
                f"{len(stamps) - len(packets)} of the pictures at the ends could not be decoded.", remedy=_ADVICE, path=self.request.path
            )
        return bytes(encoder.extradata or b""), packets

    def _of_take(self, stamps: Sequence[int]) -> Iterator[tuple[int, av.VideoFrame]]:
        moments = [pts * self.clock - self.first for pts in stamps]
        return pictures_at(self.request.path, moments, self.reporter.check, first_seconds=self.first)

    def own_checks(self, part: Path) -> list[Check]:
        """Where encoded pictures meet copied ones everything decodes, and what was encoded looks like the take."""
        shown, (head, tail) = sorted(self.ends.decode), self.encoded
        near = [stretch for stretch in (shown[: head + 2] if head else [], shown[-tail - 2 :] if tail else []) if stretch]
        least, seen = 100.0, 0
        for stretch in near:
            copies = pictures_at(part, [(pts - shown[0]) * self.clock for pts in stretch], self.reporter.check)
            for one, two in _both(copies, self._of_take(stretch)):
                seen += 1
                error = float(((luma(one).astype(np.float32) - luma(two).astype(np.float32)) ** 2).mean())
                least = min(least, psnr_db(error))
        wanted = sum(map(len, near))
        told = f"{head + tail} of {len(shown)} pictures encoded, {seen} of {wanted} there decode, {least:.1f} dB at least"
        return [Check(name="exact ends", passed=seen == wanted and least >= _LEAST_DB, found=told)]

    def _put(self, packets: Sequence[av.Packet], base: Fraction) -> None:
        track, clock = self.tracks[self.picture_index], self.clock
        for made in packets:
            packet = av.Packet(with_lengths(bytes(made)))
            pts = made.pts or 0
            packet.pts, packet.dts, packet.time_base, packet.is_keyframe = pts, self.ends.decode[pts], clock, made.is_keyframe
            track.stamps.append(pts * clock - base)
            self._mux(packet, track, base)


def _both(
    some: Iterator[tuple[int, av.VideoFrame]], others: Iterator[tuple[int, av.VideoFrame]]
) -> Iterator[tuple[av.VideoFrame, av.VideoFrame]]:
    """Pictures of the same number, where both have one."""
    other = next(others, None)
    for number, frame in some:
        while other is not None and other[0] < number:
            other = next(others, None)
        if other is not None and other[0] == number:
            yield frame, other[1]
