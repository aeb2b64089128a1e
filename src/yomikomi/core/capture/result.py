"""How a capture pass ended: apart from the pass itself, so that the record knows it without loading what passes need."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class CaptureResult:
    """How a pass ended. ``trouble`` is empty when it ended as wished; ``ended`` says why in either case; ``stopped``: by hand.

    ``doubled``: pictures that the driver handed on twice, the second of which was left out. ``logged``: the health log beside the take
    is its own. ``gaps``: frames that are missing, as (first number, how many); ``parts``: all files, ``path`` the first.
    """

    path: Path | None
    frames: int
    seconds: float
    late: int
    dropped: int
    bytes_written: int
    trouble: str = ""
    remedy: str = ""
    ended: str = ""
    repeated: int = 0
    gaps: tuple[tuple[int, int], ...] = ()
    parts: tuple[Path, ...] = ()
    tail_seconds: float = 0.0
    headroom: float = 0.0
    stopped: bool = False
    doubled: int = 0
    logged: bool = False
