"""What is remembered of capturing: how a workspace does it, and how each take was made."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture.marks import DEFAULT_PATTERN, USUAL_LABELS, Mark
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.capture.ring import RingRules
from yomikomi.core.capture.rules import EndRules


class CaptureSettings(BaseModel):
    """Parameters
    ----------
    spill : folders to go on in when the take drive is full.
    later_ms : by how much the sound of each path is moved, by the path's route (or the carrier's label without one).
    cue : whether a fault is also heard.
    """

    model_config = ConfigDict(frozen=True)

    record_as: RecordAs = RecordAs()
    rules: EndRules = EndRules()
    ring: RingRules = RingRules()
    spill: tuple[str, ...] = ()
    later_ms: dict[str, float] = Field(default_factory=dict)
    labels: tuple[str, ...] = USUAL_LABELS
    pattern: str = DEFAULT_PATTERN
    cue: bool = False

    @property
    def spill_folders(self) -> tuple[Path, ...]:
        """Those of them that are there."""
        return tuple(path for path in (Path(one) for one in self.spill) if path.is_dir())


class TakeDetails(BaseModel):
    """Parameters
    ----------
    parts : all files of the take where there are several, as the record keeps paths.
    gaps : frames that are missing, as (first number, how many).
    ended : why it ended.
    names : of its clips, where they were named at once.
    codec_bits : bits a pixel that each capture codec takes of such pictures, weighed on pieces of the take.
    operator : who made it.
    reading_ended : its reading was stopped by a person, or failed: it is not begun again without being asked for.
    """

    model_config = ConfigDict(frozen=True)

    record_as: RecordAs = RecordAs()
    parts: tuple[str, ...] = ()
    gaps: tuple[tuple[int, int], ...] = ()
    repeated: int = 0
    ended: str = ""
    tail_seconds: float = 0.0
    marks: tuple[Mark, ...] = ()
    names: tuple[str, ...] = ()
    codec_bits: dict[str, float] = Field(default_factory=dict)
    operator: str = ""
    reading_ended: bool = False
