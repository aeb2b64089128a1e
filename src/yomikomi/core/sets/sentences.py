"""How sets and their copies are said."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

from yomikomi.core.balance.models import Prediction
from yomikomi.core.sets.model import COPY_NAME, SetCopy
from yomikomi.core.sets.planning import PlannedCopy
from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import counted, size_text

SET_HEADINGS = ("Copy", "Recipe", "Size", "Time", "Outlet and what is done for it")


def set_headline(
    planned: Sequence[PlannedCopy], predicted: Sequence[Prediction | None], *, free: Callable[[Path | None], float]
) -> tuple[str, str]:
    """What all of a set would take, as far as it is predicted; ``free``: bytes on the drive of a folder, None: of the usual one."""
    can = [told for one, told in zip(planned, predicted, strict=True) if not one.wrong]
    known = [told for told in can if told is not None]
    cannot = len(planned) - len(can)
    left = f" · {counted(cannot, 'copy', 'copies')} cannot be made to fit" if cannot else ""
    if not known:
        return f"{counted(len(can), 'copy', 'copies')} of this take in one go.", f"Predict all to see what they take{left}"
    high, low = sum(one.size_bytes.high for one in known), sum(one.size_bytes.low for one in known)
    seconds = sum(one.encode_seconds.expected for one in known)
    some = "" if len(known) == len(can) else f"{len(known)} of "
    head = f"{some}{counted(len(can), 'copy', 'copies')}: {size_text(low)} to {size_text(high)}, about {spoken(seconds)}."
    pairs = [(one.folder, told) for one, told in zip(planned, predicted, strict=True) if told is not None and not one.wrong]
    folders = sorted({folder for folder, _ in pairs}, key=str)
    room = " · ".join(_room(folder, sum(told.size_bytes.high for one, told in pairs if one == folder), free(folder)) for folder in folders)
    return head, f"90 % intervals added up · {room}{left}"


def _room(folder: Path | None, high: float, free: float) -> str:
    where = f"for {folder}" if folder is not None else "on the drive"
    return f"{size_text(free)} free {where}" + ("" if high <= free else ": NOT enough")


def copy_line(one: SetCopy) -> str:
    """A copy of a set in one line."""
    where = ", ".join(place.words for place in one.places) or "any outlet"
    folder = f" · into {one.folder}" if one.folder else ""
    return f"{one.name or '(no name)'} · {one.recipe.words} · {where}{folder}"


def set_trouble(words: str, copies: Sequence[SetCopy]) -> str:
    """What stands in the way of keeping a set, as far as a person types it; empty where nothing does."""
    if not words.strip():
        return "Give the set a name."
    known: set[str] = set()
    for one in copies:
        if not COPY_NAME.fullmatch(one.name):
            return f"“{one.name}” cannot be the name of a copy: letters, digits, spaces and hyphens, 40 at most."
        if one.name.casefold() in known:
            return f"Two copies have one name: {one.name}."
        if one.folder and not one.folder.startswith("/"):
            return f"The folder of “{one.name}” has to be written from the root, as /mnt/drive/copies."
        known.add(one.name.casefold())
    return ""


def set_row(one: PlannedCopy, told: Prediction | None, seen: str) -> tuple[str, ...]:
    """One line under :data:`SET_HEADINGS`; ``seen``: of its fidelity, in words."""
    where = one.outlet.words if one.outlet is not None else "any"
    if one.wrong:
        return one.name, one.recipe.words, "–", "–", f"cannot be made to fit: {'; '.join(one.wrong)}"
    folder = f"into {one.folder}" if one.folder is not None else ""
    size = size_text(told.size_bytes.expected) if told is not None else "?"
    time = spoken(told.encode_seconds.expected) if told is not None else "?"
    return one.name, one.recipe.words, size, time, "; ".join(part for part in (where, *one.added, seen.lower(), folder) if part)
