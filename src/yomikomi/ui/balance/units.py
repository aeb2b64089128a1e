"""Sizes as people type them."""

from __future__ import annotations

import re

_UNITS = {"": 1e9, "b": 1.0, "k": 1e3, "kb": 1e3, "m": 1e6, "mb": 1e6, "g": 1e9, "gb": 1e9, "t": 1e12, "tb": 1e12}
_FORM = re.compile(r"^\s*([0-9]+(?:[.,][0-9]+)?)\s*([a-zA-Z]*)\s*$")


def parse_size(words: str) -> float | None:
    """``4.7GB``, ``700 MB``, ``2`` (GB) to bytes; None for anything else. A decimal comma is understood."""
    found = _FORM.match(words)
    if not found or found.group(2).lower() not in _UNITS:
        return None
    value = float(found.group(1).replace(",", ".")) * _UNITS[found.group(2).lower()]
    return value if value > 0 else None
