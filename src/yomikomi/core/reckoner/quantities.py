"""Kinds of quantities: how they are typed, and written so that they read back. To add a kind, add a row to ``KINDS``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import (
    frame_rate_text,
    number_text,
    parse_bit_rate,
    parse_frame_rate,
    parse_number,
    parse_ratio,
    parse_size,
    parse_time,
    ratio_text,
)

# A quantity without end: what never stops, never fills.
NEVER = "never"


@dataclass(frozen=True)
class Kind:
    """``parse`` gives an exact value or None; ``write`` gives text that parses back to within its rounding."""

    parse: Callable[[str], Any]
    write: Callable[[Any], str]
    example: str


def _significant(value: Fraction, unit: str, places: int = 3) -> str:
    return f"{number_text(value, places=places)} {unit}"


def _scaled(value: Fraction, units: tuple[tuple[str, int], ...]) -> str:
    for unit, scale in units:
        if abs(value) >= scale or scale == units[-1][1]:
            scaled = value / scale
            return _significant(scaled, unit, 1 if scaled >= 100 else 2 if scaled >= 10 else 3)
    raise AssertionError("a scale of 1 comes last")


def size_words(value: Fraction) -> str:
    return _scaled(value, (("TB", 10**12), ("GB", 10**9), ("MB", 10**6), ("kB", 10**3), ("B", 1)))


def bits_words(value: Fraction) -> str:
    return _scaled(value, (("Gb/s", 10**9), ("Mb/s", 10**6), ("kb/s", 10**3), ("b/s", 1)))


def bytes_words(value: Fraction) -> str:
    """``value`` in bits a second, written in bytes a second."""
    return _scaled(value / 8, (("GB/s", 10**9), ("MB/s", 10**6), ("kB/s", 10**3), ("B/s", 1)))


def time_words(value: Fraction) -> str:
    """h:mm:ss from a minute on, with thousandths where there are any; below that seconds, or a fraction of one."""
    if value < 60:
        return f"1/{value.denominator} s" if value.numerator == 1 and value < 1 else f"{number_text(value)} s"
    thousandths = round(value * 1000)
    whole, rest = divmod(thousandths, 1000)
    return clock(whole) + (f".{rest:03d}".rstrip("0") if rest else "")


def _time(words: str, bare: str) -> Fraction | None:
    text = words.strip().lower()
    if text.endswith("s") and "/" in text:
        text, bare = text.removesuffix("s").strip(), "s"
    return parse_time(text, bare=bare)


def _whole(words: str) -> Fraction | None:
    value = parse_number(words.replace(" ", ""))
    return value if value is not None and value.denominator == 1 and value >= 0 else None


def _percent(words: str) -> Fraction | None:
    value = parse_number(words.replace("%", ""))
    return value / 100 if value is not None and value >= 0 else None


def _decibel(words: str) -> Fraction | None:
    return parse_number(words.lower().removesuffix("db").strip())


def _positive(words: str) -> Fraction | None:
    value = parse_number(words.lower().removesuffix("x").removesuffix("×").strip())
    return value if value is not None and value > 0 else None


def _stops(words: str) -> Fraction | None:
    return parse_number(words.lower().removesuffix("stops").removesuffix("stop").strip())


def _pixels(words: str) -> Fraction | None:
    value = _whole(words.lower().removesuffix("px"))
    return value if value is not None and 1 <= value <= 100_000 else None


KINDS: dict[str, Kind] = {
    "time": Kind(lambda words: _time(words, "min"), time_words, "2h, 1:45:00, 90 s"),
    "short time": Kind(lambda words: _time(words, "s"), time_words, "30, 1/50, 2 min"),
    "size": Kind(parse_size, size_words, "4.7GB, 700 MB, 4.38GiB"),
    "bit rate": Kind(parse_bit_rate, bits_words, "1500k, 40 Mb/s"),
    "byte rate": Kind(lambda words: parse_bit_rate(words, bare="MB/s"), bytes_words, "90, 110 MB/s"),
    "frame rate": Kind(parse_frame_rate, frame_rate_text, "29.97, 25, 60000/1001"),
    "count": Kind(_whole, lambda value: number_text(value, places=0), "120"),
    "pixels": Kind(_pixels, lambda value: number_text(value, places=0), "720"),
    "number": Kind(_positive, lambda value: number_text(value, places=4), "1.5"),
    "percent": Kind(_percent, lambda value: _significant(value * 100, "%"), "90 %"),
    "shape": Kind(parse_ratio, ratio_text, "16:9, 1.85, 8/9"),
    "decibel": Kind(_decibel, lambda value: _significant(value, "dB"), "-6 dB"),
    "stops": Kind(_stops, lambda value: _significant(value, "stop" if abs(value) == 1 else "stops"), "1.5"),
    "words": Kind(lambda words: words.strip() or None, str, ""),
}


def write(kind: str, value: Any) -> str:
    return NEVER if value == NEVER else KINDS[kind].write(value)


def parse(kind: str, words: str) -> Any:
    return KINDS[kind].parse(words)
