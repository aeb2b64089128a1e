"""What the witnesses of an encode say of the finished copy, as checks.

The limits are far from what encoders do and near to what goes wrong: docs/science.md says what was measured on either side.
"""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction

from yomikomi.core.copying.checks import Check
from yomikomi.core.copying.witness import (
    PictureFindings,
    PictureWitness,
    SoundFindings,
    SoundWitness,
    Witness,
    compare_pictures,
    compare_sound,
)
from yomikomi.core.video.timecode import clock

# Mean difference of a thumbnail, and of all of them on average, code values of 255.
_ANOTHER, _LEVELS = 14.0, 3.0
# Part of the telling moments that may fit another frame better.
_OFF = 0.1
# Cuttings of a copy that shows something else altogether are less near than this, decibels.
_FOREIGN_DB = 10.0
# Sound may be out of step by so much on the whole, and by so much in nine of ten windows, ms; and silent for so long, seconds.
_STEP_MS, _WINDOW_MS, _SILENT_S = 10.0, 20.0, 0.5


def witness_checks(
    kept: Witness | None, pictures: PictureWitness | None, sounds: Sequence[SoundWitness], rate: Fraction
) -> list[Check]:  # fmt: skip
    """Nothing where nothing was witnessed. ``sounds``: of the copy, stream by stream."""
    if kept is None or pictures is None:
        return []
    found = _pictures(compare_pictures(kept, pictures, rate))
    for number, (meant, heard) in enumerate(zip(kept.sounds, sounds, strict=False), 1):
        if meant is not None:
            found += _sound("sound" if len(sounds) == 1 else f"sound {number}", compare_sound(meant, heard))
    return found


def _pictures(told: PictureFindings) -> list[Check]:
    same = told.worst <= _ANOTHER and not told.frozen
    if told.worst > _ANOTHER:
        words = f"at {clock(told.worst_at)} the picture is another (mean difference {told.worst:.0f} code values)"
    elif told.frozen:
        words = f"stands still at {told.frozen} of {told.moments} moments where the take moves"
    else:
        words = f"{told.moments} moments, mean difference {told.worst:.1f} code values at most"
    found = [
        Check(name="pictures as treated", passed=same and told.moments > 0, found=words),
        Check(name="levels", passed=abs(told.shift) <= _LEVELS, found=f"{told.shift:+.1f} code values on average"),
    ]
    if told.telling:
        words = f"{told.telling - told.off} of {told.telling} moments with motion are at their frame"
        found.append(Check(name="frame by frame", passed=told.off <= _OFF * told.telling, found=words))
    if told.closeness is not None:
        mean, least, at = told.closeness
        words = f"{mean:.1f} dB PSNR in the middle of the picture, least {least:.1f} dB at {clock(at)}"
        found.append(Check(name="close to the treated take", passed=least >= _FOREIGN_DB, found=words))
    return found


def _sound(name: str, told: SoundFindings) -> list[Check]:
    found = [
        Check(
            name=f"{name} not silent", passed=told.silent_s < _SILENT_S,
            found=f"silent for {told.silent_s:.1f} s where the take is not" if told.silent_s >= _SILENT_S else "wherever the take is not",
        )
    ]  # fmt: skip
    if told.offset_ms is not None and told.widest_ms is not None:
        passed = abs(told.offset_ms) <= _STEP_MS and told.widest_ms <= _WINDOW_MS
        words = f"{told.offset_ms:+.1f} ms, within {told.widest_ms:.1f} ms along nine tenths of it"
        found.append(Check(name=f"{name} in step", passed=passed, found=words))
    return found
