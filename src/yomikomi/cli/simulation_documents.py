"""What the commands of simulation answer."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel, ConfigDict, Field


class SimulateDocument(BaseModel):
    """``yomikomi simulate``: what was put in."""

    model_config = ConfigDict(frozen=True)

    file: str
    size_bytes: int
    frames: int
    truth: dict[str, Any] = Field(description="standard, scan, rate, faults, shots, dropouts, sound")
