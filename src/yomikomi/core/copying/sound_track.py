"""One sound stream of a copy: kept in time with the picture, resampled and encoded."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from fractions import Fraction

import av
import av.container
import av.filter
import numpy as np

from yomikomi.core.copying.witness import SoundWitness
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.recipes.sound import SOUND_CODECS, SOUND_RATE, sound_layout
from yomikomi.core.treatment.joints import Joints
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.treatment.sounding import SoundPlan
from yomikomi.core.treatment.stretching import Stretcher
from yomikomi.core.video.blocks import part_of

_RATE = SOUND_RATE
# A longer gap is filled by silence in pieces of this; the library would make all of it at once.
_SILENCE_S = Fraction(1, 2)


class SoundTrack:
    """Encodes a source stream into a new stream of the sink.

    Parameters
    ----------
    first : time stamp of the first picture in seconds; sound is shifted by it, so that both start together.
    plan : what its treatment does to it.
    pieces : what is kept of the take.
    witness : listens to what the encoder is given.
    """

    def __init__(
        self,
        sink: av.container.OutputContainer,
        source: av.AudioStream,
        recipe: Recipe,
        *,
        first: Fraction,
        plan: SoundPlan | None = None,
        pieces: Pieces | None = None,
        witness: SoundWitness | None = None,
    ) -> None:
        self.source, self._witness = source, witness
        self._filters = plan.filters if plan is not None else ()
        codec = SOUND_CODECS[recipe.sound_codec]
        self._frame_size, self._format = codec.packet_samples, codec.sample_format
        channels = recipe.channels_of(plan.channels if plan is not None else source.codec_context.channels)
        self._layout = sound_layout(channels)[0]
        stream = sink.add_stream(codec.encoder, rate=_RATE, layout=self._layout)
        assert isinstance(stream, av.AudioStream)
        self.stream = stream
        if codec.lossless_share is None:
            self.stream.codec_context.bit_rate = recipe.sound_bits_per_second(channels)
        for key in ("language", "title"):
            if source.metadata.get(key):
                self.stream.metadata[key] = source.metadata[key]
        self._first, self._later = first, plan.later if plan is not None else Fraction(0)
        self._stretcher = Stretcher(plan.stretch) if plan is not None and plan.stretch != 1 else None
        self._graph: av.filter.Graph | None = None
        self._like = ("", "", 0)
        self._matchers: dict[tuple[str, str, int], av.AudioResampler] = {}
        self._samples = 0
        self._pieces = pieces if pieces is not None else Pieces()
        self._joints = Joints(self._pieces)
        self._next: Fraction = Fraction(0)  # seconds of the output where the sound given so far ends
        # Seconds after the first picture where what was pushed so far ends: as it came, and moved and stretched.
        self._given = self._came = Fraction(0)

    def push(self, frame: av.AudioFrame) -> Iterator[av.Packet]:
        """Give a decoded block, take packets. A gap before it becomes silence, piece by piece."""
        base = Fraction(frame.time_base or Fraction(1, frame.sample_rate))
        begin = frame.pts * base - self._first if frame.pts is not None else self._given
        self._given = begin + Fraction(frame.samples, frame.sample_rate)
        if self._stretcher is None:
            yield from self._moved(frame, begin + self._later)
            return
        for made, at in self._stretcher.push(frame, begin):
            yield from self._moved(made, at + self._later)

    def _moved(self, frame: av.AudioFrame, begin: Fraction) -> Iterator[av.Packet]:
        """``begin``: seconds after the first picture where the block is to be heard."""
        self._came = begin + Fraction(frame.samples, frame.sample_rate)
        frame = self._joints.softened(frame, begin)
        for piece in self._pieces.inside(begin, self._came):
            assert piece.end is not None
            first, count = (round(part * frame.sample_rate) for part in (piece.begin - begin, piece.end - piece.begin))
            yield from self._place(part_of(frame, first, count), piece.at)

    def _place(self, frame: av.AudioFrame, at: Fraction) -> Iterator[av.Packet]:
        while at - self._next > 2 * _SILENCE_S:
            yield from self._give(self._silence(frame), self._next)
            self._next += _SILENCE_S
        yield from self._give(frame, at)
        self._next = max(self._next, at + Fraction(frame.samples, frame.sample_rate))

    @property
    def given_to(self) -> Fraction:
        """Seconds of the copy up to which there is sound."""
        return self._next

    @property
    def over(self) -> bool:
        """Whether all that comes is cut off."""
        end = self._pieces.all[-1].end
        return end is not None and self._came >= end

    def finish(self) -> list[av.Packet]:
        made: list[av.Packet] = []
        if self._stretcher is not None:
            for block, at in self._stretcher.finish():
                made += self._moved(block, at + self._later)
        if self._graph is None:
            return made
        self._input.push(None)
        return [*made, *self._encode(), *self.stream.encode(None)]

    def _give(self, frame: av.AudioFrame, begin: Fraction) -> Iterator[av.Packet]:
        if self._graph is None:
            self._build(frame)
            self._like = frame.format.name, frame.layout.name, frame.sample_rate
        frame.time_base = Fraction(1, frame.sample_rate)
        frame.pts = round(begin * frame.sample_rate)
        for made in self._as_before(frame):
            self._input.push(made)
            yield from self._encode()

    def _as_before(self, frame: av.AudioFrame) -> list[av.AudioFrame]:
        """A stream may change its kind on the way, as broadcasts do: what comes then is brought into the kind it began with."""
        kind = frame.format.name, frame.layout.name, frame.sample_rate
        if kind == self._like:
            return [frame]
        if kind not in self._matchers:
            name, layout, rate = self._like
            self._matchers[kind] = av.AudioResampler(format=name, layout=layout, rate=rate)
        return self._matchers[kind].resample(frame)

    @staticmethod
    def _silence(like: av.AudioFrame) -> av.AudioFrame:
        count = round(_SILENCE_S * like.sample_rate)
        channels = len(like.layout.channels)
        planar = like.format.is_planar
        kind = np.asarray(like.to_ndarray()).dtype
        level = 128 if kind == np.uint8 else 0
        samples = np.full((channels, count) if planar else (1, count * channels), level, kind)
        made = av.AudioFrame.from_ndarray(samples, format=like.format.name, layout=like.layout.name)
        made.sample_rate = like.sample_rate
        return made

    def _build(self, frame: av.AudioFrame) -> None:
        """Small gaps are filled and overlaps cut by the stamps (async); what lies before the first picture is cut off."""
        graph = av.filter.Graph()
        self._input = graph.add(
            "abuffer",
            f"sample_rate={frame.sample_rate}:sample_fmt={frame.format.name}:channel_layout={frame.layout.name}"
            f":time_base=1/{frame.sample_rate}",
        )
        nodes = [
            self._input,
            graph.add("aresample", f"{_RATE}:async=1:min_hard_comp=0.05:first_pts=0"),
            *(graph.add(name, options) for name, options in self._filters),
            graph.add("aformat", f"sample_fmts={self._format}:sample_rates={_RATE}:channel_layouts={self._layout}"),
            graph.add("asetnsamples", f"n={self._frame_size}:p=0"),
            graph.add("abuffersink"),
        ]
        for one, two in itertools.pairwise(nodes):
            one.link_to(two)
        graph.configure()
        self._graph, self._output = graph, nodes[-1]

    def _encode(self) -> Iterator[av.Packet]:
        while True:
            try:
                frame = self._output.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            assert isinstance(frame, av.AudioFrame)
            frame.pts = self._samples
            frame.time_base = Fraction(1, _RATE)
            if self._witness is not None:
                self._witness.hear(frame, self._samples / _RATE)
            self._samples += frame.samples
            yield from self.stream.encode(frame)

