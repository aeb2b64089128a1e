"""Merging recordings that hold every other frame each, as two links write them to two drives."""

from __future__ import annotations

import contextlib
import heapq
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from yomikomi.core.capture.cutting import JoinedPieces, container_for, grid_rate, same_stream, writing
from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import heard_streams, open_media, probe, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import check_free

# When, of which half (sound: none), what.
_Timed = tuple[Fraction, int, av.Packet]


@dataclass(frozen=True)
class MergeRequest:
    """``first`` holds the frames 0, 2, 4 … of the take, ``second`` 1, 3, 5 …; ``target`` is a new file of the same kind."""

    first: Path
    second: Path
    target: Path


def merge_alternates(request: MergeRequest, reporter: Reporter) -> JoinedPieces:
    """Put the frames of both in turn into one file at twice their rate; the sound is that of the first which has some.

    Raises UnreadableError where they do not fit together (another kind, lengths that differ by more than a frame) or are coded
    so that pictures lean on each other; WrongUseError for a taken name. Nothing is left of an unfinished file.
    """
    target = request.target
    check_free(target)
    kind = container_for(target)
    info = probe(request.first)
    heard = next((path for path, told in ((request.first, info), (request.second, probe(request.second))) if told.sound), None)
    with writing(target) as made:
        with contextlib.ExitStack() as files:
            one, two = (files.enter_context(open_media(path)) for path in (request.first, request.second))
            halves = video_stream(one, request.first), video_stream(two, request.second)
            _check_alike(*halves)
            rate = 2 * grid_rate(halves[0])
            # Opened once more for its sound: read apart, it cannot hold back the pictures of one half.
            sound = files.enter_context(open_media(heard)) if heard is not None else None
            with av.open(str(made.part), "w", format=kind) as container:
                picture = same_stream(container, halves[0])
                picture.time_base = 1 / rate
                voices = {stream.index: same_stream(container, stream) for stream in heard_streams(sound)} if sound else {}
                streams = [_pictures(one, halves[0], request.first, 0, rate), _pictures(two, halves[1], request.second, 1, rate)]
                if sound is not None and heard is not None:
                    streams.append(_blocks(sound, heard))
                frames = _write(container, streams, picture, voices, rate, reporter)
        if kind == "matroska":
            set_display_shape(made.part, info.geometry)
        made.keep()
    return JoinedPieces(frames, float(frames / rate), target.stat().st_size, ())


def _check_alike(one: av.VideoStream, two: av.VideoStream) -> None:
    facts = [(s.codec_context.name, s.codec_context.width, s.codec_context.height, s.codec_context.pix_fmt) for s in (one, two)]
    if facts[0] != facts[1]:
        raise UnreadableError("The two recordings are of different kinds.", remedy="Choose the two halves of one take.")


def _write(
    container: Any, streams: list[Iterator[_Timed]], picture: Any, voices: dict[int, Any], rate: Fraction, reporter: Reporter
) -> int:
    counts = [0, 0]
    for at, half, packet in heapq.merge(*streams, key=lambda item: item[0]):
        reporter.check()
        if packet.stream.type == "video":
            if not packet.is_keyframe:
                raise UnreadableError(
                    "The recordings are coded so that pictures lean on each other; they cannot be merged without encoding anew.",
                    remedy="Record alternate frames with a codec whose every picture is whole.",
                )
            packet.stream, packet.time_base = picture, 1 / rate
            packet.pts = packet.dts = 2 * counts[half] + half
            packet.duration = 1
            counts[half] += 1
            if counts[half] % 30 == 0:
                reporter.report(float(at))
        else:
            packet.stream = voices[packet.stream.index]
        container.mux(packet)
    if abs(counts[0] - counts[1]) > 1:
        raise UnreadableError(
            f"One recording holds {counts[0]} frames, the other {counts[1]}: they are not halves of one take.",
            remedy="Check that both files belong together and that neither was cut off.",
        )
    return sum(counts)


def _pictures(source: Any, stream: Any, path: Path, half: int, rate: Fraction) -> Iterator[_Timed]:
    """Packets of a half with their time in the merged take, in order: by their count, so that a gap in one half cannot turn the
    order of both."""
    count = 0
    for packet in packets_of(source, [stream], path):
        if packet.pts is not None:
            yield (2 * count + half) / rate, half, packet
            count += 1


def _blocks(source: Any, path: Path) -> Iterator[_Timed]:
    for packet in packets_of(source, heard_streams(source), path):
        if packet.pts is not None:
            yield Fraction(packet.pts) * Fraction(packet.time_base), -1, packet
