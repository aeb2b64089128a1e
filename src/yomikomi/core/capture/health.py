"""What a recording says of itself while it runs, and the log of it that is kept beside the take."""

from __future__ import annotations

import contextlib
import json
from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, ValidationError

from yomikomi.core.capture.loudness import Loudness
from yomikomi.core.capture.rules import Warned
from yomikomi.core.capture.scopes import Scopes
from yomikomi.core.capture.sound_watch import SILENT_DB, SoundLevels

# A frame counts as late when it was ready this part of a frame period before it was fetched.
LATE_PERIODS = 1.0
_NO_LEVELS = SoundLevels((), ())


@dataclass(frozen=True)
class Preview:
    """A picture for the screen: ``rgb`` holds height x width x 3 bytes. ``square``: already in square pixels at its right shape;
    else one sample to a pixel."""

    width: int
    height: int
    rgb: bytes
    square: bool = True


@dataclass(frozen=True)
class Looks:
    """What is shown of frame ``number``, the newest there is; each part only where it was asked for."""

    number: int = -1
    preview: Preview | None = None
    scopes: Scopes | None = None
    below_black: float = 0.0
    above_white: float = 0.0


@dataclass(frozen=True)
class CaptureStatus:
    """A snapshot; rates in bits a second, levels in dB below full scale, times in seconds.

    Parameters
    ----------
    late, dropped, repeated : frames fetched late; lost by their numbers; that repeat the one before.
    headroom : how many times faster than needed the encoder is; 0 where nothing is encoded.
    write_ms : longest single write of the last half second.
    warnings : what is wrong now.
    hearing : why the input is not heard although it is wanted.
    kept : clips kept from the look-back ring so far. ``ring_seconds``: how much the ring holds.
    """

    seconds: float
    frames: int
    late: int
    dropped: int
    bytes_written: int
    bits_per_second: float
    free_bytes: int
    seconds_left: float
    peak_db: float
    rms_db: float
    queue: int
    recording: bool
    repeated: int = 0
    headroom: float = 0.0
    write_ms: float = 0.0
    levels: SoundLevels = _NO_LEVELS
    loudness: Loudness | None = None
    drift_ms_per_hour: float | None = None
    part_number: int = 1
    warnings: tuple[Warned, ...] = ()
    looks: Looks | None = None
    number: int = 0
    ring_seconds: float = 0.0
    kept: tuple[KeptClip, ...] = ()
    hearing: str = ""

    @property
    def preview(self) -> Preview | None:
        return self.looks.preview if self.looks else None


@dataclass(frozen=True)
class KeptClip:
    """A clip that was taken out of the ring: its pieces in order with their ``counts`` of frames, still to be joined.
    ``skip_frames``: of the first piece."""

    folder: Path
    pieces: tuple[Path, ...]
    counts: tuple[int, ...]
    skip_frames: int
    frames: int


@dataclass
class Health:
    """Counts late and dropped frames from their numbers and times, and lists the gaps."""

    rate: Fraction
    frames: int = 0
    late: int = 0
    dropped: int = 0
    gaps: list[tuple[int, int]] = field(default_factory=list)
    _expected: int | None = None

    def saw(self, number: int, *, waited: float) -> None:
        """One frame arrived, ``waited`` seconds after the source had it ready; numbers that were skipped are lost."""
        if self._expected is not None and number > self._expected:
            self._lost(self._expected, number - self._expected)
        self._expected = number + 1
        self.frames += 1
        if waited > LATE_PERIODS / float(self.rate):
            self.late += 1

    def lost_in_queue(self) -> None:
        """A frame came in time and could not be kept: the recorder is behind."""
        assert self._expected is not None
        self._lost(self._expected - 1, 1)

    def _lost(self, first: int, count: int) -> None:
        self.dropped += count
        if self.gaps and sum(self.gaps[-1]) == first:
            self.gaps[-1] = (self.gaps[-1][0], self.gaps[-1][1] + count)
        else:
            self.gaps.append((first, count))


class HealthRow(BaseModel):
    """A second of a recording. Counts are of that second; ``free_gb`` decimal; levels in dBFS."""

    model_config = ConfigDict(frozen=True)

    at: float
    frames: int = 0
    late: int = 0
    lost: int = 0
    repeated: int = 0
    queue: int = 0
    headroom: float = 0.0
    mbps: float = 0.0
    write_ms: float = 0.0
    free_gb: float = 0.0
    peak_db: float = SILENT_DB
    rms_db: float = SILENT_DB
    signs: tuple[str, ...] = ()


class HealthEnd(BaseModel):
    """The last line of a log. ``gaps``: frames that are missing, as (first number, how many); ``repeats``: numbers of
    frames found by what they hold; ``jumps``: empty, logs made before 2026-11-27 list guesses here."""

    model_config = ConfigDict(frozen=True)

    kind: Literal["end"] = "end"
    seconds: float
    gaps: tuple[tuple[int, int], ...] = ()
    repeats: tuple[int, ...] = ()
    jumps: tuple[int, ...] = ()
    unseen: int = 0
    loudness: Loudness | None = None
    drift_ms_per_hour: float | None = None
    drift_error: float | None = None
    clipped: int = 0
    doubled: int = 0
    ended: str = ""


def health_path(take: Path) -> Path:
    """Where the log of a take lies."""
    return take.with_name(take.stem + ".health.jsonl")


class HealthLog:
    """Appends a line a second, so that a crash costs the last one. A log that cannot be written is no reason to stop; a file that is
    there already is never written over."""

    def __init__(self, take: Path) -> None:
        self._file = None
        self._path = health_path(take)
        with contextlib.suppress(OSError):
            self._file = self._path.open("x", encoding="utf-8")
        self._made = self._file is not None

    @property
    def written(self) -> bool:
        """Whether there is a log: not where its name was taken, or it could not be made."""
        return self._made

    def add(self, row: HealthRow) -> None:
        self._write(row.model_dump_json(exclude_defaults=True))

    def close(self, end: HealthEnd | None = None, *, keep: bool = True) -> None:
        """``keep``: otherwise nothing was recorded, and the log goes too."""
        if not keep and self._file is not None:
            with contextlib.suppress(OSError):
                self._path.unlink()
        if end is not None:
            self._write(end.model_dump_json())
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._file.close()
        self._file = None

    def _write(self, line: str) -> None:
        if self._file is not None:
            with contextlib.suppress(OSError):
                self._file.write(line + "\n")
                self._file.flush()


def read_health(take: Path) -> tuple[Sequence[HealthRow], HealthEnd | None]:
    """The log of a take; lines that cannot be read (a crash cut them off) are passed over."""
    rows: list[HealthRow] = []
    end: HealthEnd | None = None
    with contextlib.suppress(OSError), health_path(take).open(encoding="utf-8", errors="replace") as file:
        for line in file:
            with contextlib.suppress(ValueError, RecursionError, ValidationError):
                found = json.loads(line)
                if isinstance(found, dict) and found.get("kind") == "end":
                    end = HealthEnd.model_validate_json(line)
                else:
                    rows.append(HealthRow.model_validate_json(line))
    return rows, end
