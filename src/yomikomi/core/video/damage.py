"""What of a file could not be read as it was written: heard from the decoders, which mend in silence, and from its structure."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import av
import av.container
import av.logging
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.video.aligned import Aligner
from yomikomi.core.video.media import heard_streams, open_media, video_stream
from yomikomi.core.video.packets import DAMAGED, MOST_IN_A_ROW, Frame, Stamps, packets_of, raise_if_away
from yomikomi.core.video.structure import unread_bytes
from yomikomi.core.video.units import counted

_MOST_LISTED = 200
# What a Matroska file needs besides its pictures and sound: at most so many bytes, so many for each packet with its place in the index,
# and so much of the whole (measured on takes and copies: 0.02 to 7 % in all).
_STRUCTURE_BYTES, _PACKET_BYTES, _MUCH = 6000, 40, 0.2


class Damage(BaseModel):
    """Nothing was found where all is zero. Counts are what the decoders told; a picture that leans on a damaged one is not counted."""

    model_config = ConfigDict(frozen=True)

    frames: int = Field(default=0, ge=0, description="pictures that were decoded with errors")
    lost: int = Field(default=0, ge=0, description="packets of picture that gave no picture")
    sound: int = Field(default=0, ge=0, description="packets of sound that were damaged")
    container: int = Field(default=0, ge=0, description="places where the file's own structure is damaged")
    unread_bytes: int = Field(default=0, ge=0, description="bytes behind the end of what can be reached")
    gave_up: bool = Field(default=False, description="the rest was given up after many damaged packets in a row")
    places: list[int] = Field(default_factory=list, description="numbers of damaged pictures among those decoded; 200 at most")

    @property
    def any(self) -> bool:
        return bool(self.frames or self.lost or self.sound or self.container or self.unread_bytes or self.gave_up)


NO_DAMAGE = Damage()


# Decoders that tell of damage only in words, which say nothing of the picture they are about.
_WORDS_ONLY = {"ffv1"}
# Of these a packet may hold one field.
_FIELDS_APART = {"h264", "hevc", "mpeg2video", "mpegvideo", "vc1"}
# Of these some packets show nothing by design: pictures only to be leant on, or placeholders.
_NOT_ONE_TO_ONE = {"vp8", "vp9", "libvpx", "libvpx-vp9", "mpeg4", "msmpeg4v3", "h263", "theora", "rv30", "rv40", "wmv3", "vc1"}


def use_threads(stream: av.VideoStream, *, exact: bool) -> None:
    """Decode on all processors. ``exact``: words of damage come with their picture, so that they can be counted; costs up to a fifth of
    the speed where a decoder could work on several pictures at once (measured, docs/science.md)."""
    slow = exact and stream.codec_context.codec.canonical_name in _WORDS_ONLY
    stream.thread_type = "SLICE" if slow else "AUTO"


def count_damage(path: Path, check: Callable[[], None]) -> Damage:
    """A pass that only decodes, where a quicker one heard of damage and could not say how much. Raises what ``check`` raises."""
    with open_media(path) as container:
        picture = video_stream(container, path)
        use_threads(picture, exact=True)
        with Decoder(container, [picture, *heard_streams(container)], path, check) as decoder:
            for _ in decoder.frames():
                pass
            return decoder.damage()


class Decoder:
    """Decodes streams of an open file in order and counts what was damaged. Use it as a context inside that of the file: the
    library's log is heard meanwhile, and that is one for the whole process, so one Decoder at a time.

    Parameters
    ----------
    streams : of the container; the first is the picture.
    check : called for every packet; may raise to stop.
    """

    def __init__(
        self, container: av.container.InputContainer, streams: list[Any], path: Path, check: Callable[[], None] = lambda: None
    ) -> None:
        self._container, self._streams, self._path, self._check = container, streams, path, check
        self._picture = streams[0].index
        self._names = {stream.index: stream.codec_context.codec.name for stream in streams}
        self._lines: list[Any] = []
        self._heard = 0
        self._capture: Any = None
        self._decoded = self._corrupt = self._noisy = self._lost = 0
        self._sound = self._container_lines = self._breaks = 0
        self._given = 0
        self.sizes = dict.fromkeys(self._names, 0)  # bytes of the packets so far, by stream
        self._packets = 0
        self._whole = self._gave_up = self._fields = False
        self._places: list[int] = []
        self._stamps, self._aligner = Stamps(streams[0]), Aligner()

    def __enter__(self) -> Decoder:
        self._skipped = av.logging.get_skip_repeated()
        av.logging.set_skip_repeated(False)
        av.logging.set_level(av.logging.ERROR)
        self._capture = av.logging.Capture(local=False)
        self._lines = self._capture.__enter__()
        return self

    def __exit__(self, *_: object) -> None:
        self._listen()
        av.logging.set_level(None)
        # The library's threads may wait for the interpreter to take a line of the log; freeing a decoder waits for them without
        # letting the interpreter go. So they are waited for here, where it is let go.
        for stream in self._streams:
            if stream.codec_context.is_open:
                stream.codec_context.flush_buffers()
        time.sleep(0)
        self._capture.__exit__(None, None, None)
        av.logging.set_skip_repeated(self._skipped)

    @property
    def decoded(self) -> int:
        """Pictures so far."""
        return self._decoded

    def damage(self) -> Damage:
        """So far; what lies beyond the reach of the file's structure is looked up only here."""
        self._listen()
        return Damage(
            frames=max(self._corrupt, self._noisy), lost=max(self._lost, self._swallowed()), sound=self._sound,
            container=self._container_lines, unread_bytes=unread_bytes(self._path) or self._unaccounted(), gave_up=self._gave_up,
            places=sorted(set(self._places))[:_MOST_LISTED],
        )  # fmt: skip

    def frames(self) -> Iterator[tuple[int, Frame]]:
        """Stream index and frame, from where the file stands. Every picture has a stamp: where the file gives none, they are counted
        at its rate. Raises UnreadableError when the file's drive goes away, and what ``check`` raises."""
        in_a_row = 0
        for packet in packets_of(self._container, self._streams, self._path, self._broken):
            self._check()
            index = packet.stream.index
            self.sizes[index] += packet.size
            self._packets += 1
            self._given += index == self._picture and packet.size > 0 and not packet.is_discard
            try:
                frames = packet.decode()
            except DAMAGED as error:
                raise_if_away(error, self._path)
                if isinstance(error, av.error.EOFError) and not packet.size:
                    continue  # a decoder that was flushed twice
                self._failed(index)
                in_a_row += 1
                if in_a_row > MOST_IN_A_ROW:
                    self._gave_up = True
                    return
                continue
            in_a_row = 0
            self._attend(index, frames)
            for frame in frames:
                if index == self._picture:
                    self._fields |= bool(frame.interlaced_frame)
                    self._stamps.put(frame)
                    self._decoded += 1
                yield index, self._aligner.give(frame) if index == self._picture else frame
        self._listen()
        self._whole = True

    def _swallowed(self) -> int:
        """Pictures that a decoder took and gave nothing for, without a word. Only told where a packet holds one picture, which it may not
        where fields are coded apart, and where the decoder was emptied."""
        name = self._names[self._picture]
        apart = self._fields and name in _FIELDS_APART
        if not self._whole or apart or name in _NOT_ONE_TO_ONE or abs(self._given - 2 * self._decoded) <= 1:
            return 0
        return max(0, self._given - self._decoded)

    def _unaccounted(self) -> int:
        """Bytes of a Matroska file that belong to nothing that came out of it: zeros in the middle are skipped without a word. Its own
        structure takes a few hundredths; told only where it is much more, and where nothing else lies in the file."""
        others = len(self._container.streams) - len(self._streams)
        if not self._whole or others or not self._container.format.name.startswith("matroska"):
            return 0
        size = self._container.size
        left = size - sum(self.sizes.values()) - self._packets * _PACKET_BYTES - _STRUCTURE_BYTES
        return max(0, left) if left > _MUCH * size else 0

    def _broken(self) -> None:
        self._heard = len(self._lines)  # its words belong to what is counted here
        self._container_lines += 1
        self._breaks += 1
        self._gave_up = self._breaks > MOST_IN_A_ROW

    def _failed(self, index: int) -> None:
        self._heard = len(self._lines)
        if index == self._picture:
            self._lost += 1
            self._places.append(self._decoded)
        else:
            self._sound += 1

    def _attend(self, index: int, frames: Any) -> None:
        """A damaged picture often says so twice: in words, and by its mark."""
        self._listen()
        if index != self._picture:
            return
        for number, frame in enumerate(frames):
            if frame.is_corrupt:
                self._corrupt += 1
                self._places.append(self._decoded + number)

    def _listen(self) -> None:
        """Takes in the lines since the last time, by who says them: decoders work ahead in threads of their own, so that what one says
        of a picture comes while another packet is decoded."""
        fresh, self._heard = self._lines[self._heard :], len(self._lines)
        speakers = {name for _level, name, _words in fresh}
        if self._names[self._picture] in speakers:
            self._noisy += 1
            self._places.append(self._decoded)
        self._sound += bool(speakers & {name for index, name in self._names.items() if index != self._picture})
        self._container_lines += sum(name == self._container.format.name for _level, name, _words in fresh)


def damage_words(damage: Damage) -> str:
    """For people, without a full stop; empty where nothing was found."""
    parts = []
    if damage.frames:
        parts.append(f"{counted(damage.frames, 'frame', 'frames')} damaged")
    if damage.lost:
        parts.append(f"{counted(damage.lost, 'picture packet', 'picture packets')} could not be decoded")
    if damage.sound:
        parts.append(f"{counted(damage.sound, 'sound packet', 'sound packets')} damaged")
    if damage.container:
        parts.append(f"the file's structure is damaged in {counted(damage.container, 'place', 'places')}")
    if damage.unread_bytes:
        parts.append(f"{damage.unread_bytes / 1e6:.1f} MB behind the first part of the file are not read")
    if damage.gave_up:
        parts.append("the rest was given up after many damaged packets")
    return ", ".join(parts)
