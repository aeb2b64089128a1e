"""How the run goes on, as a person set it."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.run.hours import Hours

AtEnd = Literal["nothing", "quit", "suspend", "power off"]
Beside = Literal["beside", "all"]
Where = Literal["here", "cluster"]


class RunRules(BaseModel):
    """Parameters
    ----------
    paused : by a person; also over an end of the program.
    hours : in which it may run; None: always.
    beside : beside other work on this machine (one encoder, at the lowest priority), or with all of the machine.
    at_once : encoders at once; None: as many as processors and memory allow.
    at_end : what happens when nothing is left to do. ``command``: run then too, empty: none.
    deadline : by when all should be done; None: whenever.
    where : on this machine, or on the workers of the cluster that this machine is set up for.
    """

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    paused: bool = False
    hours: Hours | None = None
    beside: Beside = "beside"
    at_once: int | None = Field(default=None, ge=1, le=64)
    at_end: AtEnd = "nothing"
    command: str = ""
    deadline: datetime | None = None
    where: Where = "here"

    def open_at(self, now: datetime) -> bool:
        return self.hours is None or self.hours.open_at(now)
