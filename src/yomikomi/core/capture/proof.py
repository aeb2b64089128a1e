"""Proving a path: what was seen and heard in a short look, held against what its settings sheet promises."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from yomikomi.core.capture import sentences
from yomikomi.core.capture.look import LookResult
from yomikomi.core.path.sheet import PathSheet, SheetItem
from yomikomi.core.path.structure import Knob

_HEARD_DB = -60.0  # a tape's hiss lies below, any programme above
_QUIET_DB = -40.0  # a peak below this leaves less than ten of sixteen bits
_CLIPPED = 1e-4  # share of samples at full scale that is no accident
_HOT_DB = -2.0  # programme stays below (common practice, no source)

# What is proven by a picture that stands, and by sound that moves.
_BY_PICTURE = {"plugged", "power", "input", "output", "standard", "protection", "plug", "send"}
_BY_SOUND = {"plugged", "power", "sound_to", "screen_sound", "sound_input", "mic_power", "input"}


@dataclass(frozen=True)
class ProofLine:
    """``mark``: fine, check, fault, or undetermined."""

    name: str
    found: str
    mark: Literal["fine", "check", "fault", "undetermined"]


@dataclass(frozen=True)
class Proof:
    """``proven``: knobs that the look has shown to be right. ``seen``: symptoms, keys of ``SYMPTOMS``."""

    lines: tuple[ProofLine, ...]
    proven: frozenset[Knob]
    seen: frozenset[str]

    @property
    def holds(self) -> bool:
        return not any(line.mark == "fault" for line in self.lines)

    @property
    def sentence(self) -> str:
        wrong = [(line.name, line.found) for line in self.lines if line.mark == "fault"]
        return sentences.proof_sentence(wrong, sound=any(line.name == "sound" for line in self.lines))


def prove(sheet: PathSheet, look: LookResult, *, silent: bool) -> Proof:
    """Hold a look against a sheet. What a short look cannot show (range, level of the whole tape, sync) is said to be open."""
    lines, seen = [_picture(look)], set()
    if look.picture != "there":
        seen.add({"none": "no picture"}.get(look.picture, look.picture))
    else:
        lines.append(
            ProofLine("movement", sentences.MOVES, "fine") if look.moves else ProofLine("movement", sentences.STILL, "undetermined")
        )
        lines.append(ProofLine("levels", sentences.range_seen(look.dark, look.light), "undetermined" if look.dark > 30 else "fine"))
        if not look.coloured:
            lines.append(ProofLine("colour", sentences.COLOURLESS, "check"))
    if look.missing:
        lines.append(ProofLine("frames", sentences.frames_missing(look.missing, look.frames), "fault"))
        seen.add("drops")
    heard = look.peak_db > _HEARD_DB
    if not silent and look.frames:
        line, symptom = _sound(look, heard=heard)
        lines.append(line)
        seen |= {symptom} if symptom else set()
    proven = {item.knob for item in sheet.items if _shown(sheet, item, picture=look.picture == "there", sound=heard and not silent)}
    return Proof(tuple(lines), frozenset(proven), frozenset(seen))


def _picture(look: LookResult) -> ProofLine:
    if look.picture == "there":
        return ProofLine("picture", sentences.picture_there(look.width, look.height, look.rate), "fine")
    return ProofLine("picture", sentences.PICTURE_FAULTS[look.picture], "fault")


def _sound(look: LookResult, *, heard: bool) -> tuple[ProofLine, str]:
    if not heard:
        return ProofLine("sound", sentences.NO_SOUND, "fault"), "no sound"
    if look.clipped > _CLIPPED:
        return ProofLine("sound", sentences.clips(look.clipped), "fault"), "distorted"
    if look.peak_db < _QUIET_DB:
        return ProofLine("sound", sentences.peak(look.peak_db, quiet=True), "check"), "quiet"
    return ProofLine("sound", sentences.peak(look.peak_db), "check" if look.peak_db > _HOT_DB else "fine"), ""


def _shown(sheet: PathSheet, item: SheetItem, *, picture: bool, sound: bool) -> bool:
    path = sheet.path
    if item.at:
        return False
    seen_by = {piece for link in (*path.picture, *path.host) for piece in (link.source, link.target, link.cable)} | {path.source}
    heard_by = {piece for link in (*path.sound, *path.host) for piece in (link.source, link.target, link.cable)} | {path.computer}
    return (picture and item.piece in seen_by and item.key in _BY_PICTURE) or (sound and item.piece in heard_by and item.key in _BY_SOUND)
