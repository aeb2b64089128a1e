"""Which job runs when: a state machine without a clock, without processes and without a drive.

It is told events and answers with actions; whoever drives it writes the changed entries down before acting on them. The same events give
the same actions. A job is never started twice at once, and what is done is never started again.
"""

from __future__ import annotations

import enum
import heapq
from collections.abc import Iterable
from dataclasses import dataclass, replace

# A job that failed so often steps aside.
MOST_ATTEMPTS = 2


class State(enum.StrEnum):
    """``WAITING``: for its turn; ``HELD``: by a person, until released; ``FROZEN``: begun, its process stopped; ``ASIDE``: it failed, and
    the others go on."""

    WAITING = "waiting"
    HELD = "held"
    RUNNING = "running"
    FROZEN = "paused"
    DONE = "done"
    ASIDE = "failed"
    CANCELLED = "cancelled"

    @property
    def ended(self) -> bool:
        return self is State.DONE or self is State.ASIDE or self is State.CANCELLED  # a set would be made, and hashed, at each look

    @property
    def begun(self) -> bool:
        """There is a process."""
        return self is State.RUNNING or self is State.FROZEN


@dataclass(frozen=True)
class Entry:
    """A job as the scheduler sees it.

    Parameters
    ----------
    rank : its place among those that wait, the lowest first.
    after : the job whose end it waits for.
    attempts : how often it failed.
    held : by a person, also while its process is stopped.
    stopping : it was cancelled, and its process has still to end.
    copy : what it is a part of.
    """

    id: int
    rank: float
    after: int | None = None
    state: State = State.WAITING
    attempts: int = 0
    held: bool = False
    stopping: bool = False
    copy: int = 0


class Verb(enum.StrEnum):
    START = "start"
    FREEZE = "freeze"
    THAW = "thaw"
    STOP = "stop"


@dataclass(frozen=True)
class Action:
    verb: Verb
    job: int


class Outcome(enum.StrEnum):
    """Of a process. After ``FAILED`` another attempt may help, after ``REFUSED`` not; ``CUT_OFF``: the program ends, or a machine was lost;
    ``AGAIN``: what it builds on is gone, so that comes first."""

    DONE = "done"
    FAILED = "failed"
    REFUSED = "refused"
    STOPPED = "stopped"
    CUT_OFF = "cut off"
    AGAIN = "again"


class Scheduler:
    """Parameters
    ----------
    entries : as they were written down; those that are begun have lost their process, and wait again.
    slots : how many run at once, at least 1.
    open : within the hours in which it may run; ``paused``: a person stopped all of it.
    """

    def __init__(self, entries: Iterable[Entry] = (), *, slots: int = 1, open_now: bool = True, paused: bool = False) -> None:
        self.entries: dict[int, Entry] = {}
        self.changed: set[int] = set()
        self.slots, self.open, self.paused = max(1, slots), open_now, paused
        self.closing = False
        # So that nothing looks through thousands of jobs for a few: those with a process, those that wait for their turn, jobs by what
        # they wait for and by what they are a part of, and those that others may wait for in vain.
        self.unfinished: set[int] = set()
        self._begun: set[int] = set()
        self._waiting: set[int] = set()
        self._dependants: dict[int, list[int]] = {}
        self._by_copy: dict[int, list[int]] = {}
        self._perhaps_lost: set[int] = set()
        for one in entries:
            self._take_in(one)
            if one.state.begun:
                self._set(one, State.CANCELLED if one.stopping else State.HELD if one.held else State.WAITING)

    # What happens

    def add(self, entries: Iterable[Entry]) -> list[Action]:
        """As they are written down."""
        for one in entries:
            if one.id in self.entries:
                raise ValueError(f"job {one.id} is known")
            self._take_in(one)
        return self._go_on()

    def ended(self, job: int, outcome: Outcome) -> list[Action]:
        """The process of a job is gone."""
        one = self.entries[job]
        if not one.state.begun:
            return []
        attempts = one.attempts + (outcome in {Outcome.FAILED, Outcome.AGAIN})
        if outcome is Outcome.DONE:
            self._set(one, State.DONE)
        elif outcome is Outcome.STOPPED or one.stopping:
            self._set(one, State.CANCELLED)
        elif outcome is Outcome.REFUSED or attempts >= MOST_ATTEMPTS:
            self._set(replace(one, attempts=attempts), State.ASIDE)
        else:
            self._set(replace(one, attempts=attempts), State.HELD if one.held else State.WAITING)
            before = self.entries.get(one.after) if one.after is not None else None
            if outcome is Outcome.AGAIN and before is not None:
                self._set(before, State.WAITING)
        return self._go_on()

    def cancel(self, jobs: Iterable[int]) -> list[Action]:
        """Not to be made: what waits is cancelled at once, what runs when its process is gone; with what waits for it."""
        actions = []
        for job in self._with_dependants(jobs):
            one = self.entries[job]
            if one.state.begun:
                if one.state is State.FROZEN:
                    actions.append(Action(Verb.THAW, job))
                if not one.stopping:
                    actions.append(Action(Verb.STOP, job))
                self._set(replace(one, stopping=True), State.RUNNING)
            elif not one.state.ended or one.state is State.ASIDE:
                self._set(one, State.CANCELLED)
        return [*actions, *self._go_on()]

    def retry(self, jobs: Iterable[int]) -> list[Action]:
        """A person wants those tried once more that stepped aside or were cancelled."""
        for job in jobs:
            one = self.entries[job]
            if one.state in {State.ASIDE, State.CANCELLED}:
                self._set(replace(one, attempts=0, held=False), State.WAITING)
        return self._go_on()

    def hold(self, jobs: Iterable[int]) -> list[Action]:
        """Those do not go on until they are released; their processes stop."""
        for job in jobs:
            one = self.entries[job]
            if not one.state.ended and not one.held:
                self._set(replace(one, held=True), State.HELD if one.state is State.WAITING else one.state)
        return self._go_on()

    def release(self, jobs: Iterable[int]) -> list[Action]:
        for job in jobs:
            one = self.entries[job]
            if one.held:
                self._set(replace(one, held=False), State.WAITING if one.state is State.HELD else one.state)
        return self._go_on()

    def rules(self, *, slots: int | None = None, open_now: bool | None = None, paused: bool | None = None) -> list[Action]:
        """How many run at once, whether it may run at this hour, whether a person stopped it."""
        self.slots = max(1, slots) if slots is not None else self.slots
        self.open = open_now if open_now is not None else self.open
        self.paused = paused if paused is not None else self.paused
        return self._go_on()

    def order(self, ranks: dict[int, float]) -> list[Action]:
        """Other places among those that wait."""
        for job, rank in ranks.items():
            one = self.entries[job]
            if one.rank != rank:
                self._set(replace(one, rank=rank), one.state)
        return self._go_on()

    def forget(self, jobs: Iterable[int]) -> None:
        """Ended jobs that nobody asks about any more."""
        for job in jobs:
            one = self.entries[job]
            if one.state.ended:
                del self.entries[job]
                self.changed.discard(job)
                self._by_copy[one.copy].remove(job)
                if one.after is not None:
                    self._dependants[one.after].remove(job)

    def close(self) -> list[Action]:
        """The program ends: nothing is begun any more, and what stands still must be able to end in order."""
        self.closing = True
        return self._go_on()

    # What follows

    def take_changed(self) -> list[Entry]:
        """Entries that changed since this was last asked: to be written down before anything is acted on."""
        changed, self.changed = self.changed, set()
        return [self.entries[job] for job in sorted(changed) if job in self.entries]

    def jobs_of(self, copy: int) -> list[int]:
        """In the order in which they were asked for; empty where none is known."""
        return list(self._by_copy.get(copy, ()))

    @property
    def could_go_on(self) -> bool:
        """Something runs, or waits and neither a person nor another job holds it up."""
        return bool(self._begun) or any(self.is_free(self.entries[job]) for job in self._waiting)

    def is_free(self, one: Entry) -> bool:
        """What it waits for is done."""
        before = self.entries.get(one.after) if one.after is not None else None
        return before is None or before.state is State.DONE

    def _go_on(self) -> list[Action]:
        """Cancel what waits for what will never come, stop and continue processes, fill the slots."""
        self._give_up_on_lost()
        actions: list[Action] = []
        running = 0
        may_run = self.open and not self.paused
        for one in sorted((self.entries[job] for job in self._begun), key=lambda one: (one.rank, one.id)):
            wanted = self.closing or one.stopping or (may_run and not one.held and running < self.slots)
            if one.state is State.RUNNING and not wanted:
                actions.insert(0, Action(Verb.FREEZE, one.id))
                self._set(one, State.FROZEN)
            elif one.state is State.FROZEN and wanted:
                actions.append(Action(Verb.THAW, one.id))
                self._set(one, State.RUNNING)
            running += wanted
        if not may_run or self.closing:
            return actions
        room = max(0, self.slots - running)
        ready = (one for job in self._waiting if self.is_free(one := self.entries[job])) if room else ()
        for one in heapq.nsmallest(room, ready, key=lambda one: (one.attempts > 0, one.rank, one.id)):
            actions.append(Action(Verb.START, one.id))
            self._set(one, State.RUNNING)
        return actions

    def _give_up_on_lost(self) -> None:
        """What waits for a job that was cancelled is cancelled; what waits for one that stepped aside waits for a person with it."""
        while self._perhaps_lost:
            job = self._perhaps_lost.pop()
            if job not in self.entries or self.entries[job].state is not State.CANCELLED:
                continue
            for one in (self.entries[other] for other in self._dependants.get(job, ())):
                if one.state in {State.WAITING, State.HELD, State.ASIDE}:
                    self._set(one, State.CANCELLED)

    def _with_dependants(self, jobs: Iterable[int]) -> list[int]:
        wanted = dict.fromkeys(job for job in jobs if job in self.entries)
        left = list(wanted)
        for job in left:  # grows
            fresh = [other for other in self._dependants.get(job, ()) if other not in wanted]
            wanted.update(dict.fromkeys(fresh))
            left += fresh
        return left

    def _take_in(self, one: Entry) -> None:
        self.entries[one.id] = one
        self._by_copy.setdefault(one.copy, []).append(one.id)
        if one.after is not None:
            self._dependants.setdefault(one.after, []).append(one.id)
        self._place(one)

    def _set(self, one: Entry, state: State) -> None:
        fresh = replace(one, state=state, stopping=one.stopping and state.begun)
        self.entries[one.id] = fresh
        self.changed.add(one.id)
        self._place(fresh)

    def _place(self, one: Entry) -> None:
        # It may be cancelled now, and what it waits for may be long since.
        self._perhaps_lost |= {one.id} if one.after is None else {one.id, one.after}
        for wanted, jobs in (
            (not one.state.ended, self.unfinished), (one.state.begun, self._begun),
            (one.state is State.WAITING and not one.held, self._waiting),
        ):  # fmt: skip
            if wanted:
                jobs.add(one.id)
            else:
                jobs.discard(one.id)
