"""Treated sound of a take or of a stretch of it, in the samples that the take has: nothing is resampled."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.joined import JoinedSound, open_joined
from yomikomi.core.treatment.joints import Joints
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.treatment.sounding import SoundPlan, plan_of
from yomikomi.core.treatment.stretching import Stretcher, exact_stretch
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.blocks import part_of
from yomikomi.core.video.graph import SoundLine
from yomikomi.core.video.media import heard_streams, open_media
from yomikomi.core.video.packets import BARE_STREAMS, frames_of

_USUAL_RATE = 48_000
# A seek lands before what is wanted, and filters settle.
_EARLY = Fraction(2)


@dataclass
class TreatedSound:
    """Blocks of sound with their places, in samples of the output from its beginning, in order and not overlapping. Where there is no
    sound, no block comes.

    Parameters
    ----------
    track : number of the sound stream, from 0; or a separately recorded sound.
    pieces : what is wanted, of what the treatment keeps.
    sample_format : of the blocks, as the library names it; packed.
    check : called for every block; may raise to stop.
    from_near : begin to decode shortly before the first piece. Filters begin there too, so that samples differ a little from those of a
        pass over all of it.
    """

    path: Path
    reading: Reading
    treatment: Treatment
    track: int | JoinedSound
    pieces: Pieces
    sample_format: str
    check: Callable[[], None] = lambda: None
    from_near: bool = False

    def __iter__(self) -> Iterator[tuple[int, av.AudioFrame]]:
        if isinstance(self.track, JoinedSound):
            with open_joined(self.track, self.check) as (container, stream, begins):
                yield from self._blocks(container, stream, begins)
        else:
            with open_media(self.path) as container:
                yield from self._blocks(container, heard_streams(container)[self.track], Fraction(self.reading.first_seconds))

    @property
    def _timing(self) -> Timing:
        return Timing.of(self.reading, self.treatment)

    def _blocks(
        self, container: av.container.InputContainer, stream: av.AudioStream, first: Fraction
    ) -> Iterator[tuple[int, av.AudioFrame]]:
        """``first``: the moment of the stream that places count from."""
        rate = stream.codec_context.sample_rate or _USUAL_RATE
        begins, ends = self._timing.between
        plan = plan_of(self.treatment, self.track, stream.codec_context.layout, ends - begins)  # cut after it is filtered
        joints = Joints(self._timing.pieces)
        wanted = [tuple(round(at * rate) for at in (one.begin, one.end or ends, one.at)) for one in self.pieces.all]
        self._seek(container, stream, plan, first)
        line: SoundLine | None = None
        for given, place in self._placed(container, stream, plan, first, rate):
            if place >= wanted[-1][1]:
                return
            line = line or SoundLine(plan.filters, like=given, sample_format=self.sample_format, layout=plan.layout)
            given.pts, given.time_base = place - round(begins * rate), Fraction(1, rate)  # fades go by them
            at_block = place
            for block in line.push(given):
                soft = joints.softened(block, Fraction(at_block, rate))
                for start, stop, at in wanted:
                    skip, end = max(0, start - at_block), min(block.samples, stop - at_block)
                    if skip < end:
                        yield at + at_block + skip - start, part_of(soft, skip, end - skip)
                at_block += block.samples

    def _placed(
        self, container: av.container.InputContainer, stream: av.AudioStream, plan: SoundPlan, first: Fraction, rate: int
    ) -> Iterator[tuple[av.AudioFrame, int]]:
        """Decoded blocks, stretched, with their places in samples after the first picture."""
        stretcher = Stretcher(plan.stretch) if plan.stretch != 1 else None
        ends: int | None = None
        for decoded in frames_of(container, stream, self.path):
            self.check()
            base = Fraction(decoded.time_base or Fraction(1, rate))
            place = round(((decoded.pts or 0) * base - first) * rate) if ends is None or decoded.pts is not None else ends
            # Stamps of milliseconds jitter by less than a block lasts: sound goes on where it ended unless it is farther off.
            if ends is not None and abs(place - ends) <= rate // 50:
                place = ends
            ends = place + decoded.samples
            if stretcher is None:
                yield decoded, place + round(plan.later * rate)
            else:
                for made, begin in stretcher.push(decoded, Fraction(place, rate)):
                    yield made, round((begin + plan.later) * rate)
        if stretcher is not None:
            for made, begin in stretcher.finish():
                yield made, round((begin + plan.later) * rate)

    def _seek(self, container: av.container.InputContainer, stream: av.AudioStream, plan: SoundPlan, first: Fraction) -> None:
        begin = (self.pieces.all[0].begin - plan.later) / exact_stretch(plan.stretch) - _EARLY
        if self.from_near and begin > 0 and container.format.name not in BARE_STREAMS:
            container.seek(int((first + begin) / (stream.time_base or Fraction(1, 1000))), stream=stream)
