"""Reading a device: pictures from one input of the library, sound from another, brought together on the pictures' clock.

The same code reads any live input of the library, so it is tried with generated ones. A device that hangs hangs only the thread
that reads it; the recorder notices, and the process can be ended.
"""

from __future__ import annotations

import contextlib
import os
import re
import threading
import time
from collections import deque
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.clocks import FrameNumberer
from yomikomi.core.capture.devices.alsa import DeepSound, NoDeepSoundError
from yomikomi.core.capture.devices.layer import DeviceLayer
from yomikomi.core.capture.devices.refusals import gone, refusal
from yomikomi.core.errors import SourceLostError
from yomikomi.core.video.colour import BT601_525, BT601_625, BT709
from yomikomi.core.video.planes import plane_samples
from yomikomi.core.video.sample_queue import SampleQueue
from yomikomi.core.video.source import Picture, SoundBlock, SourceEnded, SourceFormat, as_32_bits
from yomikomi.core.video.standards import STANDARDS, FieldOrder, Standard
from yomikomi.core.work.text import printable, shortened

SOUND_RATE = 48_000
_LARGEST, _FASTEST, _MOST_CHANNELS = 8192, 480, 64
# The bundled library looks for ALSA's files where it was built; these are where systems have them.
_ALSA_CONFIG, _ALSA_PLUGINS = Path("/usr/share/alsa/alsa.conf"), "/usr/lib/{machine}-linux-gnu/alsa-lib"


@dataclass(frozen=True)
class DeviceSpec:
    """A device with all that it is opened with.

    Parameters
    ----------
    video, sound : what is opened: a device's path, or a description of a generated input. ``sound`` may be empty.
    video_layer, sound_layer : the library's name of the input: ``v4l2``, ``alsa``, or ``lavfi`` for generated ones.
    width, height, rate : asked of the device; what it gives counts.
    code : four-letter picture format to ask for; empty leaves it to the device.
    input_name, standard : socket and line standard, where the device has several.
    commentary : a second sound device, kept on a track of its own.
    ends : a finite input: its end is an end. A device's end is a loss.
    """

    video: str
    width: int
    height: int
    rate: Fraction
    sound: str = ""
    video_layer: str = "v4l2"
    sound_layer: str = "alsa"
    code: str = ""
    input_name: str | None = None
    standard: str | None = None
    field_order: FieldOrder | None = None
    sample_aspect: Fraction = Fraction(1)
    channels: int = 2
    commentary: str = ""
    ends: bool = False

    def open(self) -> Device:
        from yomikomi.core.capture.devices.linux import LinuxLayer

        return Device(self, LinuxLayer())

    def to_json(self) -> dict[str, Any]:
        document = {**asdict(self), "kind": "device", "rate": str(self.rate), "sample_aspect": str(self.sample_aspect)}
        return {**document, "field_order": self.field_order.value if self.field_order else None}

    @classmethod
    def from_json(cls, document: dict[str, Any]) -> DeviceSpec:
        """From a record, which may be anybody's. Raises SourceLostError for what describes no capture device."""
        fields = {key: value for key, value in document.items() if key != "kind"}
        order = fields.get("field_order")
        try:
            made = cls(**{
                **fields, "rate": Fraction(fields["rate"]), "sample_aspect": Fraction(fields.get("sample_aspect", 1)),
                "field_order": FieldOrder(order) if order else None,
            })  # fmt: skip
            sizes = 0 < int(made.width) <= _LARGEST and 0 < int(made.height) <= _LARGEST and 0 < made.rate <= _FASTEST
            texts = (made.video, made.sound, made.commentary, made.code)
            sound = sizes and 0 <= int(made.channels) <= _MOST_CHANNELS and all(isinstance(one, str) for one in texts)
        except (TypeError, ValueError, KeyError, ZeroDivisionError) as error:
            words = shortened(printable(str(error)))
            raise SourceLostError(f"The device on record is none: {words}.", remedy="Choose the source again.") from error
        if not sound:
            raise SourceLostError("The device on record has an impossible size, rate or name.", remedy="Choose the source again.")
        check_device(made.video_layer, made.video)
        for path in (made.sound, made.commentary):
            if path:
                check_device(made.sound_layer, path)
        return made

    @property
    def format(self) -> SourceFormat:
        """As it was asked for; what an opened device gives counts."""
        commentary = int(bool(self.commentary))
        channels = (self.channels if self.sound else 0) + commentary
        return SourceFormat(self.picture_standard, self.field_order, self.sample_aspect, SOUND_RATE, channels, commentary)

    @property
    def picture_standard(self) -> Standard:
        """As line standard where it is one, else a standard of its own."""
        known = STANDARDS.get(self.standard or "")
        if known is not None and (known.width, known.height) == (self.width, self.height):
            return known
        colour = BT709 if self.height > 576 else BT601_625 if self.height in {576, 288} else BT601_525
        words = f"{self.height} lines, {float(self.rate):.2f}"
        one = Fraction(1)
        return Standard("device", self.width, self.height, self.rate, one, one, colour, words, interlaced=self.field_order is not None)


class SoundThread(threading.Thread):
    """Reads sound into a buffer of samples, with the moment at which the newest arrived."""

    def __init__(self, layer: str, path: str, channels: int) -> None:
        super().__init__(name="device sound", daemon=True)
        self.channels = channels
        self._deep = _deep_sound(path, channels) if layer == "alsa" else None
        if self._deep is None:
            self._container = _open(path, layer, {"channels": str(channels), "sample_rate": str(SOUND_RATE)} if layer == "alsa" else {})
            self.bits = 24 if self._container.streams.audio[0].codec_context.format.bytes > 2 else 16
        else:
            self.bits = 24
        self._kind = np.int32 if self.bits > 16 else np.int16
        self._lock = threading.Lock()
        self._waiting = SampleQueue(channels, self._kind)
        self._going = True
        self.failed: str = ""
        self.newest_stamp = 0

    def run(self) -> None:
        try:
            for samples in self._deep.blocks() if self._deep else self._decoded():
                if not self._going:
                    break
                with self._lock:
                    self._waiting.put(samples)
                    self.newest_stamp = time.monotonic_ns() // 1000
        except (av.error.FFmpegError, OSError) as error:
            self.failed = str(error)
        if self._deep:
            self._deep.close()

    def _decoded(self) -> Iterator[NDArray[Any]]:
        layout = "mono" if self.channels == 1 else "stereo"
        resampler = av.AudioResampler(format="s32" if self.bits > 16 else "s16", layout=layout, rate=SOUND_RATE)
        for frame in self._container.decode(audio=0):
            for made in resampler.resample(frame):
                yield np.asarray(made.to_ndarray(), self._kind).reshape(-1, self.channels)

    def take(self, count: int) -> NDArray[Any]:
        """ndarray [shape=(samples, channels)]: the oldest ``count`` samples, no more than are held."""
        with self._lock:
            return self._waiting.take(count)

    @property
    def held(self) -> int:
        return self._waiting.held

    def stop(self) -> None:
        self._going = False

    def finish(self) -> None:
        """After :meth:`stop`: the device is free, whether it was ever read or not."""
        if self.ident is not None:
            self.join(0.5)
        elif self._deep:
            self._deep.close()


@dataclass(frozen=True)
class _Seen:
    """A picture as it came, with its stamp in microseconds."""

    stamp: int
    y: NDArray[Any]
    u: NDArray[Any]
    v: NDArray[Any]

    def is_again(self, before: _Seen) -> bool:
        """The same picture under the same stamp: the driver handed it on twice."""
        same = self.stamp == before.stamp and self.y.shape == before.y.shape
        return same and all(np.array_equal(*pair) for pair in ((self.y, before.y), (self.u, before.u), (self.v, before.v)))


# What the library may be asked to open as a device, by its layer; anything else in a record is none of ours.
_LAYERS = {
    "v4l2": re.compile(r"/dev/(video\d{1,3}|v4l/by-(id|path)/[\w.:+-]{1,200})"),
    "alsa": re.compile(r"(default|pulse|pipewire|(plug|sys|d)?(hw|default|snoop):[\w,=.-]{1,80})"),
}


def check_device(layer: str, path: str) -> None:
    """Raises SourceLostError for what is no capture device: other inputs of the library open files and addresses."""
    known = _LAYERS.get(layer)
    if known is None or not known.fullmatch(path):
        raise SourceLostError(
            f"{path[:80]!r} is no capture device.", remedy="Use one that yomikomi sources lists, such as /dev/video0 or hw:1,0."
        )


class Device:
    """The opened device. Frames get their numbers from their stamps; sound is handed out by the count that belongs to each."""

    def __init__(self, spec: DeviceSpec, layer: DeviceLayer) -> None:
        self.spec = spec
        _find_alsa()
        if spec.video_layer == "v4l2" and (spec.input_name or spec.standard):
            layer.choose(spec.video, input_name=spec.input_name, standard=spec.standard)
        # Stamps as the driver gives them, of a clock that nobody sets; the wall clock's would leap with it.
        options = {"video_size": f"{spec.width}x{spec.height}", "framerate": str(spec.rate), "timestamps": "default"}
        if spec.code:
            options["input_format"] = spec.code.lower()
        try:
            self._container = _open(spec.video, spec.video_layer, options if spec.video_layer == "v4l2" else {})
        except OSError as error:
            raise refusal(spec.video, error, layer) from error
        stream = self._container.streams.video[0]
        given = (stream.codec_context.width, stream.codec_context.height)
        self._sounds: list[SoundThread] = []
        try:
            for path, channels in ((spec.sound, spec.channels), (spec.commentary, 1)):
                if path:
                    self._sounds.append(SoundThread(spec.sound_layer, path, channels))
        except OSError as error:
            self._container.close()
            raise refusal(spec.sound, error, layer) from error
        deep = max((thread.bits for thread in self._sounds), default=16)
        self.format = replace(spec.format, standard=replace(spec.picture_standard, width=given[0], height=given[1]), sound_bits=deep)
        self._frames = self._container.decode(video=0)
        self._numbers = FrameNumberer(spec.rate)
        self._next_sample = 0
        self._started = False
        self._held: deque[_Seen] = deque()  # read, not yet numbered
        self._ready: deque[Picture] = deque()
        self._last: _Seen | None = None
        self._over: BaseException | None = None
        self.doubled = 0

    def read(self) -> tuple[Picture, SoundBlock]:
        if not self._started:
            self._started = True
            for thread in self._sounds:
                thread.start()
        while not self._ready:
            if self._over is not None:
                raise self._over
            self._read_one()
        picture = self._ready.popleft()
        if picture.number == 0:  # what was heard before the first picture belongs to none
            for thread in self._sounds:
                thread.take(thread.held)
        return picture, self._heard()

    def close(self) -> None:
        for thread in self._sounds:
            thread.stop()
        with contextlib.suppress(Exception):
            self._container.close()
        for thread in self._sounds:
            thread.finish()

    def _read_one(self) -> None:
        """One frame from the device. A picture that comes twice with one stamp is dropped and counted; nothing else ever is."""
        try:
            frame = next(self._frames)
        except (StopIteration, av.error.FFmpegError, OSError) as error:
            self._over = self._ending(error)
            self._number(self._numbers.flush())
            return
        arrived = time.monotonic_ns() // 1000
        stamp = arrived if frame.pts is None else round(frame.pts * Fraction(frame.time_base or Fraction(1, 1_000_000)) * 1_000_000)
        shown = frame if frame.format.name == "yuv422p" else frame.reformat(format="yuv422p")
        y, u, v = (plane_samples(plane).copy() for plane in shown.planes)
        seen = _Seen(stamp, y, u, v)
        if self._last is not None and seen.is_again(self._last):
            self.doubled += 1
            return
        self._last = seen
        self._held.append(seen)
        self._number(self._numbers.push(stamp, arrived))

    def _number(self, numbers: list[int]) -> None:
        for number in numbers:
            seen = self._held.popleft()
            self._ready.append(Picture(number, seen.y, seen.u, seen.v, time.monotonic(), seen.stamp))

    def _ending(self, error: BaseException) -> BaseException:
        if isinstance(error, StopIteration | av.error.EOFError):
            if self.spec.ends:
                return SourceEnded()
            return SourceLostError("The device stopped giving pictures.", remedy="Check its cable and its source; what came is kept.")
        return gone(self.spec.video, error)  # type: ignore[arg-type]

    def _heard(self) -> SoundBlock:
        """All the sound that came since last asked, counted by its own clock: what parts it from the picture's clock is drift, and
        is measured, not hidden. A commentary is brought to the programme's count."""
        if not self._sounds:
            return SoundBlock(0, np.zeros((0, 0), np.int16))
        first = self._sounds[0]
        count, start = first.held, self._next_sample
        stamp = first.newest_stamp - round(count * 1e6 / SOUND_RATE)
        parts = [first.take(count)]
        for thread in self._sounds[1:]:
            held = thread.take(min(count, thread.held))
            parts.append(np.concatenate([held, np.zeros((count - len(held), thread.channels), held.dtype)]))
        if self.format.sound_bits > 16:
            parts = [as_32_bits(part) for part in parts]
        self._next_sample += count
        return SoundBlock(start, np.concatenate(parts, axis=1), stamp if count else None)


def _deep_sound(path: str, channels: int) -> DeepSound | None:
    """The device with more than 16 bits; None where it has no more, or where the library is to say why it cannot be opened."""
    try:
        return DeepSound(path, channels, SOUND_RATE)
    except (NoDeepSoundError, OSError):
        return None


def _open(path: str, layer: str, options: dict[str, str]) -> Any:
    return av.open(path, format=layer, options={key: value for key, value in options.items() if value})


def _find_alsa() -> None:
    import platform

    if "ALSA_CONFIG_PATH" not in os.environ and _ALSA_CONFIG.exists():
        os.environ["ALSA_CONFIG_PATH"] = str(_ALSA_CONFIG)
        os.environ.setdefault("ALSA_PLUGIN_DIR", _ALSA_PLUGINS.format(machine=platform.machine()))
