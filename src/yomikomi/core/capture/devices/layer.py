"""What the system knows of capture devices: one protocol, so that a machine without any can be tested with invented ones."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol


@dataclass(frozen=True)
class DeviceFormat:
    """A picture format a device gives: four-letter code, size, and its rates."""

    code: str
    words: str
    width: int
    height: int
    rates: tuple[Fraction, ...]


@dataclass(frozen=True)
class VideoDevice:
    """Parameters
    ----------
    path : what is opened, such as ``/dev/video0``.
    inputs : names of its sockets, in the device's order. ``standards``: line standards it can be set to; empty for digital ones.
    busy : the programs that hold it, by name and process id, where the system tells.
    """

    path: str
    name: str
    driver: str = ""
    bus: str = ""
    formats: tuple[DeviceFormat, ...] = ()
    inputs: tuple[str, ...] = ()
    standards: tuple[str, ...] = ()
    busy: tuple[str, ...] = ()


@dataclass(frozen=True)
class SoundDevice:
    """``path`` is what is opened, such as ``hw:1,0``."""

    path: str
    name: str
    channels: int = 2
    rate: int = 48_000
    busy: tuple[str, ...] = ()


class DeviceLayer(Protocol):
    """Everything that is asked of the system. ``sound_kind``: the library's name of what opens its sound devices."""

    sound_kind: str

    def video_devices(self) -> list[VideoDevice]: ...

    def sound_devices(self) -> list[SoundDevice]: ...

    def choose(self, path: str, *, input_name: str | None, standard: str | None) -> None:
        """Select a socket and a line standard. Raises SourceLostError with what the device said."""

    def holders(self, path: str) -> tuple[str, ...]:
        """Programs that hold a device open, as ``name (process 123)``; empty where nobody does or the system does not tell."""
