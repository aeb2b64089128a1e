"""A task as a document: what is written down of one job of the run, apart from what it does, which takes a second to load."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

TaskKind = Literal["encode", "verify"]


class Task(BaseModel):
    """One job of the run, as it is written down. Paths inside the workspace are relative to it."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    kind: TaskKind
    source: str = Field(description="the take's file")
    source_content: str | None = Field(default=None, description="BLAKE3 of it as it was read, hexadecimal")
    target: str = Field(description="the name that the copy is to have")
    treatment: str = Field(description="digest of the treatment")
    recipe: str = Field(description="in words")
