"""Numbers with their units, as people read and type them.

Sizes are decimal (1 GB = 10⁹ bytes) unless typed with the binary prefixes of IEC 80000-13 (GiB). Parsers give exact
fractions, or None for what they do not understand; a decimal comma is understood.
"""

from __future__ import annotations

import re
from fractions import Fraction

from yomikomi.core.video.rates import nearest_known_rate, rate_text

_NUMBER = r"[0-9]+(?:[.,][0-9]+)?"
_WITH_UNIT = re.compile(rf"^\s*({_NUMBER})\s*([a-zA-Zµ/]*)\s*$")
_PREFIX = {"": 0, "k": 1, "m": 2, "g": 3, "t": 4}
_CLOCK = re.compile(r"^\s*(?:(\d+):)?(\d+):(\d{1,2}(?:[.,]\d+)?)\s*$")
_SPOKEN = re.compile(
    rf"^\s*(?:({_NUMBER})\s*d)?\s*(?:({_NUMBER})\s*h[a-z]*)?\s*(?:({_NUMBER})\s*(?:min[a-z]*|m))?\s*(?:({_NUMBER})\s*s[a-z]*)?\s*$"
)
_HOURS_MINUTES = re.compile(r"^\s*(\d+)\s*h\s*(\d{1,2})\s*$")
_TIME_UNITS = {"d": 86_400, "h": 3600, "min": 60, "s": 1}
_LONGEST_INPUT = 40  # characters; nobody types a longer number, and patterns stay quick


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
    return f"{signed_text(level, places=1)} dB"


def signed_text(value: float, *, places: int = 0, plus: bool = False) -> str:
    """So many decimals always, the minus sign as wide as a plus: ``−9.90``; ``plus``: a sign before what is above 0 too."""
    text = f"{value:{'+' if plus else ''}.{places}f}"
    return text.replace("-", "\N{MINUS SIGN}")


def number_text(value: Fraction | float, *, places: int = 3) -> str:
    """Up to ``places`` decimals, without zeros at the end."""
    text = f"{float(value):.{places}f}"
    text = text.rstrip("0").rstrip(".") if "." in text else text
    return "0" if text in {"-0", ""} else text.replace("-", "\N{MINUS SIGN}")


def parse_number(words: str) -> Fraction | None:
    """``2000``, ``1,5``, ``-3`` (or with a true minus sign), ``8/9``."""
    text = words.strip().replace("\N{MINUS SIGN}", "-").replace(",", ".")
    if not re.fullmatch(r"[+-]?\d+(?:\.\d+)?(?:\s*/\s*\d+(?:\.\d+)?)?", text) or len(text) > _LONGEST_INPUT:
        return None
    above, _, below = text.partition("/")
    if below and Fraction(below.strip()) == 0:
        return None
    return Fraction(above.strip()) / Fraction(below.strip() or 1)


def parse_size(words: str, *, bare: str = "GB") -> Fraction | None:
    """``4.7GB``, ``700 MB``, ``4.38GiB``, ``2`` (in the unit ``bare``) to bytes; more than nothing."""
    number, unit = _split(words)
    if number is None:
        return None
    unit = (unit or bare).lower()
    base = 1024 if unit.endswith("ib") else 1000
    unit = unit.removesuffix("ib").removesuffix("b")
    if unit not in _PREFIX:
        return None
    value = number * base ** _PREFIX[unit]
    return value if value > 0 else None


def parse_bit_rate(words: str, *, bare: str = "k") -> Fraction | None:
    """``1500k``, ``40M``, ``2 Mb/s``, ``110 MB/s`` (bytes), ``2000`` (in the unit ``bare``) to bits a second."""
    number, unit = _split(words)
    if number is None:
        return None
    unit = unit or bare
    in_bytes = re.search(r"B(/s|ps)?$", unit) is not None
    unit = re.sub(r"(bit/s|bits/s|b/s|bps|b|/s|ps)$", "", unit.lower())
    if unit not in _PREFIX:
        return None
    return number * 1000 ** _PREFIX[unit] * (8 if in_bytes else 1)


def parse_time(words: str, *, bare: str = "min") -> Fraction | None:
    """``2h``, ``1h45``, ``1:45:00``, ``3:20`` (minutes and seconds), ``90 s``, ``105`` (in the unit ``bare``) to seconds."""
    if len(words) > _LONGEST_INPUT or not words.strip():
        return None
    if found := _CLOCK.match(words):
        hours, minutes, seconds = (_exact(part or "0") for part in found.groups())
        if seconds >= 60 or (found.group(1) and minutes >= 60):
            return None
        return hours * 3600 + minutes * 60 + seconds
    if found := _HOURS_MINUTES.match(words.lower()):
        return Fraction(found.group(1)) * 3600 + Fraction(found.group(2)) * 60
    plain = parse_number(words)
    if plain is not None:
        return plain * _TIME_UNITS[bare] if plain >= 0 else None
    found = _SPOKEN.match(words.lower())
    if found is None or not any(found.groups()):
        return None
    return sum((_exact(part or "0") * scale for part, scale in zip(found.groups(), (86_400, 3600, 60, 1), strict=True)), Fraction(0))


def parse_frame_rate(words: str) -> Fraction | None:
    """``29.97`` means 30000/1001, ``23.98`` 24000/1001; ``25``, ``60000/1001`` as they stand. Frames a second."""
    value = parse_number(re.sub(r"(?i)\s*(fps|/s|p|i)$", "", words.strip()))
    if value is None or not 0 < value <= 1000:
        return None
    if "/" in words or value.denominator == 1:
        return value
    known = nearest_known_rate(value, tolerance=0.0003)
    return known if known is not None and known.denominator > 1 else value


def parse_ratio(words: str) -> Fraction | None:
    """``16:9``, ``4/3``, ``1.85`` to width over height; more than nothing."""
    above, colon, below = words.partition(":")
    if colon:
        one, two = parse_number(above), parse_number(below)
        return one / two if one is not None and two is not None and one > 0 and two > 0 else None
    value = parse_number(words)
    return value if value is not None and value > 0 else None


def ratio_text(value: Fraction) -> str:
    """``16:9`` where the terms are small, else ``1.85:1``."""
    if value.numerator <= 64 and value.denominator <= 64:
        return f"{value.numerator}:{value.denominator}"
    return f"{number_text(value, places=4)}:1"


def frame_rate_text(rate: Fraction) -> str:
    """As people write it, so that it reads back to the same rate; exact where there is no common way to write it."""
    text = rate_text(rate)
    return text if parse_frame_rate(text) == rate else f"{rate.numerator}/{rate.denominator}"


def _split(words: str) -> tuple[Fraction | None, str]:
    found = _WITH_UNIT.match(words) if len(words) <= _LONGEST_INPUT else None
    return (_exact(found.group(1)), found.group(2)) if found else (None, "")


def _exact(digits: str) -> Fraction:
    return Fraction(digits.replace(",", "."))


def grouped(count: int) -> str:
    """A count with thin spaces between thousands."""
    return f"{count:,}".replace(",", "\u202f")


def counted(count: int, one: str, many: str) -> str:
    """``1 frame``, ``12 frames``."""
    return f"{grouped(count)} {one if count == 1 else many}"
