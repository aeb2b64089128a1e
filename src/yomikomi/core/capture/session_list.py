"""An unattended session: several carriers one after the other, with prompts for the person who changes them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal

from yomikomi.core.video.timecode import spoken

EntryState = Literal["waiting", "recording", "done", "troubled", "skipped"]
# Rewinding, changing the cassette, threading: what is reckoned between two carriers.
CHANGE_S = 240.0


@dataclass(frozen=True)
class Entry:
    """``expected_s``: how long the pass is thought to take; None where nobody knows."""

    carrier_id: int
    label: str
    title: str
    expected_s: float | None
    state: EntryState = "waiting"
    note: str = ""


@dataclass(frozen=True)
class CaptureList:
    """The carriers in order and how far they are. Every method gives a new list; a finished one stays as it is."""

    entries: tuple[Entry, ...] = ()

    @property
    def current(self) -> Entry | None:
        """The one that is being recorded, else the next that waits."""
        going = [one for one in self.entries if one.state == "recording"]
        waiting = [one for one in self.entries if one.state == "waiting"]
        return next(iter(going or waiting), None)

    @property
    def over(self) -> bool:
        return bool(self.entries) and self.current is None

    @property
    def prompt(self) -> str:
        """What the person is to do now; empty while a pass runs."""
        one = self.current
        if one is None:
            return self._summary() if self.entries else ""
        return f"Insert {one.label} ({one.title}), then confirm." if one.state == "waiting" else ""

    def with_carrier(self, entry: Entry) -> CaptureList:
        """Added at the end; a carrier stands in the list once."""
        if any(one.carrier_id == entry.carrier_id and one.state == "waiting" for one in self.entries):
            return self
        return CaptureList((*self.entries, entry))

    def without(self, carrier_id: int) -> CaptureList:
        """Taken off, unless it is being recorded."""
        return CaptureList(tuple(one for one in self.entries if one.carrier_id != carrier_id or one.state == "recording"))

    def moved(self, carrier_id: int, by: int) -> CaptureList:
        """A waiting one earlier (negative) or later."""
        entries = list(self.entries)
        place = next((n for n, one in enumerate(entries) if one.carrier_id == carrier_id and one.state == "waiting"), None)
        if place is None or not 0 <= place + by < len(entries) or entries[place + by].state != "waiting":
            return self
        entries.insert(place + by, entries.pop(place))
        return CaptureList(tuple(entries))

    def marked(self, carrier_id: int, state: EntryState, note: str = "") -> CaptureList:
        done = {"done", "troubled", "skipped"}
        return CaptureList(tuple(
            replace(one, state=state, note=note or one.note) if one.carrier_id == carrier_id and one.state not in done else one
            for one in self.entries
        ))  # fmt: skip

    def ends(self, now: datetime, *, running_s: float = 0.0) -> tuple[datetime | None, ...]:
        """When each entry is expected to be over; None from the first one on whose length nobody knows. ``running_s``: how long
        the present pass has run."""
        at: datetime | None = now
        found: list[datetime | None] = []
        for one in self.entries:
            if one.state in {"done", "troubled", "skipped"}:
                found.append(None)
                continue
            if at is not None and one.expected_s is not None:
                left = max(0.0, one.expected_s - running_s) if one.state == "recording" else one.expected_s
                change = 0.0 if one.state == "recording" else CHANGE_S
                at = at + timedelta(seconds=left + change)
            else:
                at = None
            found.append(at)
        return tuple(found)

    def _summary(self) -> str:
        done = sum(one.state == "done" for one in self.entries)
        troubled = [one.label for one in self.entries if one.state == "troubled"]
        words = f"The list is through: {done} of {len(self.entries)} recorded"
        return words + (f"; look at {', '.join(troubled)}." if troubled else ".")


def expected_words(entry: Entry) -> str:
    return f"about {spoken(entry.expected_s)}" if entry.expected_s else "length not known"
