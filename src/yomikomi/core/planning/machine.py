"""What this machine and its take drive can do, as it is remembered; ``machine_trial.py`` measures it."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict


class Speed(BaseModel):
    """A measured speed and its spread: the slowest tenth, the middle, the fastest tenth of the pieces of the trial."""

    model_config = ConfigDict(frozen=True)

    low: float
    usual: float
    high: float


class MachineSpeeds(BaseModel):
    """Parameters
    ----------
    write_bytes_per_second : of the take drive.
    encoders : pixels a second of each encoder tried, by name; capture codecs and codecs of copies, with nobody else at work.
    disturbed : part of the time that the trial waited for other programs, 0…1.
    """

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    made_at: str
    processors: int
    write_bytes_per_second: Speed
    encoders: dict[str, Speed]
    disturbed: float = 0.0
