"""The strips as a drawing of rectangles, lines and words, from which SVG and PDF are made."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock

WIDTH, LEFT = 720, 92
# Okabe and Ito's colours, told apart by colour-blind eyes too; the words beside them carry the meaning.
KIND_COLOURS = {1: "#56B4E9", 2: "#E69F00", 3: "#D55E00", 4: "#8A8A86", 5: "#009E73", 6: "#CC79A7", 7: "#F0E442"}
KIND_WORDS = {
    1: "progressive", 2: "top field first", 3: "bottom field first", 4: "unclear", 5: "film", 6: "repeats", 7: "blended",
}  # fmt: skip
_INK, _QUIET = "#22252B", "#6A6D73"
_MOST_COLUMNS = 600


@dataclass(frozen=True)
class Rect:
    x: float
    y: float
    width: float
    height: float
    colour: str


@dataclass(frozen=True)
class Words:
    x: float
    y: float
    text: str
    colour: str = _INK
    size: float = 9.0


@dataclass(frozen=True)
class Drawing:
    height: float
    parts: tuple[Rect | Words, ...]


def draw_strips(reading: Reading) -> Drawing:
    """Kind, combing, motion, luma range, losses and sound on one time axis."""
    strips = reading.strips
    parts: list[Rect | Words] = []
    y = 0.0
    seen = [kind for kind in KIND_WORDS if kind in strips.vote]
    rows = (
        ("kind", _kinds(strips.vote), 18.0, ", ".join(KIND_WORDS[kind] for kind in seen)),
        ("combing", _bars(strips.combing, "#E69F00"), 30.0, _scale(strips.combing, "code values")),
        ("motion", _bars(strips.motion, "#56B4E9"), 30.0, _scale(strips.motion, "code values")),
        ("luma range", _ranges(strips.low, strips.high), 30.0, "darkest to brightest hundredth, of 255" if strips.high else "not measured"),
        ("losses", _marks(strips.loss), 12.0, "repeated and lost frames" if any(strips.loss) else "none"),
        ("sound", _bars([max(0.0, v + 60) for v in strips.sound_db], "#009E73", top=60.0), 30.0, "peaks, −60 to 0 dB"),
    )  # fmt: skip
    for name, row, height, caption in rows:
        parts.append(Words(0, y + min(height, 14), name))
        parts += [
            Rect(LEFT + r.x * (WIDTH - LEFT), y + r.y * height, max(0.4, r.width * (WIDTH - LEFT)), r.height * height, r.colour)
            for r in row
        ]
        parts.append(Words(LEFT, y + height + 9, caption, _QUIET, 7.0))
        y += height + 15
    seconds = reading.duration_seconds
    for part in (0.0, 0.25, 0.5, 0.75, 1.0):
        parts.append(Words(LEFT + part * (WIDTH - LEFT) - (0 if part < 1 else 30), y + 8, clock(part * seconds), _QUIET, 8.0))
    return Drawing(y + 12, tuple(parts))


def _kinds(votes: Sequence[int]) -> list[Rect]:
    count = len(votes)
    made: list[Rect] = []
    start = 0
    for place in range(1, count + 1):
        if place < count and votes[place] == votes[start]:
            continue
        if votes[start]:
            made.append(Rect(start / count, 0, (place - start) / count, 1, KIND_COLOURS[votes[start]]))
        start = place
    return made


def _bars(values: Sequence[float], colour: str, *, top: float | None = None) -> list[Rect]:
    columns = _columns(values, max)
    most = top or max([5.0, *columns])
    return [
        Rect(at / len(columns), 1 - min(1.0, value / most), 1 / len(columns), min(1.0, value / most), colour)
        for at, value in enumerate(columns) if value > 0
    ]  # fmt: skip


def _ranges(low: Sequence[float], high: Sequence[float]) -> list[Rect]:
    lows, highs = _columns(low, min), _columns(high, max)
    return [
        Rect(at / len(highs), 1 - top / 255, 1 / len(highs), max(0.0, top - bottom) / 255, "#9B9B96")
        for at, (bottom, top) in enumerate(zip(lows, highs, strict=False))
    ]  # fmt: skip


def _marks(losses: Sequence[int]) -> list[Rect]:
    count = max(1, len(losses))
    return [
        Rect(at / count, 0 if kind == 2 else 0.3, 0.002, 1 if kind == 2 else 0.7, "#A4303F" if kind == 2 else "#A86A12")
        for at, kind in enumerate(losses) if kind
    ]  # fmt: skip


def _columns(values: Sequence[float], take: Callable[[Sequence[float]], float]) -> list[float]:
    """Not more columns than can be seen; ``take`` says which value of a column stands for it."""
    step = max(1, -(-len(values) // _MOST_COLUMNS))
    return [take(values[at : at + step]) for at in range(0, len(values), step)]


def _scale(values: Sequence[float], unit: str) -> str:
    return f"0 to {max([5.0, *values]):.0f} {unit}"
