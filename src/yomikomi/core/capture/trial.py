"""The machine trial: which capture codec this machine and this drive can sustain, tried for seconds instead of half an hour."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture import sentences
from yomikomi.core.capture.canned import CannedSpec
from yomikomi.core.capture.looking import LookAs
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.rules import EndRules
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.errors import CancelledError, UnfinishedError, YomikomiError
from yomikomi.core.planning.machine_trial import try_drive
from yomikomi.core.video.rates import fraction_text
from yomikomi.core.work import Reporter

# Headroom that a two-hour take should have: pictures get harder than the trial's, and other programs wake up.
SAFE_HEADROOM = 1.5
_ENOUGH_HEADROOM = 1.15
# A drive that is asked for more than this part of what it can has no rest for anything else.
_SAFE_DRIVE_PART = 0.7
_LEAST_SECONDS = 1.5

# What is tried, in the order in which a codec that holds is preferred: nothing lost and open first, then quick, then light.
CANDIDATES: tuple[tuple[RecordAs, str], ...] = (
    (RecordAs(codec="ffv1", threads=4), "nothing is lost and the format is open"),
    (RecordAs(codec="utvideo"), "nothing is lost, at little work for the processor, but it takes more room"),
    (RecordAs(codec="rdd36_hq"), "made for editing; what it loses is not seen"),
    (RecordAs(codec="vc3_hq"), "made for editing; what it loses is hardly seen"),
    (RecordAs(codec="h264_intra", speed="ultrafast"), "can be cut at every picture, and takes less room"),
    (RecordAs(codec="h264_high", speed="veryfast"), "takes the least room; cut only at some pictures"),
    (RecordAs(codec="h264_high", speed="ultrafast"), "light for processor and drive; cut only at some pictures"),
    (RecordAs(codec="uncompressed"), "no work for the processor, much for the drive"),
)


class TrialRow(BaseModel):
    """How one way of recording held. ``headroom``: how many times faster than needed; ``lost`` of ``frames``; ``drive_part``: the
    part it takes of what the drive writes when its memory is of no help."""

    model_config = ConfigDict(frozen=True)

    codec: str
    words: str
    speed: str | None
    headroom: float
    lost: int
    frames: int
    bytes_per_hour: float
    slowest_write_ms: float
    drive_part: float
    verdict: Literal["holds", "barely", "fails"]
    trouble: str = ""


class TrialResult(BaseModel):
    """``recommended``: the codec's key, or empty where none holds; ``reason``: why."""

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    width: int
    height: int
    rate: str = Field(description="frames a second, an exact fraction")
    seconds_each: float
    drive_bytes_per_second: float
    rows: tuple[TrialRow, ...]
    recommended: str
    recommended_speed: str | None = None
    reason: str

    @property
    def record_as(self) -> RecordAs | None:
        """The way of recording that is recommended."""
        found = (one for one, _ in CANDIDATES if (one.codec, one.speed) == (self.recommended, self.recommended_speed))
        return next(found, None)


@dataclass(frozen=True)
class TrialRequest:
    """``folder``: on the drive that is to be recorded to. ``seconds``: of all candidates together; can be cut short at any time,
    what was tried by then counts."""

    folder: Path
    width: int
    height: int
    rate: Fraction
    interlaced: bool = False
    seconds: float = 120.0
    codecs: tuple[str, ...] = ()


@dataclass(frozen=True)
class TrialProgress:
    part: float
    doing: str
    seconds_left: float
    rows: tuple[TrialRow, ...] = ()


class _Watcher:
    """Passes on the wish to stop, keeps the slowest write, and tells nobody else anything."""

    def __init__(self, reporter: Reporter) -> None:
        self._reporter = reporter
        self.slowest_ms = 0.0

    def report(self, progress: object) -> None:
        self.slowest_ms = max(self.slowest_ms, float(getattr(progress, "write_ms", 0.0)))

    def cancelled(self) -> bool:
        return self._reporter.cancelled()

    def check(self) -> None:
        self._reporter.check()

    def heard(self) -> list[object]:
        return []


def try_codecs(request: TrialRequest, reporter: Reporter) -> TrialResult:
    """Record the trial pictures by the clock with each candidate, to the real drive, through the real recorder.

    Raises UnfinishedError where the folder cannot be written; CancelledError when stopped before anything was tried.
    """
    candidates = [(one, why) for one, why in CANDIDATES if not request.codecs or one.codec in request.codecs]
    each = max(_LEAST_SECONDS, request.seconds / max(1, len(candidates)))
    rows: list[TrialRow] = []
    try:
        folder = Path(tempfile.mkdtemp(prefix=".trial-", dir=request.folder))
    except OSError as error:
        raise UnfinishedError(f"The trial cannot write there: {error.strerror}.", remedy="Check the workspace's drive.") from error
    try:
        reporter.report(TrialProgress(0.0, "the drive", len(candidates) * each))
        drive = try_drive(folder, reporter).low
        for number, (record_as, _why) in enumerate(candidates):
            left = (len(candidates) - number) * each
            reporter.report(TrialProgress(number / len(candidates), record_as.words, left, tuple(rows)))
            if reporter.cancelled():
                break
            row = _try(request, record_as, each, folder, drive, reporter)
            if reporter.cancelled() and row.frames < request.rate:
                break
            rows.append(row)
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    if not rows:
        raise CancelledError("The trial was stopped before anything was tried.")
    best = _recommend(rows)
    reasons = {(one.codec, one.speed): why for one, why in candidates}
    return TrialResult(
        width=request.width, height=request.height, rate=fraction_text(request.rate), seconds_each=each,
        drive_bytes_per_second=drive, rows=tuple(rows),
        recommended=best.codec if best else "", recommended_speed=best.speed if best else None,
        reason=_reason(best, rows, reasons),
    )  # fmt: skip


def _try(request: TrialRequest, record_as: RecordAs, seconds: float, folder: Path, drive: float, reporter: Reporter) -> TrialRow:
    spec = CannedSpec(request.width, request.height, request.rate, request.interlaced)
    path = folder / f"{record_as.codec}-{record_as.speed or 'usual'}{record_as.suffix(8)}"
    watcher = _Watcher(reporter)
    rules = EndRules(max_seconds=seconds, blank_seconds=None, floor_bytes=min(500_000_000, shutil.disk_usage(folder).free // 2))
    trouble = ""
    result: CaptureResult | None = None
    try:
        look = LookAs(preview=True, scopes=True)
        result = capture(CaptureRequest(spec, path, record_as, rules, look=look), watcher)
        trouble = result.trouble
    except YomikomiError as error:
        trouble = error.message
    finally:
        path.unlink(missing_ok=True)
    frames = result.frames if result else 0
    lost = result.dropped if result else 0
    headroom = result.headroom if result else 0.0
    length = float(frames / request.rate) or 1.0
    per_hour = (result.bytes_written if result else 0) / length * 3600
    drive_part = per_hour / 3600 / drive
    fails = bool(trouble) or lost > 0 or headroom < 1.0 or drive_part > 1.0
    barely = headroom < _ENOUGH_HEADROOM or drive_part > _SAFE_DRIVE_PART
    return TrialRow(
        codec=record_as.codec, words=record_as.row.words, speed=record_as.speed, headroom=round(headroom, 2), lost=lost, frames=frames,
        bytes_per_hour=per_hour, drive_part=round(drive_part, 3), slowest_write_ms=watcher.slowest_ms,
        verdict="fails" if fails else "barely" if barely else "holds", trouble=trouble,
    )  # fmt: skip


def _recommend(rows: list[TrialRow]) -> TrialRow | None:
    """The first in the order of preference that holds with room to spare, else the one with the most room."""
    safe = [row for row in rows if row.verdict == "holds" and row.headroom >= SAFE_HEADROOM]
    holds = [row for row in rows if row.verdict == "holds"]
    return safe[0] if safe else max(holds, key=lambda row: row.headroom) if holds else None


def _reason(best: TrialRow | None, rows: list[TrialRow], reasons: dict[tuple[str, str | None], str]) -> str:
    if best is None:
        return sentences.NONE_KEEPS_UP
    failed = [row for row in rows[: rows.index(best)] if row.verdict != "holds" or row.headroom < SAFE_HEADROOM]
    return sentences.recommended(
        best.words, headroom=best.headroom, reason=reasons[best.codec, best.speed],
        passed_over=_failing(failed[0]) if failed else "", little=best.headroom < SAFE_HEADROOM,
    )  # fmt: skip


def _failing(row: TrialRow) -> str:
    if row.lost:
        return sentences.lost_frames(row.words, lost=row.lost, frames=row.frames)
    if row.drive_part > _SAFE_DRIVE_PART:
        return sentences.needs_of_drive(row.words, part=row.drive_part)
    return sentences.had_headroom(row.words, headroom=row.headroom)
