"""Writes frames and sound to one file so that a crash costs at most half a second."""

from __future__ import annotations

import contextlib
import time
from collections import deque
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture import sentences
from yomikomi.core.capture.recording import CONTAINER_OPTIONS, RecordAs, add_sound, add_video, picture_filters
from yomikomi.core.errors import UnfinishedError, UnreadableError, YomikomiError
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.picture_note import NOTE_KEY, PictureNote
from yomikomi.core.video.planes import frame_from_planes, native_format
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat, as_32_bits
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import Claim
from yomikomi.core.work.priority import tame_encoders

# Pictures that may be on their way to the drive: a quarter second of file, and what an encoder holds.
_RECENT = 400


class Recorder:
    """One open file. Not thread-safe: one thread writes.

    Parameters
    ----------
    path : must not exist; its suffix should be that of ``record_as``. The name is claimed: nobody else can write there.
    source : what is recorded.
    record_as : how.
    first : number of the frame that becomes the file's first; what lies before it is an error.
    claimed : ``path`` is the part of a :class:`NewFile`, empty and ours already.

    Raises
    ------
    DriveFullError : there is no room left; what was written stays and is closed as well as may be.
    DriveAwayError : the drive cannot be reached any more.
    NameTakenError : something has the name.
    """

    def __init__(
        self, path: Path, source: SourceFormat, record_as: RecordAs | None = None, *, first: int = 0, claimed: bool = False
    ) -> None:
        self.path = path
        self.record_as = record_as or RecordAs()
        self.bytes_written = 0
        self.frames = 0
        self._muxed = 0  # pictures handed to the drive
        self._recent: deque[int] = deque(maxlen=_RECENT)  # and the numbers of the newest of them
        self._ends_before = 2**40
        # Time spent in the encoder and in handing packets to the drive, seconds since the file was begun.
        self.encode_seconds = self.write_seconds = 0.0
        self.slowest_write = 0.0
        self._source, self._first = source, first
        self._rate = source.standard.rate
        self._closed = False
        self._failed: YomikomiError | None = None
        timecode = self.record_as.timecode_at(self._rate, first)
        kind = self.record_as.container(source.bits)
        tame_encoders()
        self._claim = None if claimed else Claim(path)
        try:
            self._container = av.open(str(path), "w", format=kind, container_options=CONTAINER_OPTIONS[kind])
            self._video = add_video(self._container, self.record_as, source)
            self._sound = add_sound(self._container, self.record_as, source)
        except BaseException as error:
            if self._claim is not None:
                self._claim.give_up()
            if isinstance(error, OSError):
                raise _translate(error, path) from error
            raise
        self._video.metadata["timecode"] = timecode
        if kind == "matroska":
            self._container.metadata["timecode"] = timecode
        elif kind == "nut":
            self._container.metadata[NOTE_KEY] = PictureNote.of(source).text
        self._kind = kind
        self._shaped = kind != "matroska"
        self._flags: FilterLine | None = None

    def write_picture(self, picture: Picture) -> None:
        """Encode one frame; its number is its time stamp, so a gap stays a gap."""
        began = time.perf_counter()
        frame = frame_from_planes(picture.y, picture.u, picture.v, pixel_format=native_format(self._source.bits))
        frame.pts = picture.number - self._first
        frame.time_base = 1 / self._rate
        if self._flags is None:
            self._source.standard.colour.put_on(self._video.codec_context)
            self._flags = FilterLine(
                picture_filters(self._source, str(self._video.pix_fmt)), template=frame, time_base=1 / self._rate, rate=self._rate,
                sample_aspect=self._source.sample_aspect,
            )  # fmt: skip
        for marked in self._flags.push(frame):
            packets = self._video.encode(marked)
            self.encode_seconds += time.perf_counter() - began
            self._mux(packets)
        self.frames += 1
        if not self._shaped and self.frames > 4 and self.there():
            with contextlib.suppress(OSError):
                self._mark_shape()  # the header is on the drive by now

    def write_sound(self, block: SoundBlock) -> None:
        if not len(block.samples) or not self._sound:
            return
        start = max(0, block.start - self._source.first_sample(self._first))
        at = 0
        samples: NDArray[Any] = as_32_bits(block.samples) if self._source.sound_bits > 16 else block.coarse
        for track, stream in zip(self._source.tracks, self._sound, strict=True):
            part = np.ascontiguousarray(samples[:, at : at + track.channels]).reshape(1, -1)
            at += track.channels
            kind, layout = "s32" if samples.dtype == np.int32 else "s16", "mono" if track.channels == 1 else "stereo"
            frame = av.AudioFrame.from_ndarray(part, format=kind, layout=layout)
            frame.sample_rate = self._source.sound_rate
            frame.pts = start
            frame.time_base = Fraction(1, self._source.sound_rate)
            self._mux(stream.encode(frame))

    def there(self) -> bool:
        """Whether the file is still where it was begun: not when its drive was pulled or its folder renamed."""
        return self._claim is None or self._claim.there()

    def leave_to_next(self, number: int) -> None:
        """Frame ``number`` of the source, which was begun here, belongs to another file."""
        self._ends_before = number - self._first
        self.frames -= sum(one >= self._ends_before for one in self._recent)

    def close(self) -> None:
        """Finish the file and bring it to the drive. Raises like the writing methods when the last of it could not be written and
        nobody was told yet; on a full drive the file stays as it is: Matroska loses only its index. What the encoder still held then
        is not counted among the frames. A file that never got a frame is removed."""
        if self._closed:
            return
        self._closed = True
        told = self._failed
        try:
            self._finish_streams()
        finally:
            self._close_container()
            if self._failed is not None:
                self._count_what_is_there()
            if self._failed is None and self._kind == "matroska":
                with contextlib.suppress(OSError):
                    self._mark_shape()  # closing may have written the header anew
            self._let_go()
        if self._failed is not None and told is None:
            raise self._failed

    def _finish_streams(self) -> None:
        held = self.frames - self._muxed
        try:
            if self._failed is None:
                self._mux(self._video.encode(None))
                for stream in self._sound:
                    self._mux(stream.encode(None))
        except UnfinishedError:
            pass  # remembered by _mux
        except av.error.FFmpegError as error:  # an encoder that was never given anything
            if self.frames:
                self._failed = self._failed or UnfinishedError(f"The take could not be finished: {error.strerror}.", path=self.path)
        if self._failed is not None and held > 0:
            self.frames = self._muxed

    def _count_what_is_there(self) -> None:
        """After a drive refused to take more: frames that were handed on and are not in the file are not counted."""
        if not self.there() or not self._recent:
            return
        last = -1
        with contextlib.suppress(UnreadableError), open_media(self.path) as container:
            stream = video_stream(container, self.path)
            with contextlib.suppress(av.error.FFmpegError):
                container.seek(int(max(0, self._recent[0]) / self._rate * av.time_base))
            base = Fraction(stream.time_base or Fraction(1, 1000))
            for packet in packets_of(container, [stream], self.path):
                if packet.pts is not None:
                    last = max(last, round(packet.pts * base * self._rate))
        if last >= self._recent[0] or self._muxed == len(self._recent):
            self.frames = self._muxed - sum(number > last or number >= self._ends_before for number in self._recent)

    def _let_go(self) -> None:
        claim = self._claim
        if claim is None:
            return
        try:
            if self.frames == 0 and self._muxed == 0:
                claim.give_up()
                return
            claim.sync()
        except OSError as error:
            self._failed = self._failed or _translate(error, self.path)
        finally:
            claim.close()

    def _mark_shape(self) -> None:
        self._shaped = set_display_shape(self.path, self._source.geometry)

    def _close_container(self) -> None:
        for _ in range(2):  # the first close of a file on a full drive raises and leaves it open (findings)
            try:
                self._container.close()
            except OSError as error:
                self._failed = self._failed or _translate(error, self.path)
            else:
                return

    def _mux(self, packets: list[av.Packet]) -> None:
        for packet in packets:
            began, size = time.perf_counter(), packet.size
            picture = packet.stream.index == self._video.index
            # Muxing may bring the stamp to the container's own clock.
            stamp = round((packet.pts or 0) * Fraction(packet.time_base or 1) * self._rate) if picture else 0
            try:
                self._container.mux(packet)
                self.bytes_written += size
                if picture:
                    self._muxed += 1
                    self._recent.append(stamp)
            except OSError as error:
                self._failed = _translate(error, self.path)
                raise self._failed from error
            finally:
                taken = time.perf_counter() - began
                self.write_seconds += taken
                self.slowest_write = max(self.slowest_write, taken)


def _translate(error: OSError, path: Path) -> YomikomiError:
    return drive_error(error, path, safe=sentences.KEPT)
