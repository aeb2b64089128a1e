"""A record of its own for each test."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace


@pytest.fixture
def workspace(tmp_path: Path) -> Iterator[Workspace]:
    opened = Workspace(tmp_path / "archive")
    yield opened
    opened.close()


@pytest.fixture
def record(workspace: Workspace) -> Record:
    return Record(workspace)
