"""What Capture says: how a recording warns and ends, what a look, a row of bars, a sync test and a machine trial have shown.

The rules beside it decide and hand over what they found; here it becomes words, in one place.
"""

from __future__ import annotations

from collections.abc import Sequence

from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import decibel_text, size_text

# How a recording ends. Each ending: what happened and what is safe, and what to do.

KEPT = "What was recorded so far is kept."
STOPPED_BY_HAND = "Stopped by hand."
CARRIER_ENDED = "The carrier ended."
DRIVE_FULL = (
    "The drive is nearly full: the take ends here and is kept.",
    "Make room on the take drive, then capture the rest as a second take.",
)


def stop_rules(*, floor_bytes: int, blank_seconds: float | None, max_seconds: float | None, most_lost: int | None) -> str:
    """When a recording ends by itself."""
    ends = []
    if blank_seconds:
        ends.append(f"after {spoken(blank_seconds)} of blank or still picture and silence")
    if max_seconds:
        ends.append(f"at {clock(max_seconds)}")
    if most_lost:
        ends.append(f"when {most_lost} frames are lost")
    ends.append(f"when the drive falls under {size_text(floor_bytes)}")
    return "Ends " + ", ".join(ends) + ("." if most_lost else "; losses raise a warning.")


def length_reached(seconds: float) -> str:
    return f"The length asked for is reached: {clock(seconds)}."


def too_many_lost(dropped: int) -> tuple[str, str]:
    return (
        f"{dropped} frames are lost, and that many were not allowed: the take ends here and is kept.",
        "Close other programs, turn the monitor off or choose a lighter codec; then capture again.",
    )


def blank_for(seconds: float) -> str:
    return f"Blank or still picture and silence for {spoken(seconds)}: the end."


def source_silent(seconds: float, *, recorded: bool) -> tuple[str, str]:
    """A source that gives nothing, after it began or from the first."""
    head = (
        f"The source has given nothing for {seconds:.0f} s: the take ends here and is kept."
        if recorded
        else f"The source gave no picture within {seconds:.0f} s: nothing was recorded."
    )
    return head, "Check its cable and power, and that nothing else uses the device."


def encoder_failed(how: str) -> tuple[str, str]:
    return f"The encoder failed: {how}.", f"{KEPT} Choose another codec."


def not_finished(error: Exception) -> tuple[str, str]:
    return f"The take could not be finished: {error}.", KEPT


# What a person should look at while it runs.

BEHIND = "the recorder falls behind"
BLANK = "picture blank or still, and silence"


def frames_lost(dropped: int) -> str:
    return f"{dropped} frames lost"


def short_headroom(headroom: float) -> str:
    return f"encoder headroom only {headroom:.2f}×"


def slow_write(ms: float) -> str:
    return f"the drive took {ms:.0f} ms for one write"


def little_room(free_bytes: int) -> str:
    return f"{size_text(free_bytes)} left on the drive"


def drifting(ms_per_hour: float) -> str:
    return f"sound and picture drift apart by {abs(ms_per_hour):.0f} ms an hour"


# Whether a path is proven by a short look.

PICTURE_FAULTS = {"none": "does not come", "black": "is black", "blue": "is the recorder's empty one", "torn": "is torn"}
MOVES, STILL, COLOURLESS, NO_SOUND = "moves", "stands still", "has next to none", "does not come"


def picture_there(width: int, height: int, rate: float) -> str:
    return f"present, {width} × {height}, {rate:.2f} fps"


def range_seen(dark: float, light: float) -> str:
    return f"from {dark:.0f} to {light:.0f} of 255"


def frames_missing(missing: int, frames: int) -> str:
    """``frames``: those that came."""
    return f"{missing} of {frames + missing} missing"


def peak(db: float, *, quiet: bool = False) -> str:
    return f"peaks at {db:.0f} dB{', very quiet' if quiet else ''}"


def clips(part: float) -> str:
    return f"clips: {100 * part:.1f} % of it at full scale"


def proof_sentence(wrong: Sequence[tuple[str, str]], *, sound: bool) -> str:
    """``wrong``: name and finding of each line that failed; ``sound``: the path carries any."""
    if wrong:
        return f"Not proven: {wrong[0][0]} {wrong[0][1]}."
    return "Proven: the picture stands and the sound moves." if sound else "Proven."


# Bars and tone against the standard: each finding, and what to set.

MATRIX_FIX = "Set the matrix of the recorder to what the source sends."
NO_COLOUR = ("has none", "Check the colour standard at the recorder, and the chroma wire of an S-Video cable.")
HUE_FIX = "Turn the hue of the recorder's input (525 lines), or check for a wrong colour standard."
NO_TONE = ("missing", "See Path for where the sound is lost.")
NO_SOUND_TRACK = "there is no sound track"
NO_BARS = "the picture does not show colour bars"
SIDES_RIGHT = "left and right are right"
SIDES_EXCHANGED = ("left and right are exchanged", "Exchange both plugs of the sound cable.")
SIDES_ALIKE = ("both carry the same", "A mono cable or player; or check for a bridge.")
SIDES_UNMARKED = "the tone has no channel marking: left and right undetermined"


def nothing_measured(reason: str) -> str:
    return f"Nothing to measure: {reason}."


def next_to_nothing(error: Exception) -> str:
    return f"the source gave next to nothing ({error or 'it ended'})"


def levels_sentence(wrong: Sequence[tuple[str, str]]) -> str:
    """``wrong``: name and finding of each line that is."""
    if not wrong:
        return "Levels are right."
    return f"{len(wrong)} wrong: " + "; ".join(f"{name} {words}" for name, words in wrong) + "."


def other_matrix(number: str) -> str:
    return f"follows BT.{number}, not what is usual for this size"


def wrong_range(black: float, white: float, *, full: bool) -> tuple[str, str, str]:
    """Of black, of white, and what to set. ``full``: full range where limited is expected; otherwise limited squeezed once more."""
    how = "full range sent where limited is expected" if full else "limited range taken for full and squeezed once more"
    fix = "Set the source to limited range, or the recorder to full." if full else "Set the recorder's range to limited."
    return f"at {black:.0f} instead of 16: {how}", f"at {white:.0f} instead of 235", fix


def black_at(code: float) -> str:
    return f"at {code:.0f} (16 is right)"


def white_at(code: float) -> str:
    return f"at {code:.0f} (235 is right)"


def black_fix(off: float, *, setup: bool) -> str:
    """``off``: code values above the right one; ``setup``: just as much as the set-up of 525-line systems."""
    if setup:
        return "Switch on the set-up (7.5 %) of the recorder's input, or lower its brightness."
    return f"{_turn(off)} the brightness of the recorder's input by {abs(off):.0f} code values."


def white_fix(span: float) -> str:
    """``span``: from black to white, 1 is right."""
    return f"{_turn(span - 1)} the contrast of the recorder's input: it is at {100 * span:.0f} % of what it should be."


def saturation_at(gain: float) -> str:
    return f"{100 * gain:.0f} % of what it should be"


def saturation_fix(gain: float) -> str:
    return f"{_turn(gain - 1)} the saturation of the recorder's input."


def hue_at(degrees: float, *, right: bool) -> str:
    return "right" if right else f"turned by {degrees:.0f}°"


def tone_at(db: float) -> str:
    return f"at {decibel_text(db)} (−18 is usual)"


def tone_fix(off_db: float) -> str:
    return f"{_turn(off_db)} the sound input by {abs(off_db):.0f} dB."


def side_silent(side: str) -> tuple[str, str]:
    return f"the {side} one is silent", f"Check the {side} plug of the sound cable."


def _turn(off: float) -> str:
    return "Lower" if off > 0 else "Raise"


# Sound against picture.


def sync_sentence(offset_ms: float, *, spread_ms: float, within_ms: float, events: int) -> str:
    """``offset_ms``: how much later the sound is; ``within_ms``: how small an offset can be told from none."""
    off = abs(offset_ms)
    if off < within_ms:
        return f"Sound and picture in sync, within {within_ms:.0f} ms ({events} events)."
    return (
        f"The sound comes {off:.0f} ms {'after' if offset_ms > 0 else 'before'} its picture (spread {spread_ms:.1f} ms, {events} events)."
    )


def too_few_sounds(found: int, *, needed: int) -> str:
    return f"{found} sharp sounds found; at least {needed} are needed"


# Which codec this machine keeps up with.

NONE_KEEPS_UP = (
    "No codec tested can keep up on this machine: record at a smaller size, on a faster machine, or with a recorder that compresses."
)


def recommended(words: str, *, headroom: float, reason: str, passed_over: str, little: bool) -> str:
    """``passed_over``: what was wrong with the better codec that failed, empty if none did; ``little``: the headroom is short."""
    why = f"{words}: headroom {headroom:.1f}×, no frames lost; {reason}."
    if passed_over:
        why += f" {passed_over}."
    return why + (" That is little: turn the monitor off and close other programs." if little else "")


def lost_frames(words: str, *, lost: int, frames: int) -> str:
    return f"{words} lost {lost} of {frames} frames"


def needs_of_drive(words: str, *, part: float) -> str:
    return f"{words} needs {100 * part:.0f} % of the drive's write rate"


def had_headroom(words: str, *, headroom: float) -> str:
    return f"{words} had a headroom of only {headroom:.1f}×"
