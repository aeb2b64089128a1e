"""What the commands of outlets answer."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from yomikomi.core.outlets.conforming import Conformity
from yomikomi.core.outlets.model import Outlet


class OutletsDocument(BaseModel):
    """``yomikomi outlets``."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    outlets: list[Outlet]


class ConformsDocument(BaseModel):
    """``yomikomi conforms``: one answer for each outlet that was asked about."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    conforms: bool
    answers: list[Conformity]
