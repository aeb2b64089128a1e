"""Filter graphs of the library, built from a line of filters and driven frame by frame."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from fractions import Fraction

import av
import av.filter


class FilterLine:
    """A straight line of filters with one input and one output.

    Parameters
    ----------
    filters : (name, arguments) in order, e.g. ``[("bwdif", "mode=send_field:parity=tff")]``.
    template : a frame whose size, format, shape and colour tags all frames share.
    time_base : of the frames pushed.
    rate : nominal rate of the frames pushed; some filters ask for it.
    """

    def __init__(
        self,
        filters: list[tuple[str, str]],
        *,
        template: av.VideoFrame,
        time_base: Fraction,
        rate: Fraction,
        sample_aspect: Fraction = Fraction(1),
    ) -> None:
        self._graph = av.filter.Graph()
        source = self._graph.add(
            "buffer",
            f"video_size={template.width}x{template.height}:pix_fmt={template.format.name}"
            f":time_base={time_base.numerator}/{time_base.denominator}"
            f":pixel_aspect={sample_aspect.numerator}/{sample_aspect.denominator}"
            f":frame_rate={rate.numerator}/{rate.denominator}"
            f":colorspace={int(template.colorspace)}:range={int(template.color_range)}",
        )
        nodes = [source, *(self._graph.add(name, args) for name, args in filters), self._graph.add("buffersink")]
        for one, two in itertools.pairwise(nodes):
            one.link_to(two)
        self._graph.configure()
        self._source, self._sink = source, nodes[-1]

    def push(self, frame: av.VideoFrame | None) -> Iterator[av.VideoFrame]:
        """Give one frame (None at the end) and take all that come out."""
        self._source.push(frame)
        while True:
            try:
                out = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            if isinstance(out, av.VideoFrame):
                yield out


class SoundLine:
    """A straight line of sound filters with one input and one output; samples keep their number.

    Parameters
    ----------
    like : a block whose format, layout and rate all blocks share.
    sample_format : of what comes out.
    """

    def __init__(self, filters: Sequence[tuple[str, str]], *, like: av.AudioFrame, sample_format: str) -> None:
        self._graph = av.filter.Graph()
        self._source = self._graph.add(
            "abuffer",
            f"sample_rate={like.sample_rate}:sample_fmt={like.format.name}:channel_layout={like.layout.name}:time_base=1/{like.sample_rate}",
        )
        nodes = [
            self._source,
            *(self._graph.add(name, options) for name, options in filters),
            self._graph.add("aformat", f"sample_fmts={sample_format}:sample_rates={like.sample_rate}:channel_layouts={like.layout.name}"),
            self._graph.add("abuffersink"),
        ]
        for one, two in itertools.pairwise(nodes):
            one.link_to(two)
        self._graph.configure()
        self._sink = nodes[-1]

    def push(self, block: av.AudioFrame | None) -> Iterator[av.AudioFrame]:
        """Give one block (None at the end) and take all that come out."""
        self._source.push(block)
        while True:
            try:
                out = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            if isinstance(out, av.AudioFrame):
                yield out
