"""Numbers with their units, as people read and type them."""

from __future__ import annotations

import re

_UNITS = {"": 1e9, "b": 1.0, "k": 1e3, "kb": 1e3, "m": 1e6, "mb": 1e6, "g": 1e9, "gb": 1e9, "t": 1e12, "tb": 1e12}
_FORM = re.compile(r"^\s*([0-9]+(?:[.,][0-9]+)?)\s*([a-zA-Z]*)\s*$")


def size_text(size_bytes: float) -> str:
    """Decimal units, three figures: 548 MB, 1.86 GB."""
    for unit, scale in (("TB", 1e12), ("GB", 1e9), ("MB", 1e6), ("kB", 1e3)):
        if size_bytes >= scale * 0.9995:
            value = size_bytes / scale
            return f"{value:.2f} {unit}" if value < 9.995 else f"{value:.1f} {unit}" if value < 99.95 else f"{value:.0f} {unit}"
    return f"{size_bytes:.0f} B"


def bit_rate_text(bits_per_second: float) -> str:
    if bits_per_second >= 1e6:
        return f"{bits_per_second / 1e6:.1f} Mb/s"
    return f"{bits_per_second / 1e3:.0f} kb/s"


def decibel_text(level: float) -> str:
    """A level with a minus sign as wide as a plus: −9.9 dB."""
    return f"{level:.1f} dB".replace("-", "\N{MINUS SIGN}")


def parse_size(words: str) -> float | None:
    """``4.7GB``, ``700 MB``, ``2`` (GB) to bytes; None for anything else. A decimal comma is understood."""
    found = _FORM.match(words)
    if not found or found.group(2).lower() not in _UNITS:
        return None
    value = float(found.group(1).replace(",", ".")) * _UNITS[found.group(2).lower()]
    return value if value > 0 else None
