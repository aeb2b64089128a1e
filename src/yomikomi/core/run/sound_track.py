"""One sound stream of a copy: kept in time with the picture, resampled and encoded."""

from __future__ import annotations

import itertools
from fractions import Fraction

import av
import av.container
import av.filter

_ENCODERS = {"aac": ("aac", 1024, "fltp"), "opus": ("libopus", 960, "flt")}
_RATE = 48_000


class SoundTrack:
    """Encodes a source stream into a new stream of the sink.

    Parameters
    ----------
    first : time stamp of the first picture in seconds; sound is shifted by it, so that both start together.
    """

    def __init__(self, sink: av.container.OutputContainer, source: av.AudioStream, codec: str, *, first: Fraction, bit_rate: int) -> None:
        self.source = source
        name, self._frame_size, self._format = _ENCODERS[codec]
        self._layout = _layout(source.codec_context.channels)
        stream = sink.add_stream(name, rate=_RATE, layout=self._layout)
        assert isinstance(stream, av.AudioStream)
        self.stream = stream
        self.stream.codec_context.bit_rate = bit_rate
        if source.language:
            self.stream.metadata["language"] = source.language
        self._first = first
        self._graph: av.filter.Graph | None = None
        self._samples = 0

    def push(self, frame: av.AudioFrame) -> list[av.Packet]:
        if self._graph is None:
            self._build(frame)
        if frame.pts is not None and frame.time_base:
            frame.pts -= round(self._first / Fraction(frame.time_base))
        self._input.push(frame)
        return self._encode()

    def finish(self) -> list[av.Packet]:
        if self._graph is None:
            return []
        self._input.push(None)
        return [*self._encode(), *self.stream.encode(None)]

    def _build(self, frame: av.AudioFrame) -> None:
        """Gaps are filled and overlaps cut by the stamps (async); what lies before the first picture is cut off."""
        graph = av.filter.Graph()
        base = Fraction(frame.time_base or Fraction(1, frame.sample_rate))
        self._input = graph.add(
            "abuffer",
            f"sample_rate={frame.sample_rate}:sample_fmt={frame.format.name}:channel_layout={frame.layout.name}"
            f":time_base={base.numerator}/{base.denominator}",
        )
        nodes = [
            self._input,
            graph.add("aresample", f"{_RATE}:async=1:min_hard_comp=0.05:first_pts=0"),
            graph.add("aformat", f"sample_fmts={self._format}:sample_rates={_RATE}:channel_layouts={self._layout}"),
            graph.add("asetnsamples", f"n={self._frame_size}:p=0"),
            graph.add("abuffersink"),
        ]
        for one, two in itertools.pairwise(nodes):
            one.link_to(two)
        graph.configure()
        self._graph, self._output = graph, nodes[-1]

    def _encode(self) -> list[av.Packet]:
        packets: list[av.Packet] = []
        while True:
            try:
                frame = self._output.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return packets
            assert isinstance(frame, av.AudioFrame)
            frame.pts = self._samples
            frame.time_base = Fraction(1, _RATE)
            self._samples += frame.samples
            packets += self.stream.encode(frame)


def _layout(channels: int) -> str:
    return {1: "mono", 2: "stereo", 6: "5.1"}.get(channels, "stereo")
