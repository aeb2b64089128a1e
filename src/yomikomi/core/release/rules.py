"""When a raw take may go, as a document."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class ReleaseRules(BaseModel):
    """Parameters
    ----------
    copies : verified copies of the take that there must be.
    kinds : codecs or outlets (their keys), or ``lossless``; for each there must be a verified copy.
    rehashed_hours : so old the last check of each counted file may be at most.
    disks : drives that verified copies must lie on; two folders of one drive are one.
    looked : spots of one copy that a person looked at beside the take and found good.
    age_days : since the take was made.
    rights : the right to copy is settled.
    no_findings : neither the take nor a copy has an open finding.
    way : where the take goes; ``holding``: a folder of the workspace.
    term_days : for so long it can be undone.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = 1
    copies: int = Field(default=1, ge=1, le=9)
    kinds: tuple[str, ...] = Field(default=(), max_length=9)
    rehashed_hours: float = Field(default=24.0, gt=0, le=24 * 366)
    disks: int = Field(default=2, ge=1, le=9)
    looked: int = Field(default=3, ge=0, le=50)
    age_days: float = Field(default=7.0, ge=0, le=36_500)
    rights: bool = True
    no_findings: bool = True
    way: Literal["holding", "trash"] = "holding"
    term_days: float = Field(default=30.0, ge=1, le=3660)
