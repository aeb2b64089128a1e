"""A treated take, or a stretch of it, as a lossless file: FFV1 pictures, sound as PCM, in Matroska."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.reading.current import check_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Kept, Pieces
from yomikomi.core.treatment.sounding import sound_plan
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.video.graph import SoundLine
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media
from yomikomi.core.video.packets import frames_of
from yomikomi.core.video.rates import fraction_text
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import new_file

# Formats that FFV1 takes as they are; others become 4:2:0 (findings).
_TAKEN = {"yuv420p", "yuv422p", "yuv444p", "yuv420p10le", "yuv422p10le", "yuv444p10le", "yuv420p12le", "yuv422p12le", "yuv444p12le"}
_REPORT_EVERY = 10


@dataclass(frozen=True)
class RenderRequest:
    """``span``: seconds of the treated take, from and to; None: all of it."""

    path: Path
    target: Path
    reading: Reading
    treatment: Treatment
    span: tuple[Fraction, Fraction] | None = None


@dataclass(frozen=True)
class RenderProgress:
    part: float
    step: str = ""


class Rendered(BaseModel):
    """``yomikomi treat``: what was written."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    file: str
    treatment: Treatment
    digest: str = Field(description="of the treatment: the same for the same corrections")
    words: str
    frames: int
    rate: str = Field(description="frames a second, exact")
    width: int
    height: int
    sample_aspect: str
    sound_tracks: int
    interpolated: int = Field(description="film pictures of which one field is nowhere")
    mended: int = Field(description="pictures that showed combing where the cadence says they should not")
    left_out: int = Field(description="film pictures left out where the cadence breaks")
    repeated: int = Field(description="film pictures shown twice where the cadence breaks")


def render(request: RenderRequest, reporter: Reporter) -> Rendered:
    """Raises WrongUseError (nothing in the span), UnreadableError, UnfinishedError where the take is not the one that was read,
    CancelledError, NameTakenError and what the drive says."""
    reading = request.reading
    check_current(request.path, reading, reporter.check)
    kind = reading.pixel_format if reading.pixel_format in _TAKEN else "yuv420p"
    treated = TreatedFrames(request.path, reading, request.treatment, _span(request), kind, reporter.check, None)
    with new_file(request.target, safe="The take is untouched.") as made:
        frames, sounds = _write(request, treated, made.part, reporter)
        set_display_shape(made.part, treated.format.geometry)
        kept = made.keep()
    shape, told = treated.format.geometry, treated.told
    return Rendered(
        file=kept.name, treatment=request.treatment, digest=request.treatment.digest,
        words=request.treatment.words(treated.before), frames=frames, rate=fraction_text(treated.format.rate), width=shape.width,
        height=shape.height, sample_aspect=fraction_text(shape.sample_aspect), sound_tracks=sounds, interpolated=told.interpolated,
        mended=told.mended, left_out=told.left_out, repeated=told.repeated,
    )  # fmt: skip


def _span(request: RenderRequest) -> range | None:
    if request.span is None:
        return None
    timing = Timing.of(request.reading, request.treatment)
    rate, frames = timing.rate, timing.frames
    first, end = (max(0, min(frames, round(at * rate))) for at in request.span)
    if end <= first:
        raise WrongUseError(
            f"Nothing lies between {float(request.span[0]):g} and {float(request.span[1]):g} s of {request.path.name}.",
            remedy=f"It lasts {float(frames / rate):.2f} s.",
        )
    return range(first, end)


def _write(request: RenderRequest, treated: TreatedFrames, part: Path, reporter: Reporter) -> tuple[int, int]:
    """Frames and sound tracks written."""
    rate, span = treated.format.rate, treated.span or range(treated.timing.frames)
    pieces = Pieces.of(Kept(tuple(treated.timing.kept.stretches(span))), rate)
    with open_media(request.path) as source, av.open(str(part), "w", format="matroska") as sink:
        video = sink.add_stream("ffv1", rate=rate, options={"level": "3", "slicecrc": "1", "g": "1"})
        assert isinstance(video, av.VideoStream)
        shape = treated.format.geometry
        video.width, video.height, video.pix_fmt = shape.width, shape.height, treated.format.pixel_format
        video.codec_context.time_base = 1 / rate
        video.codec_context.sample_aspect_ratio = shape.sample_aspect
        treated.format.colour.put_on(video.codec_context)
        tracks = [_Track(sink, stream) for stream in heard_streams(source)]
        frames = 0
        for frame in treated:
            sink.mux(video.encode(frame))
            frames += 1
            if frames % _REPORT_EVERY == 0:
                reporter.report(RenderProgress(min(1.0, frames / max(1, len(span)))))
        if not frames:
            raise UnreadableError(f"No frame of {request.path.name} can be decoded there.", remedy="Read it again.", path=request.path)
        sink.mux(video.encode(None))
        for number, track in enumerate(tracks):
            with open_media(request.path) as again:
                for packet in track.packets(again, number, request, pieces, reporter):
                    sink.mux(packet)
    return frames, len(tracks)


class _Track:
    """One sound stream, cut to the samples of the span; nothing is resampled."""

    def __init__(self, sink: av.container.OutputContainer, source: av.AudioStream) -> None:
        context = source.codec_context
        self.rate = context.sample_rate or 48_000
        self._stream = sink.add_stream("pcm_s24le" if _deep(context) else "pcm_s16le", rate=self.rate, layout=context.layout.name)
        self._line: SoundLine | None = None
        if source.language:
            self._stream.metadata["language"] = source.language

    def packets(
        self,
        container: av.container.InputContainer,
        number: int,
        request: RenderRequest,
        pieces: Pieces,
        reporter: Reporter,
    ) -> Iterator[av.Packet]:
        """The samples of ``pieces`` of the take."""
        stream = heard_streams(container)[number]
        whole_begin, whole_end = Timing.of(request.reading, request.treatment).between
        plan = sound_plan(request.treatment, number, stream.codec_context.layout, whole_end - whole_begin)
        first = Fraction(request.reading.first_seconds) - plan.later
        wanted = [tuple(round(at * self.rate) for at in (one.begin, one.end or one.begin, one.at)) for one in pieces.all]
        place: int | None = None
        for decoded in frames_of(container, stream, request.path):
            reporter.check()
            if place is None or decoded.pts is not None:
                base = Fraction(decoded.time_base or Fraction(1, self.rate))
                stamped = round(((decoded.pts or 0) * base - first) * self.rate)
                # Stamps of milliseconds jitter by less than a block lasts: sound goes on where it ended unless it is farther off.
                place = stamped if place is None or abs(stamped - place) > self.rate // 50 else place
            if place >= wanted[-1][1]:
                break
            self._line = self._line or SoundLine(plan.filters, like=decoded, sample_format=self._stream.codec_context.format.name)
            decoded.pts, decoded.time_base = place - round(whole_begin * self.rate), Fraction(1, self.rate)  # fades go by them
            for block in self._line.push(decoded):
                for start, stop, at in wanted:
                    yield from self._give(block, place, start, stop, at)
                place += block.samples
        yield from self._stream.encode(None)

    def _give(self, block: av.AudioFrame, place: int, start: int, stop: int, at: int) -> Iterator[av.Packet]:
        skip, keep = max(0, start - place), min(block.samples, stop - place)
        if keep <= skip:
            return
        channels = block.layout.nb_channels
        samples: NDArray[Any] = np.ascontiguousarray(block.to_ndarray().reshape(-1, channels)[skip:keep].reshape(1, -1))
        made = av.AudioFrame.from_ndarray(samples, format=block.format.name, layout=block.layout.name)
        made.sample_rate, made.pts, made.time_base = self.rate, at + place + skip - start, Fraction(1, self.rate)
        yield from self._stream.encode(made)


def _deep(context: av.AudioCodecContext) -> bool:
    return context.format.name not in {"s16", "s16p", "u8", "u8p"}
