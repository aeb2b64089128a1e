"""Readable data files, each in the ``data/`` of the room it belongs to, checked against their schema when they are loaded."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib.resources import files
from typing import Any


@lru_cache(maxsize=16)
def load(name: str, room: str = "planning") -> dict[str, Any]:
    """A file of a room's ``data/`` as it stands; who asks for it checks it with a pydantic model."""
    return tomllib.loads((files(f"yomikomi.core.{room}") / "data" / f"{name}.toml").read_text("utf-8"))
