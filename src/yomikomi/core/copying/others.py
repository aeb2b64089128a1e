"""What a source holds beside pictures and sound, taken over as it is: subtitles and chapters."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import av.container

from yomikomi.core.copying.text_track import TextTrack
from yomikomi.core.recipes.sound import sound_layout
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.pieces import Pieces
from yomikomi.core.treatment.sounding import channels_after
from yomikomi.core.treatment.tracks import Tracks
from yomikomi.core.video.media import heard_streams, open_media, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.subtitles import BITMAP_KINDS, TEXT_KINDS, captions_of
from yomikomi.core.video.units import counted

# Kinds of subtitles that a container takes as they are; text of other kinds is written anew. Bitmaps cannot become text.
_TAKEN = {
    "mkv": {"subrip", "srt", "ass", "ssa", "webvtt", "dvd_subtitle", "dvdsub", "dvb_subtitle", "dvbsub", "hdmv_pgs_subtitle", "pgssub"},
    "mp4": {"mov_text"},
}
_STYLED = {"ass", "ssa"}
_KINDS = {"dvd_subtitle": "bitmaps", "dvdsub": "bitmaps", "dvbsub": "bitmaps", "pgssub": "bitmaps", "hdmv_pgs_subtitle": "bitmaps"}


@dataclass(frozen=True)
class Carried:
    """``entries``: how many subtitles were put into each track; ``starts``: of the chapters, seconds after the first picture."""

    entries: tuple[int, ...] = ()
    starts: tuple[float, ...] = ()


NONE_CARRIED = Carried()


class Others:
    """Subtitles and chapters of a source, put into a copy.

    Parameters
    ----------
    first : stamp of the first picture, seconds: everything counts from there.
    pieces : what is kept of the take.
    seconds : where the last picture ends; chapters that begin behind it are left out.
    tracks : which are wanted.
    """

    def __init__(
        self, source: av.container.InputContainer, sink: av.container.OutputContainer, path: Path, *, container: str, first: Fraction,
        pieces: Pieces, seconds: Fraction, tracks: Tracks,
    ) -> None:  # fmt: skip
        self._path, self._first, self._pieces = path, first, pieces
        self._out: dict[int, Any] = {}
        self._anew: list[tuple[int, TextTrack]] = []
        self._entries: dict[int, int] = {}  # by the stream's index in the copy
        self.left: list[str] = []
        for number, stream in enumerate(source.streams.subtitles):
            if number in tracks.without_subtitles:
                continue
            anew, words = fate_of(stream, number, container)
            self.left += [words] if words else []
            if anew is None:
                continue
            if anew:
                track = TextTrack(sink, container, pieces)
                self._anew.append((number, track))
                made: Any = track.stream
            else:
                self._out[stream.index] = made = sink.add_stream_from_template(stream)
            self._entries[made.index] = 0
            for key in ("language", "title"):
                if stream.metadata.get(key):
                    made.metadata[key] = stream.metadata[key]
        chapters = list(_shifted(source.chapters(), first, pieces, seconds)) if tracks.chapters else []
        if chapters:
            sink.set_chapters(chapters)
        self._starts = tuple(float(one["start"] * one["time_base"]) for one in chapters)

    @property
    def carried(self) -> Carried:
        """What went into the copy so far."""
        return Carried(tuple(self._entries.values()), self._starts)

    def packets(self, check: Callable[[], None]) -> Iterator[av.Packet]:
        """The subtitles, for the copy; they are few, so all of them come before the pictures, and the container puts them in order."""
        for packet in self._packets(check):
            self._entries[packet.stream.index] += 1
            yield packet

    def _packets(self, check: Callable[[], None]) -> Iterator[av.Packet]:
        for number, track in self._anew:
            for one in captions_of(self._path, number, check).shown:
                yield from track.packets(one, self._first)
        if not self._out:
            return
        with open_media(self._path) as again:
            for packet in packets_of(again, [again.streams[index] for index in self._out], self._path):
                check()
                if packet.pts is None or not packet.size:
                    continue
                base = Fraction(packet.time_base or Fraction(1, 1000))
                begin, lasts = packet.pts * base - self._first, (packet.duration or 0) * base
                shown = self._pieces.shown(max(begin, Fraction(0)), max(begin + lasts, begin + base))
                if shown is None:
                    continue  # over before the first picture, or cut out
                out = self._out[packet.stream.index]
                packet.pts = packet.dts = round(shown[0] / base)
                if lasts:
                    packet.duration = max(1, round(shown[1] / base))
                packet.stream = out
                yield packet


def fate_of(stream: Any, number: int, container: str) -> tuple[bool | None, str]:
    """Of a subtitle stream: whether it is written anew, None where it cannot go along; and what is lost, in words."""
    name = stream.codec_context.name if stream.codec_context is not None else "unknown"
    if name in _TAKEN[container]:
        return False, ""
    if name in TEXT_KINDS:
        return True, f"styles of subtitles {number + 1}: {_WORDS[container]} takes the text alone" if name in _STYLED else ""
    burned = "; they can be burned in" if name in BITMAP_KINDS else ""
    return None, f"subtitles ({_KINDS.get(name, name)}): {_WORDS[container]} does not take them{burned}"


def left_before(path: Path, treatment: Treatment, container: str) -> list[str]:
    """What of a take a copy will not hold, said before it is made. Raises UnreadableError."""
    with open_media(path) as source:
        found = [
            fate_of(stream, number, container)[1] for number, stream in enumerate(source.streams.subtitles)
            if number not in treatment.carried.without_subtitles
        ]  # fmt: skip
        heard = heard_streams(source)
        for number, stream in enumerate(heard):
            channels = channels_after(treatment, number, stream.codec_context.channels)
            kept = sound_layout(channels)[1]
            if treatment.takes_sound(number) and kept < channels:
                found.append(f"sound {number + 1}: {channels} channels are mixed into {kept}")
        found += uncounted(source, video_stream(source, path), len(heard))
    return [words for words in found if words]


def _shifted(chapters: list[Any], first: Fraction, pieces: Pieces, seconds: Fraction) -> Iterator[Any]:
    """Chapters counted from the first picture; those of which nothing is kept are left out."""
    for one in chapters:
        base = Fraction(one["time_base"])
        start, end = max(Fraction(0), one["start"] * base - first), one["end"] * base - first
        if end > 0 and start < seconds and (start >= end or any(pieces.inside(start, end))):
            begin = pieces.place(start)
            yield {
                "id": one["id"], "start": round(begin * 1000), "end": round(max(begin, pieces.place(end)) * 1000),
                "time_base": Fraction(1, 1000),
                "metadata": dict(one.get("metadata") or {}),
            }  # fmt: skip


_WORDS = {"mkv": "Matroska", "mp4": "MP4"}


def uncounted(source: av.container.InputContainer, picture: av.VideoStream, known: int) -> list[str]:
    """What a copy does not take over at all, in words; ``known``: sound streams that can be decoded."""
    counts = (
        (sum(stream.index != picture.index for stream in source.streams.video), "further picture stream", "further picture streams"),
        (len(source.streams.audio) - known, "sound stream of an unknown kind", "sound streams of an unknown kind"),
        (len(source.streams.data), "data stream", "data streams"),
        (len(source.streams.attachments), "attached file", "attached files"),
    )
    return [counted(number, one, many) for number, one, many in counts if number]
