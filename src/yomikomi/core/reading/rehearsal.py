"""Judging a rehearsal: ten seconds that were recorded and read at once, before the tape is committed."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.capture.health import HealthEnd
from yomikomi.core.capture.proof import ProofLine
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.reading.cards.scanned import KIND_WORDS, doubt_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.source import SourceFormat
from yomikomi.core.video.units import counted, decibel_text

_HEADROOM = 1.15
_RATE_OFF = 0.0005  # 23.976 against 24 differ by 0.001
_MOVES = 0.4  # mean change from frame to frame, in codes, beyond the noise of a tape
_REPEATS = 0.02
_QUIET_DB, _SILENT_DB, _HOT_DB = -40.0, -60.0, -2.0


@dataclass(frozen=True)
class Rehearsal:
    """What was recorded, and what its reading found against what was expected."""

    lines: tuple[ProofLine, ...]

    @property
    def wrong(self) -> tuple[ProofLine, ...]:
        return tuple(line for line in self.lines if line.mark == "fault")

    @property
    def sentence(self) -> str:
        if self.wrong:
            return f"Not yet: {'; '.join(f'{line.name} {line.found}' for line in self.wrong)}."
        look = [line for line in self.lines if line.mark == "check"]
        return (
            "The rehearsal is fine: the tape can be committed."
            if not look
            else f"It would record; look at {look[0].name} first: {look[0].found}."
        )


def judge_rehearsal(
    result: CaptureResult, reading: Reading, expected: SourceFormat, health: HealthEnd | None = None, *, silent: bool
) -> Rehearsal:
    """Hold the result and the reading of a rehearsal against the source's format.

    Parameters
    ----------
    health : the last words of the take's log.
    silent : no sound is expected.
    """
    return Rehearsal((
        _frames(result), _headroom(result), *_scan(reading, expected), _rate(reading, expected), _shape(reading, expected),
        *_picture(reading, health, result.seconds), *([] if silent else _sound(reading, health)),
    ))  # fmt: skip


def _frames(result: CaptureResult) -> ProofLine:
    if result.trouble:
        return ProofLine("recording", f"ended: {result.trouble}", "fault")
    if result.dropped:
        return ProofLine("frames", f"{result.dropped} of {result.frames + result.dropped} missing", "fault")
    return ProofLine("frames", f"{result.frames} recorded, none lost", "fine")


def _headroom(result: CaptureResult) -> ProofLine:
    words = f"{result.headroom:.1f}× what is needed"
    return ProofLine("headroom", words, "fine" if result.headroom >= _HEADROOM else "fault" if result.headroom < 1 else "check")


def _scan(reading: Reading, expected: SourceFormat) -> list[ProofLine]:
    scan = reading.scan
    wanted = "interlaced" if expected.field_order else "progressive"
    if scan.kind == "undetermined" and scan.whole_pictures and wanted == "progressive":
        return [ProofLine("scan", "progressive or blended; progressive was expected", "fine")]
    if scan.kind == "undetermined" and scan.whole_pictures:
        return [ProofLine("scan", "no fields where fields were expected: a film, or blended in the device", "check")]
    if scan.kind == "undetermined":
        return [ProofLine("scan", f"undetermined: {doubt_words(reading)}", "undetermined")]
    if scan.kind != wanted:
        # Films in an interlaced standard are usual, whole or spread over fields; fields where whole pictures were sent are a fault.
        found = f"is {KIND_WORDS[scan.kind]}, {wanted} was expected"
        usual = scan.kind in {"progressive", "repeats"} or (wanted == "interlaced" and scan.kind != "blended")
        return [ProofLine("scan", found, "check" if usual else "fault")]
    if expected.field_order and scan.field_order and scan.field_order != expected.field_order.value:
        return [ProofLine("field order", f"is {scan.field_order}, the recorder says {expected.field_order.value}", "fault")]
    return [ProofLine("scan", f"{scan.kind}, as expected", "fine")]


def _rate(reading: Reading, expected: SourceFormat) -> ProofLine:
    wanted, found = expected.standard.rate, Fraction(reading.rate.nominal)
    if abs(float(found / wanted) - 1) > _RATE_OFF:
        return ProofLine("rate", f"is {rate_text(found)}, {rate_text(wanted)} was expected", "fault")
    if reading.rate.gaps:
        return ProofLine("rate", f"{counted(reading.rate.gaps, 'gap', 'gaps')} in the time stamps", "fault")
    return ProofLine("rate", f"{rate_text(found)}, constant", "fine")


def _shape(reading: Reading, expected: SourceFormat) -> ProofLine:
    found, wanted = reading.geometry.shape, expected.geometry.shape_words
    return ProofLine("shape", found if found == wanted else f"is {found}, {wanted} was expected", "fine" if found == wanted else "fault")


def _picture(reading: Reading, health: HealthEnd | None, seconds: float) -> list[ProofLine]:
    lines = []
    if max(reading.strips.motion, default=0.0) < _MOVES:
        lines.append(ProofLine("picture", "still or blank", "fault"))
    if health is not None and health.repeats:
        part = len(health.repeats) / max(1.0, seconds * float(Fraction(reading.rate.nominal)))
        lines.append(ProofLine("repeats", f"{len(health.repeats)} found", "fault" if part > _REPEATS else "check"))
    return lines


def _sound(reading: Reading, health: HealthEnd | None) -> list[ProofLine]:
    if not reading.sound:
        return [ProofLine("sound", "no track", "fault")]
    lines = []
    for number, sound in enumerate(reading.sound):
        name = "sound" if number == 0 else f"sound {number + 1}"
        if sound.peak_db < _SILENT_DB:
            lines.append(ProofLine(name, "silent", "fault"))
        elif health is not None and health.clipped and number == 0:
            lines.append(ProofLine(name, f"clips at {health.clipped} places", "fault"))
        elif sound.peak_db > _HOT_DB:
            lines.append(ProofLine(name, f"peaks at {decibel_text(sound.peak_db)}: no headroom", "check"))
        elif sound.peak_db < _QUIET_DB:
            lines.append(ProofLine(name, f"peaks at {decibel_text(sound.peak_db)}: very quiet", "check"))
        else:
            lines.append(ProofLine(name, f"peaks at {decibel_text(sound.peak_db)}", "fine"))
    return lines
