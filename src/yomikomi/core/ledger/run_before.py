"""What is looked at before a run is left alone: a line each, with what mends it."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

import psutil

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.copies import CopyRoom, CopyWork
from yomikomi.core.ledger.run_outlook import Outlook
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.run.desktop.face import Desktop
from yomikomi.core.run.rules import RunRules
from yomikomi.core.treatment.timing import Timing
from yomikomi.core.video.units import counted, size_text
from yomikomi.core.work.drive import free_bytes
from yomikomi.core.work.new_file import is_taken
from yomikomi.core.work.notices import Weight

# Sound that peaks below this is silent, dB below full scale.
_SILENT_DB = -60.0
# What other programs may take of the processors before it is said, as a part.
_BUSY = 0.3
# Room that a drive keeps, bytes: what else is written in a night.
_SPARE = 2_000_000_000
_LOOK_S = 0.5
_NAMED = 3  # carriers in a line


@dataclass(frozen=True)
class Line:
    weight: Weight
    name: str
    words: str
    remedy: str = ""


def before_start(copies: CopyRoom, outlook: Outlook, rules: RunRules, desktop: Desktop) -> list[Line]:
    """Takes half a second, in which what else runs is watched; for a thread."""
    psutil.cpu_percent(None)
    works, refused = _works(copies, outlook.live)
    lines = [
        *refused, _takes(works), _names(works), _room(works, {row.copy: row for row in outlook.live}), *_sound(works), _range(works),
        _deadline(outlook, rules), _machine(desktop),
    ]  # fmt: skip
    busy = psutil.cpu_percent(_LOOK_S) / 100 if not outlook.running else None
    return [*lines, *_busy(busy), *_battery()]


def _works(copies: CopyRoom, live: Iterable[RunRow]) -> tuple[list[tuple[RunRow, CopyWork]], list[Line]]:
    works, refused = [], []
    for row in live:
        try:
            works.append((row, copies.work(row.copy)))
        except YomikomiError as error:
            refused.append(Line(Weight.WRONG, "Can be made", f"{row.carrier}: {error.message}", error.remedy))
    return works, refused


def _takes(works: Sequence[tuple[RunRow, CopyWork]]) -> Line:
    away = [row.carrier for row, work in works if not work.path.exists()]
    if away:
        return Line(Weight.WRONG, "Takes", f"Not there: {_some(away)}.", "Connect their drive.")
    return Line(Weight.FINE, "Takes", "All are there.")


def _names(works: Sequence[tuple[RunRow, CopyWork]]) -> Line:
    taken = [work.target.name for row, work in works if row.step == "encode" and is_taken(work.target)]
    if taken:
        return Line(Weight.WRONG, "Names", f"Taken by another file: {_some(taken)}.", "Move that file, or ask for the copy again.")
    return Line(Weight.FINE, "Names", "All are free.")


def _room(works: Sequence[tuple[RunRow, CopyWork]], rows: dict[int, RunRow]) -> Line:
    """By drive: the high end of what is predicted; of copies without a prediction as much as their take."""
    needed: dict[int, int] = {}
    place: dict[int, Path] = {}
    for row, work in works:
        folder = work.target.parent
        if not folder.exists():
            return Line(Weight.WRONG, "Room", f"The folder {folder} is not there.", "Make it, or connect its drive.")
        drive = os.stat(folder).st_dev  # noqa: PTH116  the number of the device alone
        sizes = rows[row.copy].sizes
        size = sizes.high if sizes is not None else float(work.path.stat().st_size if work.path.exists() else 0)
        needed[drive], place[drive] = needed.get(drive, 0) + round(size), folder
    for drive, size in needed.items():
        free = free_bytes(place[drive])
        if size + _SPARE > free:
            words = f"Up to {size_text(size)} are needed in {place[drive].name}/, {size_text(free)} are free."
            weight = Weight.WRONG if size > free else Weight.LOOK
            return Line(weight, "Room", words, "Make room, or take copies out of the run.")
    return Line(Weight.FINE, "Room", f"Up to {size_text(sum(needed.values()))} are needed, and there.")


def _sound(works: Sequence[tuple[RunRow, CopyWork]]) -> list[Line]:
    without, silent = [], []
    for row, work in works:
        taken = [one for one in work.reading.sound if work.treatment.takes_sound(one.index)]
        if not taken:
            without.append(row.carrier)
        elif max(one.peak_db for one in taken) < _SILENT_DB:
            silent.append(row.carrier)
    lines = []
    if without:
        lines.append(Line(Weight.LOOK, "Sound", f"None in the copy of {_some(without)}.", "Look at the tracks in Treatment."))
    if silent:
        lines.append(Line(Weight.LOOK, "Sound", f"Silent all along: {_some(silent)}.", "Listen to the take before the night."))
    return lines or [Line(Weight.FINE, "Sound", "In every copy, and not silent.")]


def _range(works: Sequence[tuple[RunRow, CopyWork]]) -> Line:
    parts = [row.carrier for row, work in works if Timing.of(work.reading, work.treatment).cut]
    if parts:
        words = f"Only a part of the take: {_some(parts)}."
        return Line(Weight.LOOK, "Range", words, "As Treatment says; look there if that is not meant.")
    return Line(Weight.FINE, "Range", "Every copy holds the whole of its take.")


def _deadline(outlook: Outlook, rules: RunRules) -> Line:
    last = outlook.bars.last
    if rules.deadline is None or last is None:
        return Line(Weight.FINE, "Time", f"Done about {last.end:%H:%M}." if last is not None else "Nothing waits.")
    if last.end > rules.deadline:
        words = f"Done about {last.end:%H:%M}, after the deadline at {rules.deadline:%H:%M}."
        return Line(Weight.WRONG, "Time", words, "Take copies out, choose a lower effort, or a later deadline.")
    if last.latest > rules.deadline:
        words = f"Done about {last.end:%H:%M}, perhaps as late as {last.latest:%H:%M}; the deadline is {rules.deadline:%H:%M}."
        return Line(Weight.LOOK, "Time", words, "Put what matters most first.")
    return Line(Weight.FINE, "Time", f"Done by {last.latest:%H:%M}, before the deadline at {rules.deadline:%H:%M}.")


def _machine(desktop: Desktop) -> Line:
    release = desktop.keep_awake("looking whether sleep can be held off")
    if release is None:
        return Line(
            Weight.LOOK, "Sleep", "The machine cannot be asked to stay awake.", "Turn sleeping off in the system's settings."
        )  # fmt: skip
    release()
    return Line(Weight.FINE, "Sleep", "Held off while copies are made.")


def _busy(part: float | None) -> list[Line]:
    """``part``: of the processors that is taken while nothing of ours runs; None: something of ours does."""
    if part is None:
        return []
    if part > _BUSY:
        words = f"Other programs take {100 * part:.0f} % of the processors."
        return [Line(Weight.LOOK, "Other programs", words, "Close them, or expect copies to take longer.")]
    return [Line(Weight.FINE, "Other programs", "Hardly any take the processors.")]


def _battery() -> list[Line]:
    battery = psutil.sensors_battery() if hasattr(psutil, "sensors_battery") else None
    if battery is None:
        return []
    if not battery.power_plugged:
        return [Line(Weight.WRONG, "Power", f"On battery, {battery.percent:.0f} % left.", "Plug the machine in.")]
    return [Line(Weight.FINE, "Power", "Plugged in.")]


def _some(names: Sequence[str]) -> str:
    shown = list(dict.fromkeys(names))
    more = len(shown) - _NAMED
    return ", ".join(shown[:_NAMED]) + (f" and {counted(more, 'other', 'others')}" if more > 0 else "")
