"""A treated take, or a stretch of it, as a lossless file: FFV1 pictures, sound as PCM, in Matroska."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import av.container
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.reading.current import check_current
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.joined import JoinedSound, open_joined
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Kept, Pieces
from yomikomi.core.treatment.sounding import plan_of
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.treatment.treated import TreatedFrames
from yomikomi.core.treatment.treated_sound import TreatedSound
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media
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
        tracks = [
            _Track(sink, request, number, stream)
            for number, stream in enumerate(heard_streams(source)) if request.treatment.takes_sound(number)
        ]  # fmt: skip
        for joined in request.treatment.joined:
            with open_joined(joined, reporter.check) as (_, stream, _begin):
                tracks.append(_Track(sink, request, joined, stream))
        frames = 0
        for frame in treated:
            sink.mux(video.encode(frame))
            frames += 1
            if frames % _REPORT_EVERY == 0:
                reporter.report(RenderProgress(min(1.0, frames / max(1, len(span)))))
        if not frames:
            raise UnreadableError(f"No frame of {request.path.name} can be decoded there.", remedy="Read it again.", path=request.path)
        sink.mux(video.encode(None))
        for track in tracks:
            for packet in track.packets(pieces, reporter.check):
                sink.mux(packet)
    return frames, len(tracks)


class _Track:
    """One sound stream, cut to the samples of the span; nothing is resampled."""

    def __init__(
        self, sink: av.container.OutputContainer, request: RenderRequest, track: int | JoinedSound, source: av.AudioStream
    ) -> None:
        self._request, self._source = request, track
        context, seconds = source.codec_context, Timing.of(request.reading, request.treatment).seconds
        plan = plan_of(request.treatment, track, context.layout, seconds)
        self.rate = context.sample_rate or 48_000
        kind, layout = "pcm_s24le" if _deep(context) else "pcm_s16le", plan.layout or context.layout.name
        stream = sink.add_stream(kind, rate=self.rate, layout=layout)
        assert isinstance(stream, av.AudioStream)
        self._stream = stream
        if source.language:
            self._stream.metadata["language"] = source.language

    def packets(self, pieces: Pieces, check: Callable[[], None]) -> Iterator[av.Packet]:
        """The samples of ``pieces`` of the take."""
        kind, asked = self._stream.codec_context.format.name, self._request
        for place, block in TreatedSound(asked.path, asked.reading, asked.treatment, self._source, pieces, kind, check):
            block.pts, block.time_base = place, Fraction(1, self.rate)
            yield from self._stream.encode(block)
        yield from self._stream.encode(None)


def _deep(context: av.AudioCodecContext) -> bool:
    return context.format.name not in {"s16", "s16p", "u8", "u8p"}
