"""Writes frames and sound to one file so that a crash costs at most half a second."""

from __future__ import annotations

import contextlib
import errno
import time
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.recording import CONTAINER_OPTIONS, RecordAs, add_sound, add_video, picture_filters
from yomikomi.core.errors import DriveFullError, UnfinishedError
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.picture_note import NOTE_KEY, PictureNote
from yomikomi.core.video.planes import frame_from_planes, native_format
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.work.priority import tame_encoders

_FULL = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}


class Recorder:
    """One open file. Not thread-safe: one thread writes.

    Parameters
    ----------
    path : must not exist; its suffix should be that of ``record_as``.
    source : what is recorded.
    record_as : how.
    first : number of the frame that becomes the file's first; what lies before it is an error.

    Raises
    ------
    DriveFullError : there is no room left; what was written stays and is closed as well as may be.
    """

    def __init__(self, path: Path, source: SourceFormat, record_as: RecordAs | None = None, *, first: int = 0) -> None:
        self.path = path
        self.record_as = record_as or RecordAs()
        self.bytes_written = 0
        self.frames = 0
        # Time spent in the encoder and in handing packets to the drive, seconds since the file was begun.
        self.encode_seconds = self.write_seconds = 0.0
        self.slowest_write = 0.0
        self._source, self._first = source, first
        self._rate = source.standard.rate
        self._closed = False
        self._failed: UnfinishedError | None = None
        timecode = self.record_as.timecode_at(self._rate, first)
        kind = self.record_as.container(source.bits)
        tame_encoders()
        try:
            self._container = av.open(str(path), "w", format=kind, container_options=CONTAINER_OPTIONS[kind])
        except OSError as error:
            raise _translate(error, path) from error
        self._video = add_video(self._container, self.record_as, source)
        self._sound = add_sound(self._container, self.record_as, source)
        self._video.metadata["timecode"] = timecode
        if kind == "matroska":
            self._container.metadata["timecode"] = timecode
        elif kind == "nut":
            self._container.metadata[NOTE_KEY] = PictureNote.of(source).text
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
        if not self._shaped and self.frames > 4:
            self._mark_shape()  # the header is on the drive by now

    def write_sound(self, block: SoundBlock) -> None:
        if not len(block.samples) or not self._sound:
            return
        start = max(0, block.start - self._source.first_sample(self._first))
        at = 0
        for track, stream in zip(self._source.tracks, self._sound, strict=True):
            part: NDArray[np.int16] = np.ascontiguousarray(block.samples[:, at : at + track.channels]).reshape(1, -1)
            at += track.channels
            frame = av.AudioFrame.from_ndarray(part, format="s16", layout="mono" if track.channels == 1 else "stereo")
            frame.sample_rate = self._source.sound_rate
            frame.pts = start
            frame.time_base = Fraction(1, self._source.sound_rate)
            self._mux(stream.encode(frame))

    def close(self) -> None:
        """Finish the file. Raises like the writing methods when the last of it could not be written and nobody was told yet;
        on a full drive the file stays as it is: Matroska loses only its index."""
        if self._closed:
            return
        self._closed = True
        told = self._failed
        try:
            self._mux(self._video.encode(None))
            for stream in self._sound:
                self._mux(stream.encode(None))
        except UnfinishedError:
            pass
        except av.error.FFmpegError as error:  # an encoder that was never given anything
            if self.frames:
                self._failed = self._failed or UnfinishedError(f"The take could not be finished: {error.strerror}.", path=self.path)
        finally:
            self._close_container()
            if not self._shaped or self.record_as.container(self._source.bits) == "matroska":
                with contextlib.suppress(OSError):
                    self._mark_shape()  # closing may have written the header anew
        if self._failed is not None and told is None:
            raise self._failed

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
            self.bytes_written += packet.size
            began = time.perf_counter()
            try:
                self._container.mux(packet)
            except OSError as error:
                self._failed = _translate(error, self.path)
                raise self._failed from error
            finally:
                taken = time.perf_counter() - began
                self.write_seconds += taken
                self.slowest_write = max(self.slowest_write, taken)


def _translate(error: OSError, path: Path) -> UnfinishedError:
    if error.errno in _FULL:
        return DriveFullError("The drive is full: the take ends here and is kept.", remedy="Make room or choose another drive.", path=path)
    if error.errno in {errno.EACCES, errno.EROFS, errno.EPERM}:
        return UnfinishedError(
            f"{path.parent.name}/ may not be written.", remedy="Choose a workspace on a drive you may write to.", path=path
        )
    return UnfinishedError(f"The take could not be written: {error.strerror}.", remedy="Check the drive.", path=path)
