"""What can be seen of a take at once, before it is read: a first picture, and what the file says of itself."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.media import MediaInfo, probe
from yomikomi.core.video.picture_at import frames_from
from yomikomi.core.video.planes import rgb
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, size_text

# The picture shown is from this part of the take: tapes and discs begin in black.
_INTO = Fraction(1, 20)
_WIDEST = 1280


@dataclass(frozen=True)
class FirstLook:
    """``picture``: ndarray [shape=(lines, columns, 3), uint8, red green blue], None where none can be decoded; ``shape``: how wide it is
    shown; ``at``: seconds; ``lines``: what the file says of itself."""

    picture: NDArray[np.uint8] | None
    shape: Fraction
    at: float
    lines: tuple[str, ...]


def first_look(path: Path) -> FirstLook:
    """Raises UnreadableError for what is no footage."""
    info = probe(path)
    shape = info.geometry.turned(info.rotation).display_aspect
    for into in (_INTO, Fraction(0)):
        at = (info.seconds or Fraction(0)) * into
        try:
            for frame in frames_from(path, start_seconds=at):
                part = min(1.0, _WIDEST / frame.width)
                picture = rgb(frame, width=max(1, round(frame.width * part)), height=max(1, round(frame.height * part)))
                return FirstLook(np.rot90(picture, info.rotation // 90), shape, float(at), _told(info))
        except YomikomiError:
            continue
    return FirstLook(None, shape, 0.0, _told(info))


def _told(info: MediaInfo) -> tuple[str, ...]:
    flagged = {"tff": ", flagged top field first", "bff": ", flagged bottom field first"}.get(info.flagged_field_order or "", "")
    rate = f", {rate_text(info.average_rate)} fps" if info.average_rate else ""
    lines = [
        f"{clock(float(info.seconds))}, {size_text(info.size_bytes)}" if info.seconds else size_text(info.size_bytes),
        f"picture: {info.codec}, {info.geometry.width} × {info.geometry.height}, {info.bit_depth} bits{rate}{flagged}",
    ]
    for number, sound in enumerate(info.sound, 1):
        language = f", {sound.language}" if sound.language else ""
        name = "sound" if len(info.sound) == 1 else f"sound {number}"
        lines.append(f"{name}: {sound.codec}, {counted(sound.channels, 'channel', 'channels')}, {sound.sample_rate} Hz{language}")
    if not info.sound:
        lines.append("no sound")
    if info.subtitle_streams:
        lines.append(counted(info.subtitle_streams, "subtitle track", "subtitle tracks"))
    if info.chapters:
        lines.append(counted(info.chapters, "chapter", "chapters"))
    return tuple(lines)
