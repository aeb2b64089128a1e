"""Filter graphs of the library, built from a line of filters and driven frame by frame."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Generic, TypeVar

import av
import av.filter

_Given = TypeVar("_Given", av.VideoFrame, av.AudioFrame)


def quoted(path: Path) -> str:
    """A file's name as the library reads it in the options of a filter: everything between single quotes stands for itself."""
    return "'" + str(path).replace("'", r"'\''") + "'"


class _Line(Generic[_Given]):
    """A straight line of filters with one input and one output, that takes and gives things of one ``kind``."""

    def __init__(self, kind: type[_Given], source: tuple[str, str], filters: Iterable[tuple[str, str]], sink: str) -> None:
        self._kind: type[_Given] = kind
        self._graph = av.filter.Graph()
        nodes = [self._graph.add(name, options) for name, options in (source, *filters)] + [self._graph.add(sink)]
        for one, two in itertools.pairwise(nodes):
            one.link_to(two)
        self._graph.configure()
        self._source, self._sink = nodes[0], nodes[-1]

    def push(self, given: _Given | None) -> Iterator[_Given]:
        """Give one (None at the end) and take all that come out."""
        self._source.push(given)
        while True:
            try:
                out = self._sink.pull()
            except (av.error.BlockingIOError, av.error.EOFError):
                return
            if isinstance(out, self._kind):
                yield out


class FilterLine(_Line[av.VideoFrame]):
    """A line of filters for pictures.

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
        options = (
            f"video_size={template.width}x{template.height}:pix_fmt={template.format.name}"
            f":time_base={time_base.numerator}/{time_base.denominator}"
            f":pixel_aspect={sample_aspect.numerator}/{sample_aspect.denominator}"
            f":frame_rate={rate.numerator}/{rate.denominator}"
            f":colorspace={int(template.colorspace)}:range={int(template.color_range)}"
        )
        super().__init__(av.VideoFrame, ("buffer", options), filters, "buffersink")


class SoundLine(_Line[av.AudioFrame]):
    """A line of filters for blocks of sound; samples keep their number.

    Parameters
    ----------
    like : a block whose format, layout and rate all blocks share.
    sample_format : of what comes out.
    layout : of what comes out; empty: that of ``like``.
    """

    def __init__(self, filters: Sequence[tuple[str, str]], *, like: av.AudioFrame, sample_format: str, layout: str = "") -> None:
        options = (
            f"sample_rate={like.sample_rate}:sample_fmt={like.format.name}:channel_layout={like.layout.name}:time_base=1/{like.sample_rate}"
        )
        form = ("aformat", f"sample_fmts={sample_format}:sample_rates={like.sample_rate}:channel_layouts={layout or like.layout.name}")
        super().__init__(av.AudioFrame, ("abuffer", options), (*filters, form), "abuffersink")
