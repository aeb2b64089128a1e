"""A copy that is written and not proven yet: what its proof is held against, as a document that outlives the program."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.balance.models import Detail
from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.encode import Encoded
from yomikomi.core.copying.result import CopyResult
from yomikomi.core.video.damage import Damage


class Proof(BaseModel):
    """What was found in a written copy: its checks, and the detail that it keeps (None: not measured)."""

    model_config = ConfigDict(frozen=True)

    checks: list[Check]
    detail: Detail | None = None

    @property
    def passed(self) -> bool:
        return all(check.passed for check in self.checks)


class Made(BaseModel):
    """What was written, and what is known of it from the writing."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    size_bytes: int = Field(gt=0)
    frames: int
    duration_seconds: float
    encode_seconds: float
    machine: str = ""
    quiet_part: float = 1.0
    source_damage: Damage | None = None
    filled: int = 0
    dropped: int = 0
    not_carried: list[str] = Field(default_factory=list)
    encoded: Encoded | None = Field(default=None, description="what an encode is held against; None: streams were copied")
    checks: list[Check] = Field(default_factory=list, description="made while it was written, since only then what was read is at hand")
    content: str | None = Field(default=None, description="BLAKE3 of the file, hexadecimal; None as long as nobody asked")

    def at(self, path: Path) -> Made:
        """The same, lying at ``path``."""
        return self.model_copy(update={"encoded": replace(self.encoded, path=path)}) if self.encoded is not None else self

    def result(self, name: str, proof: Proof) -> CopyResult:
        """With all that was found in it, under the name that it has."""
        return CopyResult(
            file=name, size_bytes=self.size_bytes, frames=self.frames, duration_seconds=self.duration_seconds,
            encode_seconds=self.encode_seconds, machine=self.machine, quiet_part=self.quiet_part,
            verified=proof.passed, checks=proof.checks, detail=proof.detail, source_damage=self.source_damage, filled=self.filled,
            dropped=self.dropped, not_carried=self.not_carried, content=self.content,
        )  # fmt: skip
