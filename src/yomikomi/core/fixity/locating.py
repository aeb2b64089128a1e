"""Where a file that changed silently is damaged: to the byte and the frame by another copy of it, else as far as its decoders tell."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.damage import count_damage, damage_words
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, grouped

_PIECE = 1 << 20
_MOST_RANGES = 1000
# Bytes that differ within so many of each other are one place.
_NEAR = 64


class DamagedPart(BaseModel):
    """``first`` and ``last``: bytes of the file, None where only frames are known; ``frames``: numbers of the pictures in it, from 0, in
    the order of showing; ``seconds``: of the first of them."""

    model_config = ConfigDict(frozen=True)

    first: int | None = None
    last: int | None = None
    frames: tuple[int, ...] = ()
    seconds: float | None = None
    words: str = Field(default="", description="for people")


def by_decoding(path: Path, check: Callable[[], None]) -> list[DamagedPart]:
    """Every frame decoded, and what the decoders say heard: exact where the format has checksums of its own (FFV1), a part of the truth
    elsewhere. Raises UnreadableError where it is no footage any more, and what ``check`` raises."""
    damage = count_damage(path, check)
    if not damage.any:
        return [DamagedPart(words="no frame is visibly damaged: what changed may lie in the file's structure or in picture content")]
    frames = tuple(damage.places)
    shown = ", ".join(str(one) for one in frames[:8]) + ("…" if len(frames) > 8 else "")
    return [DamagedPart(frames=frames, words=damage_words(damage) + (f": frame {shown}" if frames else ""))]


def by_second_copy(path: Path, good: Path, check: Callable[[], None]) -> list[DamagedPart]:
    """Byte by byte against a copy that is whole, and which pictures of that lie there. Raises OSError, and what ``check`` raises."""
    ranges = list(differing(path, good, check))
    if not ranges:
        return []
    pictures = _pictures_at(good, ranges, check)
    return [_part(one, pictures.get(one, [])) for one in ranges]


def differing(path: Path, good: Path, check: Callable[[], None]) -> Iterator[tuple[int, int]]:
    """First and last byte of each place that differs; what one file lacks at its end counts as different. At most a thousand, the last
    then reaching to the end of what differs."""
    found: tuple[int, int] | None = None
    count = 0
    for at, here, there in _pieces(path, good):
        check()
        length = min(len(here), len(there))
        one, other = np.frombuffer(here, np.uint8, length), np.frombuffer(there, np.uint8, length)
        lacking = [(at + length, at + max(len(here), len(there)) - 1)] if len(here) != len(there) else []
        for first, last in (*_runs(np.flatnonzero(one != other) + at), *lacking):
            if found is not None and (first - found[1] <= _NEAR or count >= _MOST_RANGES - 1):
                found = found[0], last
                continue
            if found is not None:
                yield found
                count += 1
            found = first, last
    if found is not None:
        yield found


def _pieces(path: Path, good: Path) -> Iterator[tuple[int, bytes, bytes]]:
    at = 0
    with path.open("rb") as one, good.open("rb") as other:
        while True:
            here, there = one.read(_PIECE), other.read(_PIECE)
            if not here and not there:
                return
            yield at, here, there
            at += _PIECE


def _runs(places: np.ndarray) -> list[tuple[int, int]]:
    """Parameters
    ----------
    places : ndarray [shape=(count,), int64, bytes of the file in rising order]

    Returns first and last of each run that has no gap of more than ``_NEAR``.
    """
    if not places.size:
        return []
    breaks = np.flatnonzero(np.diff(places) > _NEAR)
    firsts, lasts = np.concatenate(([0], breaks + 1)), np.concatenate((breaks, [places.size - 1]))
    return [(int(places[a]), int(places[b])) for a, b in zip(firsts, lasts, strict=True)]


def _pictures_at(good: Path, ranges: list[tuple[int, int]], check: Callable[[], None]) -> dict[tuple[int, int], list[tuple[int, float]]]:
    """Which pictures lie in which ranges: number in the order of showing, and seconds. Nothing where it is no footage."""
    try:
        with open_media(good) as container:
            stream = video_stream(container, good)
            stamped: list[tuple[int, int, int]] = []  # stamp, first and last byte
            for packet in packets_of(container, [stream], good):
                check()
                if packet.size and packet.pts is not None and packet.pos is not None and packet.pos >= 0:
                    stamped.append((packet.pts, packet.pos, packet.pos + packet.size))
            base = float(stream.time_base or 1)
    except UnreadableError:
        return {}
    stamped.sort()
    first = stamped[0][0] if stamped else 0
    found: dict[tuple[int, int], list[tuple[int, float]]] = {}
    for number, (stamp, begin, end) in enumerate(stamped):
        for place in ranges:
            if begin <= place[1] and place[0] <= end:
                found.setdefault(place, []).append((number, (stamp - first) * base))
    return found


def _part(place: tuple[int, int], pictures: list[tuple[int, float]]) -> DamagedPart:
    first, last = place
    size = counted(last - first + 1, "byte", "bytes")
    where = f"{size} at {grouped(first)}"
    if not pictures:
        return DamagedPart(first=first, last=last, words=f"{where}, between pictures or in the sound")
    numbers = tuple(number for number, _ in pictures)
    shown = f"frame {numbers[0]}" if len(numbers) == 1 else f"frames {numbers[0]} to {numbers[-1]}"
    return DamagedPart(first=first, last=last, frames=numbers, seconds=pictures[0][1], words=f"{where}, {shown} at {clock(pictures[0][1])}")
