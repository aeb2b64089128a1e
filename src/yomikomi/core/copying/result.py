"""What came out of making a copy."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.balance.models import Detail, Fidelity
from yomikomi.core.balance.viewing import Viewing
from yomikomi.core.copying.checks import Check
from yomikomi.core.video.damage import Damage, damage_words
from yomikomi.core.video.units import counted
from yomikomi.core.work.new_file import free_name


class CopyResult(BaseModel):
    """What came out."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    duration_seconds: float
    encode_seconds: float = Field(description="wall-clock time of treating and encoding, without verification")
    machine: str = Field(default="", description="processors that it was made on; empty: not written down")
    quiet_part: float = Field(default=1.0, description="of that time, what it would have taken alone; 1 where others did not hold it up")
    verified: bool
    checks: list[Check]
    source_damage: Damage | None = Field(default=None, description="of the source, as it was decoded for this copy")
    filled: int = Field(default=0, description="frames that stand in for missing or undecodable ones of the source")
    dropped: int = Field(default=0, description="frames of the source that found no place at the copy's rate")
    not_carried: list[str] = Field(default_factory=list, description="what the source holds and the copy does not")
    detail: Detail | None = Field(default=None, description="detail kept, at moments spread evenly through the copy; null: not measured")
    content: str | None = Field(default=None, description="BLAKE3 of the file as it was made, hexadecimal; None: not taken")

    @property
    def quiet_seconds(self) -> float:
        """What treating and encoding would have taken with nobody else at work."""
        return self.encode_seconds * self.quiet_part

    def fidelity(self, viewing: Viewing) -> Fidelity | None:
        """As measured; None where it was not."""
        return self.detail.fidelity(viewing) if self.detail is not None else None

    @property
    def reserves(self) -> str:
        """What a verified copy is not, in words; empty where there is nothing to be said. A copy cannot be better than its source."""
        parts = [damage_words(self.source_damage)] if self.source_damage and self.source_damage.any else []
        if self.filled:
            parts.append(f"{counted(self.filled, 'frame', 'frames')} repeated in place of missing ones")
        if self.dropped:
            parts.append(f"{counted(self.dropped, 'frame', 'frames')} of the source left out")
        source = "in the source: " + ", ".join(parts) if parts else ""
        left = "not in the copy: " + ", ".join(self.not_carried) if self.not_carried else ""
        return "; ".join(part for part in (source, left) if part)

    @property
    def verdict(self) -> str:
        """In one line: verified or not, and with which reserves."""
        words = "verified" if self.verified else "NOT verified"
        return f"{words}; {self.reserves}" if self.reserves else words


def unverified_name(target: Path) -> Path:
    """What a copy is called that failed a check: whoever finds it must not take it for a good one."""
    return free_name(target.parent, f"{target.stem}.unverified", target.suffix)
