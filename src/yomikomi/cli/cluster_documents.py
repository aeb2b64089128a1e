"""What the commands of a cluster print with --json."""

from __future__ import annotations

from pydantic import BaseModel


class ClusterWorker(BaseModel):
    """``refused``: why it is given nothing; ``does``: what it makes now."""

    name: str
    slots: int
    refused: str
    does: list[str]


class ClusterDocument(BaseModel):
    schema_version: int = 1
    address: str
    there: bool
    storages: dict[str, str]
    workers: list[ClusterWorker]
