"""Drives the run: what the scheduler decides is written down, then done; how it ended goes back to the scheduler."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime

from yomikomi.core.errors import NameTakenError, UnfinishedError, UnreadableError, WrongUseError, YomikomiError
from yomikomi.core.run.capacity import slots_for
from yomikomi.core.run.executors.face import Executor, Handle
from yomikomi.core.run.keeping import Ended, Keeper, Work
from yomikomi.core.run.rules import RunRules
from yomikomi.core.run.scheduler import Action, Outcome, Scheduler, State, Verb
from yomikomi.core.run.tasks import TASKS, EncodedLostError
from yomikomi.core.run.work_folder import WorkFolder
from yomikomi.core.work import JobState
from yomikomi.core.work.notices import Notice, Weight

# How often it is looked whether the drive is there.
_LOOK_FOR_DRIVE_S = 2.0
_AWAY = "interrupted: the drive was away"
# Errors after which another attempt cannot come out otherwise.
_FOR_GOOD = (WrongUseError, NameTakenError, UnreadableError)


@dataclass(frozen=True)
class Running:
    """A job that has a process."""

    work: Work
    handle: Handle


class Driver:
    """One for a workspace that is open for writing.

    Parameters
    ----------
    told : receives what people are to be told. ``ended`` is called when a job did, after that was written down.
    aside : runs what may take a moment (removing large files) without anyone waiting.
    now : the clock on the wall.
    """

    def __init__(
        self, keeper: Keeper, executor: Executor, *, told: Callable[[Notice], None],
        aside: Callable[[Callable[[], None]], None] = lambda work: work(),
        now: Callable[[], datetime] = lambda: datetime.now().astimezone(),
        ended: Callable[[], None] = lambda: None,
    ) -> None:  # fmt: skip
        self._keeper, self._executor, self._told, self._aside, self._now = keeper, executor, told, aside, now
        self._ended = ended
        self.rules = keeper.rules()
        self.running: dict[int, Running] = {}
        self.on = False
        self._begun: datetime | None = None
        self._far_slots: int | None = None
        self.away, self._there = False, True
        self._looked = time.monotonic()
        self.scheduler = Scheduler(keeper.entries(), paused=True)

    # What a person wants

    def go(self) -> None:
        """Begin with what waits, and with what is asked for from now on."""
        self.on = True
        self.look()

    def look(self) -> None:
        """Take in what was asked for meanwhile."""
        self._act(self.scheduler.add(self._keeper.entries(self.scheduler.entries)))
        self.apply_rules()

    def set_rules(self, rules: RunRules) -> None:
        self._keeper.save_rules(rules)
        self.rules = rules
        self.apply_rules()

    def apply_rules(self) -> None:
        """As the hour and the machine are now."""
        slots = self._far_slots = self._executor.slots
        if slots is None:
            slots = slots_for(self.rules, self._keeper.peaks()) if self.rules.beside == "all" else self.rules.at_once or 1
        self._act(self.scheduler.rules(slots=slots, open_now=self._may_run, paused=self.rules.paused or not self.on))

    def cancel(self, copies: Iterable[int]) -> None:
        """Those copies are not made; nothing is left of them."""
        jobs = self._jobs_of(copies)
        self._act(self.scheduler.cancel(jobs))
        for job in jobs:
            self._clear_cancelled(job)

    def retry(self, copies: Iterable[int]) -> None:
        self._act(self.scheduler.retry(self._jobs_of(copies)))

    def hold(self, copies: Iterable[int]) -> None:
        self._act(self.scheduler.hold(self._jobs_of(copies)))

    def release(self, copies: Iterable[int]) -> None:
        self._act(self.scheduler.release(self._jobs_of(copies)))

    def order(self, copies: Iterable[int]) -> None:
        """Those copies next, in this order, before all others that wait; what runs goes on."""
        known = self.scheduler.entries
        wanted = list(dict.fromkeys(copies))
        first = min((one.rank for one in known.values() if not one.state.ended), default=0.0)
        self._act(self.scheduler.order({
            job: first - len(wanted) + place for place, copy in enumerate(wanted) for job in self._jobs_of([copy])
        }))  # fmt: skip

    def place_before(self, copy: int, other: int | None) -> None:
        """A copy directly before another, or at the end."""
        ranks = self._ranks()
        if copy not in ranks:
            return
        line = sorted((one for one in ranks if one != copy), key=lambda one: (ranks[one], one))
        at = line.index(other) if other in line else len(line)
        low = ranks[line[at - 1]] if at > 0 else None
        high = ranks[line[at]] if at < len(line) else None
        rank = (low + 1.0 if high is None else (low + high) / 2) if low is not None else (high - 1.0 if high is not None else 0.0)
        if rank in {low, high}:  # no number lies between them any more
            line.insert(at, copy)
            self._act(self.scheduler.order({job: float(n) for n, one in enumerate(line) for job in self._jobs_of([one])}))
        else:
            self._act(self.scheduler.order(dict.fromkeys(self._jobs_of([copy]), rank)))

    def close(self) -> None:
        """The program ends: nothing is begun any more. Whoever ends the processes polls until they are gone."""
        self._act(self.scheduler.close())

    # What happens

    def poll(self) -> bool:
        """Never blocks for long; to be called several times a second. Whether anything changed."""
        changed = self._executor.poll()
        for running in self.running.values():
            running.handle.watch()
        if (self.running or self.away) and time.monotonic() - self._looked > _LOOK_FOR_DRIVE_S:
            self._looked = time.monotonic()
            self._aside(self._find_drive)
        self._mark_drive(there=self._there)
        if (self.on and self._may_run != self.scheduler.open) or self._executor.slots != self._far_slots:
            self.apply_rules()
            changed = True
        return changed

    @property
    def _may_run(self) -> bool:
        return self.rules.open_at(self._now()) and not self.away

    def _find_drive(self) -> None:
        """Aside: a folder of a network that went may take its time."""
        self._there = self._keeper.there()

    def _look_for_drive(self) -> bool:
        """Whether it is there, looked for at once."""
        self._find_drive()
        self._mark_drive(there=self._there)
        return self._there

    def _mark_drive(self, *, there: bool) -> None:
        """While it is away all stands still: one after another would fail for the same reason."""
        if there != self.away:
            return
        self.away = not there
        told = ("The drive with the workspace is away. The run waits.", "Connect it again: the run goes on by itself.")
        self._told(Notice(Weight.WRONG, *told) if self.away else Notice(Weight.FINE, "The drive is back: the run goes on."))

    @property
    def idle(self) -> bool:
        """Nothing runs, and nothing could."""
        return not self.running and not self.scheduler.could_go_on

    def take_begun(self) -> datetime | None:
        """When something was first begun since this was last asked: a short job is over before anyone looks."""
        begun, self._begun = self._begun, None
        return begun

    def stop_all(self) -> None:
        """End all processes; what they did waits for the next start."""
        self.close()
        for running in list(self.running.values()):
            running.handle.cancel()

    def _jobs_of(self, copies: Iterable[int]) -> list[int]:
        """Ids of jobs, made known to the scheduler."""
        wanted = sorted(set(copies))
        unknown = [copy for copy in wanted if not self.scheduler.jobs_of(copy)]
        if unknown:
            self._act(self.scheduler.add(self._keeper.of_copies(unknown)))
        return [job for copy in wanted for job in self.scheduler.jobs_of(copy)]

    def _ranks(self) -> dict[int, float]:
        """Of copies that are not finished; all jobs of a copy have the same."""
        known = (self.scheduler.entries[job] for job in self.scheduler.unfinished)
        return {one.copy: one.rank for one in known}

    def _act(self, actions: list[Action], ended: Ended | None = None) -> None:
        """Written down first. What cannot be written down is told, and what it would have led to is not done."""
        notice = self._keeper.write(self.scheduler.take_changed(), ended)
        if notice is not None:
            self._told(notice)
        for action in actions:
            if action.verb is Verb.START:
                self._start(action.job)
            elif action.job in self.running:
                handle = self.running[action.job].handle
                {Verb.FREEZE: handle.freeze, Verb.THAW: handle.thaw, Verb.STOP: handle.cancel}[action.verb]()

    def _start(self, job: int) -> None:
        try:
            work = self._keeper.work(job)
        except YomikomiError as error:
            if self._look_for_drive():
                self._refuse(job, error)
            else:
                self._wait_for_drive(job)
            return
        try:
            handle = self._executor.start(
                TASKS[work.kind], work.request, name=_name(work), key=str(job), on_end=lambda handle: self._on_end(job, handle)
            )
        except OSError as error:  # no process can be had
            self._refuse(job, UnfinishedError(f"No process could be begun: {error.strerror}.", remedy="Close other programs."))
            return
        self.running[job] = Running(work, handle)
        self._begun = self._begun or self._now()

    def _refuse(self, job: int, error: YomikomiError) -> None:
        self._act(self.scheduler.ended(job, Outcome.REFUSED), Ended(job, str(error), error=error))
        self._told(Notice(Weight.WRONG, error.message, error.remedy))

    def _wait_for_drive(self, job: int) -> None:
        """Not begun, and not counted."""
        self.apply_rules()
        self._act(self.scheduler.ended(job, Outcome.CUT_OFF), Ended(job, _AWAY, cut_off=True))

    def _on_end(self, job: int, handle: Handle) -> None:
        running = self.running.pop(job, None)
        outcome = self._outcome(job, handle)
        if running is None:
            return
        cut_off = _AWAY if self.away else "interrupted when the program ended"
        words = {Outcome.DONE: "done", Outcome.CUT_OFF: cut_off, Outcome.STOPPED: "stopped"}
        if self.away:
            self.apply_rules()  # before the next one is begun
        ended = Ended(
            job, words.get(outcome) or str(handle.error or outcome.value), handle.result if outcome is Outcome.DONE else None, handle.error,
            handle.peak_bytes, cut_off=outcome is Outcome.CUT_OFF, worker=handle.worker,
        )  # fmt: skip
        actions = self.scheduler.ended(job, outcome)
        entry = self.scheduler.entries[job]
        self._act(actions, ended)
        if outcome is Outcome.DONE and running.work.kind == "verify":
            self._aside(WorkFolder(running.work.request).clear)
        elif entry.state is State.CANCELLED:
            self._aside(WorkFolder(running.work.request).clear)
            self._told(Notice(Weight.LOOK, f"{running.work.request.target.name} was stopped; no half file was left."))
        elif outcome is Outcome.FAILED and entry.state is not State.ASIDE:
            self._told(Notice(Weight.LOOK, f"{_name(running.work)} failed and is tried again: {handle.error}"))
        elif entry.state is State.ASIDE and handle.error is not None:
            self._told(Notice(Weight.WRONG, handle.error.message, handle.error.remedy))
        self._ended()

    def _outcome(self, job: int, handle: Handle) -> Outcome:
        if handle.state is JobState.DONE:
            return Outcome.DONE
        if handle.state is JobState.CANCELLED:
            return Outcome.STOPPED if self.scheduler.entries[job].stopping else Outcome.CUT_OFF
        if not self._look_for_drive():
            return Outcome.CUT_OFF
        if isinstance(handle.error, EncodedLostError):
            return Outcome.AGAIN
        return Outcome.REFUSED if isinstance(handle.error, _FOR_GOOD) else Outcome.FAILED

    def _clear_cancelled(self, job: int) -> None:
        """What a cancelled copy without a process left; one with a process clears when that is gone."""
        entry = self.scheduler.entries.get(job)
        if entry is None or entry.state is not State.CANCELLED:
            return
        try:
            work = self._keeper.work(job)
        except YomikomiError:
            return  # its take is gone, and with it what could be cleared by name; the next start looks for what nobody asks for
        if not any(one.work.copy == work.copy for one in self.running.values()):
            self._aside(WorkFolder(work.request).clear)


def _name(work: Work) -> str:
    return f"copy of {work.carrier}" if work.kind == "encode" else f"check of {work.carrier}"

