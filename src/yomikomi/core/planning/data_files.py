"""The readable data files of planning, checked against their schema when they are loaded."""

from __future__ import annotations

import tomllib
from functools import lru_cache
from importlib.resources import files
from typing import Any


@lru_cache(maxsize=16)
def load(name: str) -> dict[str, Any]:
    """A file of ``data/`` as it stands; who asks for it checks it with a pydantic model."""
    return tomllib.loads((files("yomikomi.core.planning") / "data" / f"{name}.toml").read_text("utf-8"))
