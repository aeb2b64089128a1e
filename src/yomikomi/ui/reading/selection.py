"""A selected stretch in words."""

from __future__ import annotations

from collections import Counter
from fractions import Fraction

from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import frame_clock
from yomikomi.core.video.units import counted, signed_text
from yomikomi.ui.reading.strip_painting import KIND_WORDS


def selection_words(reading: Reading, first: int, last: int) -> str:
    """From where to where, how long, what it is, how much it moves."""
    rate, strips = Fraction(reading.rate.nominal), reading.strips
    places = slice(first // strips.frames_per_bin, last // strips.frames_per_bin + 1)
    length = (last - first + 1) / rate
    parts = [f"selected {frame_clock(first, rate)} to {frame_clock(last, rate)}, {float(length):.1f} s, {last - first + 1} frames"]
    votes = Counter(vote for vote in strips.vote[places] if vote)
    if votes:
        kind, count = votes.most_common(1)[0]
        parts.append(f"{KIND_WORDS[kind]} {100 * count / sum(votes.values()):.0f} %")
    if reading.structure is not None:
        cuts = sum(first <= cut <= last for cut in reading.structure.cuts)
        parts.append(counted(cuts, "cut", "cuts"))
    motion = strips.motion[places]
    if motion:
        parts.append(f"motion up to {max(motion):.0f} code values")
    sound = [level for level in strips.sound_db[places] if level > -120]
    if sound:
        parts.append(f"sound up to {signed_text(max(sound))} dB")
    return " · ".join(parts)
