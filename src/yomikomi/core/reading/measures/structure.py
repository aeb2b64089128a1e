"""The parts of a take: cuts, fades, black, what strays after the end, and where it is hard."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.capture.runs import runs_where
from yomikomi.core.reading.measures.light import Codes
from yomikomi.core.reading.models import Complexity, Measured, Span, Structure

# A black frame: its brightest hundredth lies this low, and no further above its darkest than noise makes it (8-bit codes).
_BLACK_HIGH, _BLACK_SPREAD, _SPREAD_PER_NOISE = 38, 10, 5.0
# Least length of black that is told of: within the programme, and at its head and tail.
_SHORTEST_BLACK_S, _SHORTEST_END_S = 1.0, 0.5
_SHORTEST_FADE, _LONGEST_FADE = 6, 150
# What comes after so much black and silence near the end, and is so short, is a fragment of an older recording (common practice, no
# source); and what part of that black must be silent, where there is sound.
_BLACK_BEFORE_FRAGMENT_S, _LONGEST_FRAGMENT_S, _FRAGMENT_PART, _SILENT_PART = 2.0, 120.0, 0.1, 0.7
_MOST_CUTS = 2000


def make_structure(
    light: Codes,
    cuts: Sequence[int],
    complexity: Complexity,
    *,
    frames: int,
    rate: Fraction,
    noise: float,
    spatial: Measured | None,
    temporal: Measured | None,
    silences: Sequence[Span] | None = None,
) -> Structure:
    """Parameters
    ----------
    light : ndarray [shape=(frames, 3): low, high, mean in 8-bit code values], empty where not every one of the take's frames was seen
    silences : of the loudest stream, from and to in seconds from the first frame; None where there is no sound.
    """
    black = black_stretches(light, rate=rate, noise=noise)
    seen = len(light)
    head = black[0][1] + 1 if black and black[0][0] == 0 else 0
    fragments = _fragments(black, seen, rate, silences)
    tail_from = black[-1][0] if black and black[-1][1] == seen - 1 else seen
    hardest, easiest, typical = notable_frames(complexity, frames)
    return Structure(
        cuts=list(cuts[:_MOST_CUTS]), cut_count=len(cuts), fades=_fades(light[:, 2].astype(int), black), black=black,
        head_black_seconds=round(float(head / rate), 3), tail_black_seconds=round(float((seen - tail_from) / rate), 3),
        fragments=fragments, spatial=spatial, temporal=temporal, hardest_frame=hardest, easiest_frame=easiest, typical_frame=typical,
    )  # fmt: skip


def black_stretches(light: Codes, *, rate: Fraction, noise: float) -> list[tuple[int, int]]:
    """First and last frame of each stretch of at least a second (at head and tail half a second) that shows nothing."""
    if not len(light):
        return []
    low, high = light[:, 0].astype(int), light[:, 1].astype(int)
    spread = _BLACK_SPREAD + _SPREAD_PER_NOISE * noise
    dark = (high <= max(_BLACK_HIGH, 16 + spread)) & (high - low <= spread)
    least = max(1, round(_SHORTEST_BLACK_S * rate))
    end_least = max(1, round(_SHORTEST_END_S * rate))
    return [
        (first, end - 1) for first, end in runs_where(dark)
        if end - first >= (end_least if first == 0 or end == len(light) else least)
    ]  # fmt: skip


def notable_frames(complexity: Complexity, frames: int) -> tuple[int, int, int]:
    """Middle frames of the hardest, the easiest and a typical cell, by the bytes of a small encode."""
    cells = np.asarray(complexity.cell_bytes, float)
    if not len(cells):
        return 0, 0, 0
    last = max(0, frames - 1)
    order = np.argsort(cells, kind="stable")
    places = (int(order[-1]), int(order[0]), int(order[len(order) // 2]))
    middle = [min(last, cell * complexity.frames_per_cell + complexity.frames_per_cell // 2) for cell in places]
    return middle[0], middle[1], middle[2]


def _fragments(
    black: list[tuple[int, int]], frames: int, rate: Fraction, silences: Sequence[Span] | None
) -> list[tuple[int, int]]:  # fmt: skip
    """Stretches of picture after the last long black that are too short to be part of the programme."""
    found = []
    for number, (first, last) in enumerate(black):
        if (last - first + 1) / rate < _BLACK_BEFORE_FRAGMENT_S or first < frames // 2:
            continue
        if silences is not None and _silent_part(first / rate, (last + 1) / rate, silences) < _SILENT_PART:
            continue
        after = (last + 1, black[number + 1][0] - 1 if number + 1 < len(black) else frames - 1)
        length = after[1] - after[0] + 1
        if 0 < length / rate <= _LONGEST_FRAGMENT_S and length <= _FRAGMENT_PART * frames:
            found.append(after)
    return found


def _silent_part(start: Fraction, end: Fraction, silences: Sequence[Span]) -> float:
    inside = sum(max(0.0, min(float(end), to) - max(float(start), since)) for since, to in silences)
    return inside / max(1e-9, float(end - start))


def _fades(mean: NDArray[np.int_], black: list[tuple[int, int]]) -> list[tuple[int, int, str]]:
    """Where the mean falls steadily into black, or rises steadily out of it."""
    found: list[tuple[int, int, str]] = []
    for first, last in black:
        start = _steady(mean, first, -1)
        if first - start >= _SHORTEST_FADE and mean[start] - mean[first] > 10:
            found.append((start, first, "out"))
        end = _steady(mean, last, 1)
        if end - last >= _SHORTEST_FADE and mean[end] - mean[last] > 10:
            found.append((last, end, "in"))
    return found


def _steady(mean: NDArray[np.int_], at: int, step: int) -> int:
    """How far from ``at`` the mean goes on rising in direction ``step``, a step of the rise being no jump."""
    place, flat = at, 0
    top = at
    while 0 <= place + step < len(mean) and abs(place - at) < _LONGEST_FADE:
        rise = int(mean[place + step]) - int(mean[place])
        if rise < -1 or rise > 25:
            break
        flat = flat + 1 if rise <= 0 else 0
        if flat > 5 and top != at:
            break
        place += step
        if rise > 0:
            top = place
    return top
