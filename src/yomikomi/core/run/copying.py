"""A copy from start to proof, as one job."""

from __future__ import annotations

from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.reading.current import check_current
from yomikomi.core.run.encode import CopyProgress, CopyRequest, encode
from yomikomi.core.run.verify import Check, Expected, verify
from yomikomi.core.treatment.chain import chain_for
from yomikomi.core.treatment.timing import length_of
from yomikomi.core.video.damage import Damage, damage_words
from yomikomi.core.video.units import counted
from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import free_name, new_file

_SAFE = "The take is untouched."


class CopyResult(BaseModel):
    """What came out."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    duration_seconds: float
    encode_seconds: float = Field(description="wall-clock time of treating and encoding, without verification")
    verified: bool
    checks: list[Check]
    source_damage: Damage | None = Field(default=None, description="of the source, as it was decoded for this copy")
    filled: int = Field(default=0, description="frames that stand in for missing or undecodable ones of the source")
    dropped: int = Field(default=0, description="frames of the source that found no place at the copy's rate")
    not_carried: list[str] = Field(default_factory=list, description="what the source holds and the copy does not")

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


def make_copy(request: CopyRequest, reporter: Reporter) -> CopyResult:
    """Encode and verify. Only a copy that passes every check gets the name that was asked for; one that fails is kept under a name
    that says so, and a person decides. Stopped at any moment, nothing is left.

    Raises what :func:`encode` raises, NameTakenError, UnfinishedError where the take is not the one that was read.
    """
    reading = request.reading
    check_current(request.path, reading, reporter.check)
    with new_file(request.target, safe=_SAFE) as made:
        encoded = encode(request, made.part, reporter)
        expected = Expected(
            encoded=encoded, treated=chain_for(reading, request.treatment).format,
            seconds=length_of(reading, request.treatment), container=request.recipe.container, source=request.path,
            source_content=reading.content,
        )  # fmt: skip
        checks = verify(expected, reporter)
        verified = all(check.passed for check in checks)
        kept = made.keep(None if verified else unverified_name(request.target))
    return CopyResult(
        file=kept.name,
        size_bytes=encoded.size_bytes,
        frames=encoded.frames,
        duration_seconds=round(float(encoded.frames / encoded.rate), 6),
        encode_seconds=round(encoded.seconds, 3),
        verified=verified,
        checks=checks,
        source_damage=encoded.damage,
        filled=encoded.filled,
        dropped=encoded.dropped,
        not_carried=list(encoded.not_carried),
    )


__all__ = ["CopyProgress", "CopyRequest", "CopyResult", "make_copy"]
