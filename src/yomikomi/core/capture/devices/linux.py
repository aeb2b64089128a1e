"""The Linux system's devices: Video4Linux through linuxpy, ALSA through its own lists, holders through the process table."""

from __future__ import annotations

import contextlib
import os
import re
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import psutil

from yomikomi.core.capture.devices.layer import DeviceFormat, SoundDevice, VideoDevice
from yomikomi.core.capture.devices.refusals import refusal
from yomikomi.core.errors import SourceLostError

_PROC_SOUND = Path("/proc/asound")
# V4L2 standards by the lines they have; a device names finer ones (NTSC-M, PAL-B …).
_LINES = {"525i": ("NTSC", "PAL_M", "PAL_60"), "625i": ("PAL", "SECAM")}


class LinuxLayer:
    """Asks the running system. What cannot be asked (a device that refuses, a missing file) is left out, not guessed."""

    sound_kind = "alsa"

    def video_devices(self) -> list[VideoDevice]:
        from linuxpy.video.device import iter_video_capture_files

        found = []
        with contextlib.suppress(OSError):
            found = [self._video(Path(path)) for path in sorted(iter_video_capture_files(), key=_number)]
        return found

    def sound_devices(self) -> list[SoundDevice]:
        return list(_captures(_PROC_SOUND, self.holders))

    def choose(self, path: str, *, input_name: str | None, standard: str | None) -> None:
        from linuxpy.video.device import Device

        try:
            with Device(path) as device:
                if input_name is not None:
                    numbers = [one.index for one in device.info.inputs if one.name == input_name]
                    if not numbers:
                        raise SourceLostError(f"{path} has no input {input_name!r}.", remedy="Choose one of those it lists.")
                    device.set_input(numbers[0])
                if standard is not None:
                    _set_standard(device, standard, path)
        except OSError as error:
            raise refusal(path, error, self) from error

    def holders(self, path: str) -> tuple[str, ...]:
        return tuple(_holders(path))

    def _video(self, path: Path) -> VideoDevice:
        from linuxpy.video.device import Device

        busy = self.holders(str(path))
        try:
            with Device(str(path)) as device:
                info = device.info
                return VideoDevice(
                    path=str(path), name=str(info.card), driver=str(info.driver), bus=str(info.bus_info), formats=tuple(_formats(info)),
                    inputs=tuple(str(one.name) for one in info.inputs), standards=tuple(_standards(info)), busy=busy,
                )  # fmt: skip
        except OSError as error:
            return VideoDevice(path=str(path), name=f"{path.name} ({error.strerror})", busy=busy)


def _formats(info: Any) -> Iterator[DeviceFormat]:
    """One row for each code and size, with all its rates."""
    rows: dict[tuple[str, int, int], set[Fraction]] = {}
    for one in info.frame_sizes:
        key = (str(getattr(one.pixel_format, "name", one.pixel_format)), int(one.width), int(one.height))
        rates = rows.setdefault(key, set())
        with contextlib.suppress(TypeError, ValueError, ZeroDivisionError):
            rates.add(Fraction(one.max_fps))
    for (code, width, height), rates in rows.items():
        yield DeviceFormat(code, code.lower(), width, height, tuple(sorted(rates)))


def _standards(info: Any) -> list[str]:
    names = [str(getattr(one, "name", one)).upper().replace("-", "_") for one in getattr(info, "video_standards", [])]
    return [lines for lines, starts in _LINES.items() if any(name.startswith(starts) for name in names)]


def _set_standard(device: Any, standard: str, path: str) -> None:
    from linuxpy.video import raw

    flag = {"525i": raw.StandardID.NTSC, "625i": raw.StandardID.PAL}.get(standard)
    if flag is None:
        raise SourceLostError(f"{standard} is no line standard of analogue devices.", remedy="Use 525i or 625i.")
    device.set_std(flag)
    if device.get_std() & flag == 0:
        raise SourceLostError(f"{path} did not take the standard {standard}.", remedy="Choose another input, or another device.")


def _captures(folder: Path, holders: Any) -> Iterator[SoundDevice]:
    """Devices that record, from the system's list of PCM devices: ``01-00: id : name : … : capture 1``."""
    lines: list[str] = []
    with contextlib.suppress(OSError):
        lines = (folder / "pcm").read_text().splitlines()
    for line in lines:
        place, _, rest = line.partition(":")
        if "capture" not in rest or not re.fullmatch(r"\d+-\d+", place.strip()):
            continue
        card, device = (int(part) for part in place.split("-"))
        fields = [part.strip() for part in rest.split(":")]
        name = fields[1] if len(fields) > 1 and fields[1] else fields[0]
        yield SoundDevice(f"hw:{card},{device}", _card_name(folder, card, name), busy=holders(f"/dev/snd/pcmC{card}D{device}c"))


def _card_name(folder: Path, card: int, name: str) -> str:
    with contextlib.suppress(OSError):
        known = re.search(rf"^\s*{card}\s*\[[^\]]*\]:\s*(.+)$", (folder / "cards").read_text(), re.MULTILINE)
        if known:
            return f"{known[1].strip()}: {name}"
    return name


def _holders(path: str) -> Iterator[str]:
    """Other processes with the device open. Those of other people are only told to the administrator."""
    real = os.path.realpath(path)
    for process in psutil.process_iter(["pid", "name"]):
        if process.info["pid"] == os.getpid():
            continue
        with contextlib.suppress(OSError, psutil.Error):
            for entry in Path(f"/proc/{process.info['pid']}/fd").iterdir():
                if str(entry.readlink()) == real:
                    yield f"{process.info['name']} (process {process.info['pid']})"
                    break


def _number(path: Any) -> tuple[int, str]:
    digits = re.search(r"(\d+)$", str(path))
    return (int(digits[1]) if digits else 0, str(path))
