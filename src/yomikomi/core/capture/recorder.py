"""Writes frames and sound to Matroska, FFV1 and PCM, so that a crash costs at most half a second."""

from __future__ import annotations

import contextlib
import errno
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import DriveFullError, UnfinishedError
from yomikomi.core.video.geometry import Geometry
from yomikomi.core.video.graph import FilterLine
from yomikomi.core.video.matroska import set_display_shape
from yomikomi.core.video.planes import frame_from_planes
from yomikomi.core.video.source import Picture, SoundBlock, SourceFormat
from yomikomi.core.video.standards import FieldOrder

# A cluster a quarter second, flushed as packets come: measured loss at kill -9 is 0.03 to 0.17 s (docs/science.md).
_CONTAINER_OPTIONS = {"cluster_time_limit": "250", "flush_packets": "1"}
_FFV1_OPTIONS = {"level": "3", "slices": "4", "slicecrc": "1"}
# AVFieldOrder numbers: progressive; coded and shown top first; coded and shown bottom first.
_FIELD_ORDER_NUMBER = {None: 1, FieldOrder.TFF: 2, FieldOrder.BFF: 3}
_FULL = {errno.ENOSPC, errno.EDQUOT, errno.EFBIG}


class Recorder:
    """One open file. Not thread-safe: one thread writes.

    Raises
    ------
    DriveFullError : there is no room left; what was written stays and is closed as well as may be.
    """

    def __init__(self, path: Path, source: SourceFormat) -> None:
        self.path = path
        self.bytes_written = 0
        self.frames = 0
        self._source = source
        self._rate = source.standard.rate
        self._closed = False
        self._failed: UnfinishedError | None = None
        try:
            self._container = av.open(str(path), "w", format="matroska", container_options=_CONTAINER_OPTIONS)
        except OSError as error:
            raise _translate(error, path) from error
        self._video = self._add_video()
        self._sound = self._add_sound()
        self._shaped = False
        self._flags: FilterLine | None = None

    def write_picture(self, picture: Picture) -> None:
        """Encode one frame; its number is its time stamp, so a gap stays a gap."""
        frame = frame_from_planes(picture.y, picture.u, picture.v)
        frame.pts = picture.number
        frame.time_base = 1 / self._rate
        self._source.standard.colour.put_on(self._video.codec_context)
        if self._flags is None:
            order = self._source.field_order.value if self._source.field_order else "prog"
            self._flags = FilterLine(
                [("setfield", order)], template=frame, time_base=1 / self._rate, rate=self._rate,
                sample_aspect=self._source.sample_aspect,
            )  # fmt: skip
        for marked in self._flags.push(frame):
            self._mux(self._video.encode(marked))
        self.frames += 1
        if not self._shaped and self.frames > 4:
            self._mark_shape()  # the header is on the drive by now

    def write_sound(self, block: SoundBlock) -> None:
        if not len(block.samples):
            return
        samples: NDArray[np.int16] = np.ascontiguousarray(block.samples.reshape(1, -1))
        layout = "mono" if self._source.sound_channels == 1 else "stereo"
        frame = av.AudioFrame.from_ndarray(samples, format="s16", layout=layout)
        frame.sample_rate = self._source.sound_rate
        frame.pts = block.start
        frame.time_base = Fraction(1, self._source.sound_rate)
        self._mux(self._sound.encode(frame))

    def close(self) -> None:
        """Finish the file. Raises like the writing methods when the last of it could not be written and nobody was told yet;
        on a full drive the file stays as it is: Matroska loses only its index."""
        if self._closed:
            return
        self._closed = True
        told = self._failed
        try:
            self._mux(self._video.encode(None))
            self._mux(self._sound.encode(None))
        except UnfinishedError:
            pass
        finally:
            self._close_container()
            with contextlib.suppress(OSError):
                self._mark_shape()  # closing may have written the header anew
        if self._failed is not None and told is None:
            raise self._failed

    def _mark_shape(self) -> None:
        standard = self._source.standard
        self._shaped = set_display_shape(self.path, Geometry(standard.width, standard.height, self._source.sample_aspect))

    def _close_container(self) -> None:
        for _ in range(2):  # the first close of a file on a full drive raises and leaves it open (findings)
            try:
                self._container.close()
            except OSError as error:
                self._failed = self._failed or _translate(error, self.path)
            else:
                return

    def _add_video(self) -> av.VideoStream:
        standard = self._source.standard
        stream = self._container.add_stream("ffv1", rate=standard.rate, options=_FFV1_OPTIONS)
        stream.width, stream.height, stream.pix_fmt = standard.width, standard.height, "yuv422p"
        stream.sample_aspect_ratio = self._source.sample_aspect
        stream.codec_context.sample_aspect_ratio = self._source.sample_aspect
        stream.codec_context.time_base = 1 / standard.rate
        stream.codec_context.field_order = _FIELD_ORDER_NUMBER[self._source.field_order]
        stream.codec_context.thread_count = 2
        standard.colour.put_on(stream.codec_context)
        return stream

    def _add_sound(self) -> av.AudioStream:
        layout = "mono" if self._source.sound_channels == 1 else "stereo"
        stream: av.AudioStream = self._container.add_stream("pcm_s16le", rate=self._source.sound_rate, layout=layout)
        return stream

    def _mux(self, packets: list[av.Packet]) -> None:
        for packet in packets:
            self.bytes_written += packet.size
            try:
                self._container.mux(packet)
            except OSError as error:
                self._failed = _translate(error, self.path)
                raise self._failed from error


def _translate(error: OSError, path: Path) -> UnfinishedError:
    if error.errno in _FULL:
        return DriveFullError("The drive is full: the take ends here and is kept.", remedy="Make room or choose another drive.", path=path)
    if error.errno in {errno.EACCES, errno.EROFS, errno.EPERM}:
        return UnfinishedError(
            f"{path.parent.name}/ may not be written.", remedy="Choose a workspace on a drive you may write to.", path=path
        )
    return UnfinishedError(f"The take could not be written: {error.strerror}.", remedy="Check the drive.", path=path)
