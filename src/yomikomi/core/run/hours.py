"""The hours of the day in which the run may go on."""

from __future__ import annotations

from datetime import datetime, time, timedelta

from pydantic import BaseModel, ConfigDict, model_validator


class Hours(BaseModel):
    """From ``begin`` to ``end`` by the clock on the wall, over midnight where the end comes before the beginning."""

    model_config = ConfigDict(frozen=True)

    begin: time
    end: time

    @model_validator(mode="after")
    def _differ(self) -> Hours:
        if self.begin == self.end:
            raise ValueError("begin and end are the same")
        return self

    def open_at(self, now: datetime) -> bool:
        at = now.time().replace(tzinfo=None)
        return self.begin <= at < self.end if self.begin < self.end else at >= self.begin or at < self.end

    def next_change(self, now: datetime) -> datetime:
        """When they begin or end next."""
        edge = self.end if self.open_at(now) else self.begin
        at = now.replace(hour=edge.hour, minute=edge.minute, second=edge.second, microsecond=0)
        return at if at > now else at + timedelta(days=1)

    @property
    def words(self) -> str:
        return f"{self.begin:%H:%M} to {self.end:%H:%M}"
