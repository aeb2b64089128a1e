"""Making one copy: decode, treat, encode, write."""

from __future__ import annotations

import contextlib
import tempfile
import time
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from pathlib import Path

import av
import av.container

from yomikomi.core.balance.besides import other_bytes
from yomikomi.core.balance.kept import Pace
from yomikomi.core.balance.prediction import PredictRequest, nearest_quality
from yomikomi.core.copying.aiming import Aim
from yomikomi.core.copying.coded_pictures import CodedPictures
from yomikomi.core.copying.containers import open_copy
from yomikomi.core.copying.copied_sound import CopiedPackets, CopiedTrack
from yomikomi.core.copying.first_pass import first_pass
from yomikomi.core.copying.joining import JoinedTrack
from yomikomi.core.copying.line21_track import Line21Track
from yomikomi.core.copying.others import NONE_CARRIED, Carried, Others, uncounted
from yomikomi.core.copying.request import CopyProgress, CopyRequest, chain_of
from yomikomi.core.copying.sound_track import SoundTrack
from yomikomi.core.copying.witness import SoundWitness, Witness, Witnesses
from yomikomi.core.errors import UnfinishedError, UnreadableError
from yomikomi.core.recipes.copied_sound import check_copied_sound
from yomikomi.core.recipes.plan import EncoderPlan, check_depth, plan_for, set_up
from yomikomi.core.recipes.rates import TargetSize
from yomikomi.core.recipes.sound import sound_layout
from yomikomi.core.treatment.pieces import Piece
from yomikomi.core.treatment.sounding import sound_plan
from yomikomi.core.treatment.steps import Fade
from yomikomi.core.treatment.timing import Timing, length_of
from yomikomi.core.treatment.tracks import has_line21
from yomikomi.core.video.damage import NO_DAMAGE, Damage, Decoder, use_threads
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media, video_stream
from yomikomi.core.work import Reporter
from yomikomi.core.work.priority import tame_encoders

_REPORT_PERIOD_S = 0.1


@dataclass(frozen=True)
class ExpectedSound:
    """Where a sound stream ends, seconds after the first picture, and its peak (dB below full scale), as the reading measured them; None
    where nobody knows it."""

    ends_at: float
    peak_db: float | None


@dataclass(frozen=True)
class Encoded:
    """What was written: the numbers that verification holds the file against, and what of the source is not in it.

    Parameters
    ----------
    sounds : one for each sound stream, in order.
    damage : of the source, as it was decoded for this copy.
    filled, dropped : frames that stand in for missing ones; frames of the source that found no place.
    not_carried : what the source holds besides, in words.
    carried : subtitles and chapters that were taken over. ``copied``: sound that was, as it is.
    witness : what the encoders were given, kept small.
    """

    path: Path
    frames: int
    rate: Fraction
    size_bytes: int
    seconds: float
    sounds: tuple[ExpectedSound, ...] = ()
    damage: Damage = NO_DAMAGE
    filled: int = 0
    dropped: int = 0
    not_carried: tuple[str, ...] = ()
    carried: Carried = NONE_CARRIED
    copied: tuple[CopiedPackets, ...] = ()
    witness: Witness | None = None


class _Encode:
    """One pass that writes. ``plan``: what the encoder is told; ``stats``: what a first pass left; ``step``: what this is to a person;
    ``chunks``: where coded pictures outlive the program, None: nowhere."""

    def __init__(
        self, request: CopyRequest, reporter: Reporter, plan: EncoderPlan, stats: Path | None, step: str, chunks: Path | None = None
    ) -> None:
        self.request, self.reporter = request, reporter
        self.plan, self.stats, self.step = plan, stats, step
        reading = request.reading
        self.chain = chain_of(request)
        self.timing = Timing.of(reading, request.treatment)
        self.pace = Pace(reading, self.timing)
        self.faded = request.treatment.get(Fade) is not None
        self.frames = 0
        self.bytes = self.picture_bytes = 0
        self.started = time.monotonic()
        self.told_at = 0.0
        self.first = Fraction(reading.first_seconds)
        self.witnesses = Witnesses.at(self.timing.rate)
        self.damage = Damage()
        self.sounds: list[ExpectedSound] = []
        self.not_carried: list[str] = []
        self.others: Others | None = None
        self.joined: list[JoinedTrack] = []
        self.copied: list[CopiedTrack] = []
        self.copied_packets: list[CopiedPackets] = []
        self.line21: Line21Track | None = None
        self.captions: list[av.Packet] = []  # until the pictures begin
        self.coder = CodedPictures(self, chunks)

    def run(self, part: Path) -> None:
        container_kind = self.request.recipe.container
        with (
            open_media(self.request.path) as source,
            open_copy(part, container_kind) as sink,
        ):
            picture = video_stream(source, self.request.path)
            use_threads(picture, exact=True)
            video = self._add_picture(sink)
            self.coder.begin(video)
            self.coder.take_up()
            tracks = self._add_sounds(source, sink)
            self.joined = self._add_joined(sink)
            self.others = Others(
                source, sink, self.request.path, container=container_kind, first=self.first, pieces=self.timing.pieces,
                seconds=self.timing.between[1], tracks=self.request.treatment.carried,
            )  # fmt: skip
            if self.request.treatment.tracks.captions and has_line21(self.request.reading):
                self.line21 = Line21Track(sink, container_kind, self.request.reading, self.timing.pieces)
            self.not_carried += [*self.others.left, *uncounted(source, picture, len(heard_streams(source)))]
            streams = [picture, *(track.source for track in tracks.values())]
            try:
                with Decoder(source, streams, self.request.path, self.reporter.check) as decoder:
                    self._go(decoder, sink, tracks)
                    self.damage = decoder.damage()
            finally:
                self.coder.close()

    @property
    def carried(self) -> Carried:
        """Subtitles and chapters, those that were made of captions too."""
        found = self.others.carried if self.others is not None else NONE_CARRIED
        return replace(found, entries=(*found.entries, self.line21.written)) if self.line21 is not None else found

    def _add_picture(self, sink: av.container.OutputContainer) -> av.VideoStream:
        recipe, treated = self.request.recipe, self.chain.format
        stream = sink.add_stream(self.plan.encoder, rate=treated.rate)
        assert isinstance(stream, av.VideoStream)
        self.set_up(stream.codec_context)
        if recipe.codec == "hevc" and recipe.container != "mkv":
            stream.codec_context.codec_tag = "hvc1"  # players that go by the tag do not know the other one
        return stream

    def set_up(self, context: av.VideoCodecContext) -> None:
        set_up(context, self.request.recipe, self.chain.format, self.plan, self.plan.in_pass(self.plan.passes, self.stats))

    def _add_sounds(self, source: av.container.InputContainer, sink: av.container.OutputContainer) -> dict[int, SoundTrack]:
        """A track for every sound stream that the reading heard something in, by the stream's index in the source."""
        heard = {sound.index: sound for sound in self.request.reading.sound}
        tracks = {}
        for number, stream in enumerate(heard_streams(source)):
            if not self.request.treatment.takes_sound(number):
                continue
            found, channels = heard.get(number), stream.codec_context.channels
            if found is None or found.seconds <= 0:
                damaged = self.request.reading.damage is not None and self.request.reading.damage.sound
                what = "nothing in it could be decoded" if damaged else "it holds nothing"
                self.not_carried.append(f"sound {number + 1} ({stream.codec_context.name}): {what}")
                continue
            plan = sound_plan(self.request.treatment, number, stream.codec_context.layout, self.timing.seconds)
            begins, ends = (plan.place(Fraction(at).limit_denominator(10**6)) for at in (found.starts_at, found.ends_at))
            heard_there = list(self.timing.pieces.inside(begins, ends))
            if not heard_there:
                self.not_carried.append(f"sound {number + 1} ({stream.codec_context.name}): {self._outside(begins, ends)}")
                continue
            if self.request.recipe.sound_copied:
                self._copy_sound(sink, number)
                self.witnesses.sounds.append(None)
                self.sounds.append(self._expected(heard_there[-1], found.peak_db, mixed=False))
                continue
            heard_as = SoundWitness()
            self.witnesses.sounds.append(heard_as)
            tracks[stream.index] = SoundTrack(
                sink, stream, self.request.recipe, first=self.first, plan=plan, pieces=self.timing.pieces, witness=heard_as
            )
            self.sounds.append(self._expected(heard_there[-1], found.peak_db + plan.gain_db, mixed=plan.mixed))
            kept = sound_layout(plan.channels)[1]
            if kept < channels and not plan.mixed:
                self.not_carried.append(f"sound {number + 1}: {channels} channels were mixed into {kept}")
        return tracks

    def _copy_sound(self, sink: av.container.OutputContainer, number: int) -> None:
        request, timing = self.request, self.timing
        between = timing.between if timing.cut else None
        kind = request.recipe.container
        self.copied.append(
            CopiedTrack(sink, request.path, number, first=self.first, between=between, kind=kind, check=self.reporter.check)
        )

    def _add_joined(self, sink: av.container.OutputContainer) -> list[JoinedTrack]:
        treatment, recipe, check = self.request.treatment, self.request.recipe, self.reporter.check
        return [JoinedTrack(one, sink, recipe, treatment=treatment, timing=self.timing, check=check) for one in treatment.joined]

    def _outside(self, begins: Fraction, ends: Fraction) -> str:
        first, last = self.timing.between if self.timing.cut else (Fraction(0), ends)
        if ends <= first or begins >= last:
            return f"all of it lies {'before the first' if ends <= first else 'behind the last'} picture"
        return "all of it lies in what is cut out"

    def _expected(self, last: Piece, peak_db: float, *, mixed: bool) -> ExpectedSound:
        """``last``: the last that is heard. Of a part of the take, or of faded or mixed sound, nobody knows the peak."""
        assert last.end is not None
        whole = not self.timing.cut and not self.faded and not mixed
        return ExpectedSound(float(last.at + last.end - last.begin), peak_db if whole else None)

    def _go(self, decoder: Decoder, sink: av.container.OutputContainer, tracks: dict[int, SoundTrack]) -> None:
        for index, frame in decoder.frames():
            if isinstance(frame, av.VideoFrame):
                self._picture(frame, sink)
            else:
                self._mux(sink, tracks[index].push(frame))
            if self.timing.cut and self.frames >= self.timing.frames and all(track.over for track in tracks.values()):
                break  # what comes is cut off
        self._picture(None, sink)
        for joined in self.joined:
            self._mux(sink, joined.until(self.timing.seconds))
        if self.frames == 0:
            raise UnreadableError(f"No frame of {self.request.path.name} can be decoded.", remedy="Read it again.")
        self._mux_pictures(sink, self.coder.finish())
        for copied in self.copied:
            self._mux(sink, copied.until(None))
            self.copied_packets.append(copied.close())
        for track in tracks.values():
            self._mux(sink, track.finish())
        for joined in self.joined:
            self._mux(sink, joined.finish())
            self.sounds.append(ExpectedSound(float(joined.ends_at), None))
            joined.close()

    def _picture(self, frame: av.VideoFrame | None, sink: av.container.OutputContainer) -> None:
        if self.line21 is not None:
            self.captions += self.line21.look(frame) if frame is not None else self.line21.finish()
        for packets, count in self.coder.of(frame):
            if self.frames == 0 and self.others is not None:
                self._mux(sink, self.others.packets(self.reporter.check))
            self._mux_pictures(sink, packets)
            self.frames += count
            so_far = self.frames / self.timing.rate
            for joined in self.joined:
                self._mux(sink, joined.until(so_far))
            for copied in self.copied:
                self._mux(sink, copied.until(so_far))
            self.tell(lambda: self.pace.part(self.frames))
        if self.frames:
            self._mux(sink, self.captions)
            self.captions = []

    def _mux_pictures(self, sink: av.container.OutputContainer, packets: list[av.Packet]) -> None:
        self.picture_bytes += sum(packet.size for packet in packets)
        self._mux(sink, packets)

    def _mux(self, sink: av.container.OutputContainer, packets: Iterable[av.Packet]) -> None:
        for packet in packets:
            self.bytes += packet.size
            sink.mux(packet)

    def one_chunk(self, number: int, spare: Path) -> None:
        """Encode one chunk alone. ``spare``: a file for the header that its encoder is told by."""
        with open_copy(spare, self.request.recipe.container) as sink:
            self.coder.begin(self._add_picture(sink))
            try:
                self.coder.make_chunk(number)
            finally:
                self.coder.close()

    def tell(self, part: Callable[[], float]) -> None:
        """``part``: of the work of this step that is done, 0…1; asked only where it is told."""
        self.reporter.check()
        now = time.monotonic()
        if now - self.told_at < _REPORT_PERIOD_S:
            return
        self.told_at = now
        tell(self.reporter, self.step, part(), frames=self.frames, size=self.bytes, spent=now - self.started)


def tell(reporter: Reporter, step: str, part: float, *, frames: int, size: int, spent: float) -> None:
    """``part``: of the work of a step that is done, 0…1; ``spent``: seconds since the step began."""
    reporter.report(CopyProgress(step, part, frames, size, spent * (1 - part) / part if part > 0.005 else 0.0))


def encode(request: CopyRequest, part: Path, reporter: Reporter, chunks: Path | None = None) -> Encoded:
    """Treat and encode a take into ``part``, a file of :func:`new_file`, which gives it its name once it is proven. Where a size or an
    average is asked for, as often as it takes to hit it. ``chunks``: a folder in which coded pictures of a long copy outlive the program;
    what is there already is taken up.

    Raises CancelledError, WrongUseError (a recipe that does not fit), UnreadableError, UnfinishedError; OSError for the drive.
    """
    request, recipe, reading = request.sized, request.recipe, request.reading
    recipe.check()
    check_copied_sound(recipe, request.treatment, reading)
    tame_encoders()
    started = time.monotonic()
    treated = chain_of(request).format
    check_depth(recipe, transfer=treated.colour.transfer, bit_depth=reading.bit_depth)
    aim = Aim(
        recipe, treated, seconds=length_of(reading, request.treatment),
        other_bytes=other_bytes(reading, request.treatment, recipe), quality=first_quality(request, reporter),
    )  # fmt: skip
    with encode_errors(request), tempfile.TemporaryDirectory(prefix="yomikomi-pass-") as folder:
        job = _until_hit(request, part, reporter, aim, Path(folder) / "stats", chunks)
    return Encoded(
        part, job.frames, treated.rate, part.stat().st_size, time.monotonic() - started, tuple(job.sounds), job.damage,
        job.coder.chain.filled, job.coder.chain.dropped, tuple(job.not_carried), job.carried, tuple(job.copied_packets),
        job.witnesses.kept(),
    )  # fmt: skip


@contextlib.contextmanager
def encode_errors(request: CopyRequest) -> Iterator[None]:
    """What the libraries say becomes an UnfinishedError; what the drive says is told by whoever knows the file's name."""
    try:
        yield
    except OSError:
        raise
    except (av.error.FFmpegError, MemoryError) as error:
        raise UnfinishedError(
            f"{request.recipe.row.words} could not be encoded from {request.path.name}: {getattr(error, 'strerror', None) or error}.",
            remedy="The take is untouched. Try another codec, or read the take again.", path=request.path,
        ) from error  # fmt: skip


def make_chunk(request: CopyRequest, number: int, folder: Path, reporter: Reporter) -> None:
    """Encode one chunk of a long copy alone, into ``folder``, where :func:`encode` takes it up; one that is whole is left as it is.

    Raises what :func:`encode` raises.
    """
    request = request.sized
    tame_encoders()
    plan = plan_for(request.recipe, chain_of(request).format)
    with encode_errors(request), tempfile.TemporaryDirectory(prefix="yomikomi-chunk-") as spare:
        job = _Encode(request, reporter, plan, None, "encoding", folder)
        job.one_chunk(number, Path(spare) / f"header.{request.recipe.container}")


def _until_hit(request: CopyRequest, part: Path, reporter: Reporter, aim: Aim, stats: Path, chunks: Path | None) -> _Encode:
    """Encode until the aim is hit, or as often as is sensible."""
    if aim.plan.passes > 1:
        _first_pass(request, reporter, aim.plan, stats)
    while True:
        plan = aim.plan
        job = _Encode(request, reporter, plan, stats if plan.passes > 1 else None, "encoding again" if aim.tries else "encoding", chunks)
        job.run(part)
        treated = job.chain.format.geometry
        if request.recipe.container == "mkv":
            set_display_shape(part, Geometry(treated.width, treated.height, treated.sample_aspect))
        if aim.hit(picture_bytes=job.picture_bytes, file_bytes=part.stat().st_size):
            return job


def _first_pass(request: CopyRequest, reporter: Reporter, plan: EncoderPlan, stats: Path) -> None:
    timing, started = Timing.of(request.reading, request.treatment), time.monotonic()
    pace = Pace(request.reading, timing)

    def count(done: int) -> None:
        reporter.check()
        tell(reporter, "first pass", pace.part(done), frames=done, size=0, spent=time.monotonic() - started)

    first_pass(request.path, chain_of(request), timing, request.recipe, plan, stats, count)


def first_quality(request: CopyRequest, reporter: Reporter) -> float | None:
    """Where the search for a size begins, of codecs that hit it by their quality; None of others."""
    recipe = request.recipe
    if not isinstance(recipe.rate, TargetSize) or recipe.row.two_passes:
        return None
    wanted = PredictRequest(request.path, request.reading, request.treatment, recipe)
    return float(nearest_quality(wanted, recipe.rate.size_bytes, reporter).recipe.level)
