"""Which drive a file truly lies on: two folders, two partitions or two names of one drive are one place to lose it."""

from __future__ import annotations

import os
from pathlib import Path

_BLOCK = Path("/sys/dev/block")
_MOUNTS = Path("/proc/self/mountinfo")


def disk_of(path: Path) -> str:
    """A name that is the same for all that one drive (or one server) holds; empty where it cannot be told.

    A file that is not there yet is asked about by its folder.
    """
    try:
        device = _existing(path).stat().st_dev
    except OSError:
        return ""
    number = f"{os.major(device)}:{os.minor(device)}"
    block = _BLOCK / number
    if block.exists():
        return "+".join(sorted(_drives_below(block.resolve()))) or block.resolve().name
    source = _mounted(number)
    return f"mount {source}" if source else f"device {number}"


def _existing(path: Path) -> Path:
    while not path.exists() and path != path.parent:
        path = path.parent
    return path


def _drives_below(block: Path) -> set[str]:
    """A partition lies on its drive; what is mapped, encrypted or striped lies on all that it is made of."""
    made_of = [one.resolve() for one in (block / "slaves").iterdir()] if (block / "slaves").is_dir() else []
    if made_of:
        return set().union(*(_drives_below(one) for one in made_of))
    drive = block.parent if (block / "partition").exists() else block
    return {_identity(drive)}


def _identity(drive: Path) -> str:
    """What the drive says of itself, which stays when it is connected elsewhere; one that says nothing goes by its name of today."""
    for told in ("wwid", "device/wwid", "serial", "device/serial"):
        try:
            words = (drive / told).read_text(errors="replace").split()
        except OSError:
            continue
        if words:
            return " ".join(words)
    return drive.name


def _mounted(number: str) -> str:
    """What is mounted under a device number that no drive has: a server's share, or memory."""
    try:
        lines = _MOUNTS.read_text(errors="replace").splitlines()
    except OSError:
        return ""
    for line in lines:
        fields, _, rest = line.partition(" - ")
        if fields.split()[2:3] == [number]:
            kind, source = rest.split()[:2]
            if source.startswith("//"):
                return f"{kind} {source.split('/')[2]}"  # the server: two shares of it lie on the same machine
            if ":" in source:
                return f"{kind} {source.partition(':')[0]}"
            return f"{kind} {source}" if "/" in source else f"{kind} {source} {number}"
    return ""
