"""A title of a disc as one take: its parts joined in order, streams untouched, with time stamps that run on.

The data are copied, not encoded again. Where the disc's clock starts anew between cells, the stamps of what follows are
moved to go on where the pictures before ended. The Matroska file that comes out has an index, so every frame is found exactly.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container

from yomikomi.core.disc.contents import TitleData, read_contents, refuse_scrambled
from yomikomi.core.disc.image import DiscFiles, open_disc
from yomikomi.core.disc.stream import CellReader, Subpicture, SubpictureCollector
from yomikomi.core.disc.tables import Cell
from yomikomi.core.errors import UnreadableError, WrongUseError
from yomikomi.core.work import Reporter
from yomikomi.core.work.drive import FULL
from yomikomi.core.work.new_file import new_file

_CLOCK = Fraction(1, 90_000)  # seconds in a tick of the disc's clock (ISO/IEC 13818-1)
# Stream numbers of sound by kind (private stream 1, except MPEG sound).
_SOUND_BASE = {"AC-3": 0x80, "DTS": 0x88, "PCM": 0xA0, "MPEG-1": 0x1C0, "MPEG-2": 0x1C0}
_DISC_PCM = "pcm_dvd"
_OVERLAP = Fraction(1, 500)  # seconds that a rounded time stamp may be early
_REPORT_EVERY = 400  # packets
_LOOK_AHEAD = {"probesize": "8000000", "analyzeduration": "6000000"}
# ISO 639-1 to the three letters (ISO 639-2/B) that Matroska writes.
_THREE_LETTERS = {
    "ar": "ara", "cs": "cze", "da": "dan", "de": "ger", "el": "gre", "en": "eng", "es": "spa", "fi": "fin", "fr": "fre", "he": "heb",
    "hi": "hin", "hu": "hun", "id": "ind", "is": "ice", "it": "ita", "ja": "jpn", "ko": "kor", "nl": "dut", "no": "nor", "pl": "pol",
    "pt": "por", "ro": "rum", "ru": "rus", "sk": "slo", "sv": "swe", "th": "tha", "tr": "tur", "uk": "ukr", "vi": "vie", "zh": "chi",
}  # fmt: skip


@dataclass(frozen=True)
class JoinRequest:
    disc: Path
    title: int
    target: Path


@dataclass(frozen=True)
class JoinProgress:
    part: float
    frames: int
    seconds_left: float = 0.0


@dataclass(frozen=True)
class JoinResult:
    """``table_seconds``: what the table of contents promised; ``warning``: in words, where it was not kept."""

    path: Path
    frames: int
    seconds: float
    table_seconds: float
    sounds: int
    subtitles: int
    warning: str


def join_title(request: JoinRequest, reporter: Reporter) -> JoinResult:
    """Write one title to ``target`` (Matroska); nothing is left behind when it fails or is stopped.

    Raises
    ------
    UnreadableError : the disc is damaged, scrambled, or lacks a part of this title.
    WrongUseError : there is no such title, or it has several angles.
    DriveFullError : no room for it.
    """
    contents = read_contents(request.disc)
    refuse_scrambled(contents)
    title = next((one for one in contents.titles if one.entry.index == request.title), None)
    if title is None:
        raise WrongUseError(f"There is no title {request.title} on this disc.", remedy=f"It has titles 1 to {len(contents.titles)}.")
    if title.missing:
        raise UnreadableError(
            f"{', '.join(title.missing)} is missing or cut off; title {request.title} needs it.", remedy="Copy the disc again."
        )
    if any(cell.interleaved for cell in title.cells):
        raise WrongUseError(f"Title {request.title} holds several angles of view; it cannot be imported yet.", remedy="Take another title.")
    with new_file(request.target, safe="The disc is untouched.") as made:
        with open_disc(request.disc) as files:
            joiner = _Joiner(files, title, reporter)
            joiner.write(made.part)
        made.keep()
    seconds, promised = float(joiner.offset), float(title.seconds)
    off = abs(seconds - promised)
    warning = f"the disc's table says {promised:.1f} s, its data hold {seconds:.1f} s" if off > 1 + promised / 200 else ""
    return JoinResult(request.target, joiner.frames, seconds, promised, joiner.sounds, len(title.subtitles), warning)


class _Joiner:
    def __init__(self, files: DiscFiles, title: TitleData, reporter: Reporter) -> None:
        self._files, self._title, self._reporter = files, title, reporter
        self.offset = Fraction(0)
        self.frames = self.sounds = 0
        self._out: dict[int, Any] = {}
        self._sound_ends: dict[int, Fraction] = {}
        self._subtitle_out: dict[int, Any] = {}
        self._began = time.monotonic()
        self._sectors = sum(cell.last - cell.first + 1 for cell in title.cells)
        self._sectors_done = 0

    def write(self, path: Path) -> None:
        with av.open(str(path), "w", format="matroska") as sink:
            for cells in _runs(self._title.cells):
                self._write_run(sink, cells)
            for number, out in self._out.items():
                if number >= 0 and out.codec_context is not None and out.codec_context.codec.name.startswith("pcm_"):
                    sink.mux(out.encode(None))
            if not self._out:
                raise UnreadableError("The title holds no pictures that can be read.", remedy="Copy the disc again.")

    def _write_run(self, sink: av.container.OutputContainer, cells: tuple[Cell, ...]) -> None:
        """One stretch over which the disc's clock runs on."""
        collector = SubpictureCollector()
        reader = CellReader(self._files, self._title.entry.set_number, cells, collector.feed)
        try:
            with av.open(reader, "r", format="mpeg", options=_LOOK_AHEAD, metadata_errors="replace") as source:
                self._copy(sink, source, collector, reader)
        except av.error.FFmpegError as error:
            if isinstance(error, OSError) and error.errno in FULL:
                raise
            raise UnreadableError(f"The title's data cannot be read: {error.strerror}.", remedy="Copy the disc again.") from error
        finally:
            reader.close()
        self._sectors_done += reader.sectors_read

    def _copy(
        self, sink: av.container.OutputContainer, source: av.container.InputContainer, collector: SubpictureCollector, reader: CellReader
    ) -> None:
        video = next((stream for stream in source.streams.video if stream.codec_context.width), None)
        if video is None:
            raise UnreadableError("The title holds no pictures that can be read.", remedy="Copy the disc again.")
        wanted = self._wanted(source)
        if not self._out:
            self._open_streams(sink, video, wanted)
        numbers = {stream.index: number for number, stream in wanted.items()}
        pcm = {stream.index for stream in wanted.values() if stream.codec_context.codec.name == _DISC_PCM}
        outs = {video.index: self._out[-1]} | {stream.index: self._out[number] for number, stream in wanted.items() if number in self._out}
        # What the parser finds out late (a first picture without a stamp) must not move the zero: the earliest stamp counts.
        zero, packets = _first_stamp(source, video)
        period = 1 / self._title.rate
        last_end = Fraction(0)
        for count, packet in enumerate(packets):
            self._reporter.check()
            if packet.stream.index not in outs or packet.dts is None:
                continue
            at = packet.pts if packet.pts is not None else packet.dts
            begin = (at - zero) * _CLOCK
            index = packet.stream.index
            if index == video.index:
                self.frames += 1
                last_end = max(last_end, begin + (packet.duration * _CLOCK if packet.duration else period))
            elif not self._sound_goes_on(numbers[index], self.offset + begin, packet):
                continue
            if index in pcm:
                self._put_pcm(sink, outs[index], packet, zero)
            else:
                self._put(sink, outs[index], packet, zero)
            self._put_subpictures(sink, collector, zero)
            if count % _REPORT_EVERY == 0:
                self._tell(reader)
        self._put_subpictures(sink, collector, zero)
        self.offset += last_end

    def _sound_goes_on(self, number: int, begin: Fraction, packet: av.Packet) -> bool:
        """Whether a packet comes after what its stream holds already; sound may reach a little over the end of its pictures."""
        if begin < self._sound_ends.get(number, Fraction(0)) - _OVERLAP:
            return False
        self._sound_ends[number] = begin + (packet.duration or 0) * _CLOCK
        return True

    def _put_pcm(self, sink: av.container.OutputContainer, out: Any, packet: av.Packet, zero: int) -> None:
        """The disc's way of packing PCM does not exist in Matroska: the same samples, packed the usual way."""
        shift = round(self.offset / _CLOCK) - zero
        for frame in packet.decode():
            frame.pts = frame.pts + shift if frame.pts is not None else None
            sink.mux(out.encode(frame))

    def _put(self, sink: av.container.OutputContainer, out: Any, packet: av.Packet, zero: int) -> None:
        shift = round(self.offset / _CLOCK) - zero
        packet.pts = packet.pts + shift if packet.pts is not None else None
        packet.dts = packet.dts + shift if packet.dts is not None else None
        packet.time_base = _CLOCK
        packet.stream = out
        sink.mux(packet)

    def _put_subpictures(self, sink: av.container.OutputContainer, collector: SubpictureCollector, zero: int) -> None:
        while collector.ready:
            found: Subpicture = collector.ready.popleft()
            out = self._subtitle_out.get(found.stream)
            begin = found.pts - zero + round(self.offset / _CLOCK)
            if out is None or begin < 0:
                continue
            packet = av.Packet(found.data)
            packet.pts = packet.dts = begin
            packet.time_base = _CLOCK
            packet.stream = out
            sink.mux(packet)

    def _wanted(self, source: av.container.InputContainer) -> dict[int, av.AudioStream]:
        """The sound streams that the table names, by their number there."""
        by_id = {stream.id: stream for stream in source.streams.audio}
        found = {}
        for entry in self._title.sounds:
            stream = by_id.get(_SOUND_BASE.get(entry.kind, 0) + entry.stream)
            if stream is not None and stream.codec_context is not None and stream.codec_context.sample_rate:
                found[entry.number] = stream
        return found

    def _open_streams(self, sink: av.container.OutputContainer, video: av.VideoStream, wanted: dict[int, av.AudioStream]) -> None:
        sink.set_chapters([*_chapters(self._title)])
        self._out[-1] = sink.add_stream_from_template(video)
        for entry in self._title.sounds:
            if entry.number in wanted:
                out = self._sound_out(sink, wanted[entry.number])
                _name(out, entry.language, entry.purpose if entry.purpose != "programme" else "")
                self._out[entry.number] = out
        self.sounds = len(self._out) - 1
        for subtitle in self._title.subtitles:
            out = sink.add_stream("dvd_subtitle", options={"palette": _palette_words(self._title.palette)})
            _name(out, subtitle.language, subtitle.purpose)
            self._subtitle_out[subtitle.stream] = out

    @staticmethod
    def _sound_out(sink: av.container.OutputContainer, stream: av.AudioStream) -> Any:
        if stream.codec_context.codec.name != _DISC_PCM:
            return sink.add_stream_from_template(stream)
        name = "pcm_s16le" if stream.codec_context.format.bytes == 2 else "pcm_s24le"
        return sink.add_stream(name, rate=stream.codec_context.sample_rate, layout=stream.codec_context.layout.name)

    def _tell(self, reader: CellReader) -> None:
        done = self._sectors_done + reader.sectors_read
        part = min(1.0, done / max(1, self._sectors))
        taken = time.monotonic() - self._began
        self._reporter.report(JoinProgress(part, self.frames, taken * (1 - part) / part if part > 0.02 else 0.0))


def _runs(cells: tuple[Cell, ...]) -> Iterator[tuple[Cell, ...]]:
    """Cells grouped so that the clock runs on within a group."""
    group: list[Cell] = []
    for cell in cells:
        if group and cell.new_clock:
            yield tuple(group)
            group = []
        group.append(cell)
    yield tuple(group)


def _first_stamp(source: av.container.InputContainer, video: av.VideoStream) -> tuple[int, Iterator[av.Packet]]:
    """The earliest time stamp of the first pictures, and all packets from the start."""
    packets = source.demux()
    held: list[av.Packet] = []
    stamps: list[int] = []
    for packet in packets:
        held.append(packet)
        if packet.stream.index == video.index and packet.pts is not None:
            stamps.append(packet.pts)
            if len(stamps) >= 4:  # pictures come in coding order: two that are shown later may come first
                break
    if not stamps:
        raise UnreadableError("The title's pictures carry no time stamps.", remedy="Copy the disc again.")

    def everything() -> Iterator[av.Packet]:
        yield from held
        yield from packets

    return min(stamps), everything()


def _chapters(title: TitleData) -> Iterator[Any]:
    ends = [*title.chapter_starts[1:], title.seconds]
    for number, (start, end) in enumerate(zip(title.chapter_starts, ends, strict=True)):
        ticks = int(start / _CLOCK), int(max(start, end) / _CLOCK)
        yield {"id": number + 1, "start": ticks[0], "end": ticks[1], "time_base": _CLOCK, "metadata": {"title": f"Chapter {number + 1}"}}


def _palette_words(palette: tuple[tuple[int, int, int], ...]) -> str:
    """Y, Cr, Cb of the disc (limited range, BT.601) as the red-green-blue hex words that a decoder takes."""
    words = []
    for y, cr, cb in palette:
        luma, red, blue = 1.164 * (y - 16), cr - 128, cb - 128
        parts = (luma + 1.596 * red, luma - 0.813 * red - 0.392 * blue, luma + 2.017 * blue)
        words.append("".join(f"{max(0, min(255, round(part))):02x}" for part in parts))
    return ", ".join(words)


def _name(out: Any, language: str | None, title: str) -> None:
    if language:
        out.metadata["language"] = _THREE_LETTERS.get(language, language)
    if title:
        out.metadata["title"] = title
