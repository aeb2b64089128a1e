"""Sound devices that give more than 16 bits: the library's own input asks ALSA for 16, whatever the device has.

The ALSA library comes with the multimedia library. Only what a recording needs of it is declared here (its interface:
alsa-lib, ``pcm.h``; from memory).
"""

from __future__ import annotations

import ctypes
import ctypes.util
from collections.abc import Iterator
from functools import lru_cache
from pathlib import Path
from typing import Any

import av
import numpy as np
from numpy.typing import NDArray

_CAPTURE, _INTERLEAVED = 1, 3
_S32_LE, _S24_LE, _S24_3LE = 10, 6, 32
_PERIOD = 480  # frames: a hundredth of a second
_BUFFER_US = 500_000
_LEAST_BITS = 17


class DeepSound:
    """An opened device, of ``channels`` at ``rate``, whose samples have more than 16 bits.

    Raises
    ------
    OSError : the device cannot be opened, or it stops.
    NoDeepSoundError : it can, but not so; open it by the library instead.
    """

    def __init__(self, path: str, channels: int, rate: int) -> None:
        library = _library()
        if library is None:
            raise NoDeepSoundError("there is no ALSA library")
        self._library, self._channels = library, channels
        self._pcm = ctypes.c_void_p()
        self._check(library.snd_pcm_open(ctypes.byref(self._pcm), path.encode(), _CAPTURE, 0))
        try:
            self._format = self._set(channels, rate)
        except BaseException:
            library.snd_pcm_close(self._pcm)
            raise

    def blocks(self) -> Iterator[NDArray[np.int32]]:
        """Samples as they come, shape (samples, channels), full scale ±2³¹. What the device lost while nobody read is skipped."""
        width = 3 if self._format == _S24_3LE else 4
        room = ctypes.create_string_buffer(_PERIOD * self._channels * width)
        while True:
            count = self._library.snd_pcm_readi(self._pcm, room, _PERIOD)
            if count < 0:
                self._check(self._library.snd_pcm_recover(self._pcm, int(count), 1))  # the next reading starts it again
                continue
            yield _upper(room.raw[: count * self._channels * width], self._format).reshape(-1, self._channels)

    def close(self) -> None:
        self._library.snd_pcm_drop(self._pcm)
        self._library.snd_pcm_close(self._pcm)

    def _set(self, channels: int, rate: int) -> int:
        library, pcm = self._library, self._pcm
        wishes = ctypes.c_void_p()
        self._check(library.snd_pcm_hw_params_malloc(ctypes.byref(wishes)))
        try:
            self._check(library.snd_pcm_hw_params_any(pcm, wishes))
            kinds = (_S32_LE, _S24_LE, _S24_3LE)
            fitting = next((one for one in kinds if library.snd_pcm_hw_params_test_format(pcm, wishes, one) == 0), None)
            if fitting is None:
                raise NoDeepSoundError("the device has 16 bits")
            buffer, way = ctypes.c_uint(_BUFFER_US), ctypes.c_int(0)
            asked = (
                library.snd_pcm_hw_params_set_access(pcm, wishes, _INTERLEAVED),
                library.snd_pcm_hw_params_set_format(pcm, wishes, fitting),
                library.snd_pcm_hw_params_set_channels(pcm, wishes, channels),
                library.snd_pcm_hw_params_set_rate(pcm, wishes, rate, 0),
            )
            if min(asked) < 0:
                raise NoDeepSoundError("the device does not give so many channels at this rate")
            library.snd_pcm_hw_params_set_buffer_time_near(pcm, wishes, ctypes.byref(buffer), ctypes.byref(way))
            self._check(library.snd_pcm_hw_params(pcm, wishes))
            if 0 < library.snd_pcm_hw_params_get_sbits(wishes) < _LEAST_BITS:
                raise NoDeepSoundError("the device fills 16 bits of them")
            return fitting
        finally:
            library.snd_pcm_hw_params_free(wishes)

    def _check(self, code: int) -> None:
        if code < 0:
            raise OSError(-code, self._library.snd_strerror(code).decode(errors="replace"))


class NoDeepSoundError(Exception):
    """The device gives 16 bits, or is none of ALSA's."""


def _upper(raw: bytes, kind: int) -> NDArray[np.int32]:
    """Samples of a format with their highest bit on top."""
    if kind == _S24_3LE:
        whole = np.zeros((len(raw) // 3, 4), np.uint8)
        whole[:, 1:] = np.frombuffer(raw, np.uint8).reshape(-1, 3)
        return whole.view(np.int32)[:, 0]
    samples = np.frombuffer(raw, np.int32)
    return samples << 8 if kind == _S24_LE else samples.copy()


@lru_cache(maxsize=1)
def _library() -> Any:
    """The ALSA library that the multimedia library brought, or the system's; None where there is none."""
    beside = Path(av.__file__).parent.parent / "av.libs"
    for name in (*(str(one) for one in sorted(beside.glob("libasound*"))), ctypes.util.find_library("asound")):
        try:
            found = ctypes.CDLL(name) if name else None
        except OSError:
            continue
        if found is not None:
            found.snd_pcm_readi.restype = ctypes.c_long
            found.snd_pcm_readi.argtypes = [ctypes.c_void_p, ctypes.c_void_p, ctypes.c_ulong]
            found.snd_strerror.restype = ctypes.c_char_p
            return found
    return None
