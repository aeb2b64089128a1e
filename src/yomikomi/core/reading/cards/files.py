"""The file itself, and the parts of the take."""

from __future__ import annotations

from fractions import Fraction

from yomikomi.core.reading.cards.finding import Finding, Mark
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, grouped

# From these on black at an end is told of, and to be trimmed.
_TOLD_BLACK_S, _LONG_BLACK_S = 0.5, 3.0


def file_card(reading: Reading) -> Finding:
    damage = reading.doubted("damage")
    what = f"{reading.codec}, {reading.pixel_format}, {reading.bit_depth} bits, in {reading.container}"
    if damage:
        return Finding("file", Mark.WRONG, "The file is not whole", "certain", "; ".join(damage), "copy or capture it again if you can", 95)
    if reading.mode == "quick":
        length = f"{clock(reading.duration_seconds)}, {grouped(reading.frames)} frames by its header"
        return Finding("file", Mark.FINE, length, "as flagged", f"{what}; a quick reading does not see all of it", "nothing to do")
    length = f"Whole: {clock(reading.duration_seconds)}, {grouped(reading.frames)} frames"
    return Finding("file", Mark.FINE, length, "certain", what, "nothing to do")


def structure_cards(reading: Reading) -> list[Finding]:
    structure = reading.structure
    if structure is None or reading.mode == "quick":
        return []
    rate = Fraction(reading.rate.nominal)
    cards = []
    for first, last in structure.fragments[:3]:
        cards.append(
            Finding(
                "fragment", Mark.WRONG, f"A stray fragment at {clock(float(first / rate))}", "likely",
                f"{clock(float((last - first + 1) / rate))} of picture after two seconds of black or more near the end",
                "end the copy before it, if it does not belong", 78, first, (first,), "luma range",
            )
        )  # fmt: skip
    head, tail = structure.head_black_seconds, structure.tail_black_seconds
    if max(head, tail) >= _TOLD_BLACK_S:
        parts = [f"{clock(length)} at the {where}" for length, where in ((head, "head"), (tail, "tail")) if length >= _TOLD_BLACK_S]
        long = max(head, tail) > _LONG_BLACK_S
        frame = structure.black[-1][0] if tail >= _TOLD_BLACK_S else 0
        cards.append(
            Finding(
                "black", Mark.LOOK if long else Mark.FINE, "Black: " + ", ".join(parts), "measured", "nothing is to be seen there",
                "trim it" if long else "trim it if it is not wanted", 57 if long else 4, frame,
                strip="luma range",
            )
        )  # fmt: skip
    fades = f", {counted(len(structure.fades), 'fade', 'fades')}" if structure.fades else ""
    activity = ""
    if structure.spatial and structure.temporal:
        activity = f"; spatial {structure.spatial.value:.0f}, temporal {structure.temporal.value:.0f} (ITU-T P.910)"
    title = f"{counted(structure.cut_count, 'cut', 'cuts')}{fades}"
    frames = tuple(structure.cuts)
    cards.append(
        Finding("structure", Mark.FINE, title, "measured", f"hardest at {clock(float(structure.hardest_frame / rate))}{activity}",
                "trials are taken from the hard, the easy and the typical parts", 2, structure.hardest_frame, frames)
    )  # fmt: skip
    return cards


def hidden_card(reading: Reading) -> Finding | None:
    hidden = reading.hidden
    if hidden is None or not (hidden.captions or hidden.coded or hidden.timecode):
        return None
    parts = []
    if hidden.captions or hidden.coded:
        text = f" (“{hidden.caption_bytes[:24]}”)" if hidden.caption_bytes.strip() else ""
        parts.append(f"captions in line 21{text}")
    if hidden.timecode:
        parts.append(f"timecode {hidden.timecode} in the first lines")
    if hidden.coded:
        why = f"beside the coded pictures, in {hidden.coded} looks"
    else:
        why = f"in {hidden.captions or hidden.timecode_looks} of {hidden.looks} looks"
    return Finding(
        "hidden lines",
        Mark.LOOK,
        "The picture carries " + " and ".join(parts),
        "measured",
        why,
        "copies get the captions as a text track" if hidden.captions or hidden.coded else "note it before the lines are cropped",
        32,
    )
