"""The sheet of timecode (SMPTE ST 12-1)."""

from __future__ import annotations

import math
from fractions import Fraction

from yomikomi.core.reckoner.engine import Field, ReckonError, Relation, Sheet, Values
from yomikomi.core.reckoner.quantities import time_words
from yomikomi.core.video.timecode import TimecodeRule
from yomikomi.core.video.units import number_text, parse_frame_rate
from yomikomi.core.work.text import capital

_RATES = ("23.976", "24", "25", "29.97", "30", "50", "59.94", "60")
_DROP, _ALL = "drop", "non-drop"


def rule_of(v: Values) -> TimecodeRule:
    """Rates that have no drop-frame counting are counted whole, whichever is chosen."""
    rate = parse_frame_rate(v["rate"])
    assert rate is not None
    dropping = v["counting"] == _DROP and rate.denominator == 1001 and rate.numerator % 30_000 == 0
    return TimecodeRule(rate, drop=dropping)


def _frames_of_code(v: Values) -> Fraction:
    try:
        return Fraction(rule_of(v).to_frames(v["code"]))
    except ValueError as error:
        raise ReckonError(f"{capital(str(error))}.", remedy="Write it as hh:mm:ss:ff.") from error


def _words(v: Values) -> list[str]:
    rule = rule_of(v)
    ran = v["frames"] / rule.rate
    behind = Fraction(v["frames"], rule.base) - ran
    words = [
        f"{number_text(v['frames'])} frames × {rule.rate.denominator} ÷ {rule.rate.numerator} = {time_words(ran)} of real time",
        f"counted {rule.base} numbers to the second" + (", some left out each minute but the tenth" if rule.drop else ""),
    ]
    if not rule.drop and behind:
        words.append(f"counted whole, the code is {number_text(abs(behind), places=2)} s behind the clock by then")
    if v["counting"] == _DROP and not rule.drop:
        words.append("drop-frame counting exists for 29.97 and 59.94 only; counted whole")
    return words


TIMECODE = Sheet(
    "timecode",
    "Timecode",
    (
        Field("rate", "Frame rate, fps", "words", "29.97", choices=tuple((rate, rate) for rate in _RATES)),
        Field("counting", "Counting", "words", _DROP, choices=((_DROP, "drop-frame"), (_ALL, "non-drop"))),
        Field("frames", "Frames", "count", "107892"),
        Field("code", "Timecode", "words", "01:00:00;00"),
        Field("time", "Real time", "time", "1h", place="length"),
    ),
    (
        Relation(
            ("rate", "counting", "frames", "code"),
            {"code": lambda v: rule_of(v).from_frames(int(v["frames"])), "frames": _frames_of_code},
        ),
        Relation(
            ("rate", "frames", "time"),
            {
                "time": lambda v: v["frames"] / rule_of(v).rate,
                "frames": lambda v: Fraction(math.floor(v["time"] * rule_of(v).rate + Fraction(1, 2))),
            },
        ),
    ),
    _words,
)
