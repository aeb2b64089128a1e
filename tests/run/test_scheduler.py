"""The run's state machine: whatever happens in whatever order, nothing is lost, and nothing is made twice."""

from __future__ import annotations

from collections import Counter

from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import Bundle, RuleBasedStateMachine, consumes, invariant, rule

from yomikomi.core.run.scheduler import MOST_ATTEMPTS, Action, Entry, Outcome, Scheduler, State, Verb


class Night(RuleBasedStateMachine):
    """A world that obeys the actions, and checks them against what a person would be angry about."""

    jobs = Bundle("jobs")

    def __init__(self) -> None:
        super().__init__()
        self.run = Scheduler(slots=2)
        self.alive: dict[int, str] = {}  # job: running, frozen or stopping
        self.done: Counter[int] = Counter()
        self.again: Counter[int] = Counter()
        self.count = 0
        self.written: dict[int, Entry] = {}

    def obey(self, actions: list[Action]) -> None:
        for entry in self.run.take_changed():
            self.written[entry.id] = entry
        for action in actions:
            if action.verb is Verb.START:
                assert action.job not in self.alive, "started while it runs"
                assert self.done[action.job] <= self.again[action.job], "made twice"
                before = self.run.entries[action.job].after
                assert before is None or self.run.entries[before].state is State.DONE
                assert not self.run.closing
                self.alive[action.job] = "running"
            elif action.verb is Verb.FREEZE:
                assert self.alive[action.job] == "running", "what is to end must be able to"
                self.alive[action.job] = "frozen"
            elif action.verb is Verb.THAW:
                assert self.alive[action.job] == "frozen"
                self.alive[action.job] = "running"
            else:
                assert self.alive[action.job] != "frozen", "a stopped process hears nothing"
                self.alive[action.job] = "stopping"

    @rule(target=jobs, rank=st.integers(0, 9))
    def add(self, rank: int) -> int:
        self.count += 2
        asked = [Entry(self.count - 1, rank), Entry(self.count, rank + 0.5, after=self.count - 1)]
        self.written |= {one.id: one for one in asked}
        self.obey(self.run.add(asked))
        return self.count - 1

    @rule(outcome=st.sampled_from(list(Outcome)), pick=st.integers(0, 99))
    def ends(self, outcome: Outcome, pick: int) -> None:
        running = sorted(job for job, how in self.alive.items() if how != "frozen")
        if not running:
            return
        job = running[pick % len(running)]
        self.alive.pop(job)
        before = self.run.entries[job].after
        if outcome is Outcome.DONE:
            self.done[job] += 1
        if outcome is Outcome.AGAIN and before is not None:
            self.again[before] += 1
        self.obey(self.run.ended(job, outcome))

    @rule(job=jobs, second=st.booleans())
    def cancel(self, job: int, second: bool) -> None:
        self.obey(self.run.cancel([job + second]))

    @rule(job=jobs)
    def retry(self, job: int) -> None:
        self.obey(self.run.retry([job, job + 1]))

    @rule(job=jobs)
    def hold(self, job: int) -> None:
        self.obey(self.run.hold([job]))

    @rule(job=jobs)
    def release(self, job: int) -> None:
        self.obey(self.run.release([job]))

    @rule(slots=st.integers(1, 3), open_now=st.booleans(), paused=st.booleans())
    def rules(self, slots: int, open_now: bool, paused: bool) -> None:
        self.obey(self.run.rules(slots=slots, open_now=open_now, paused=paused))

    @rule(job=jobs, rank=st.integers(-5, 20))
    def order(self, job: int, rank: int) -> None:
        self.obey(self.run.order({job: rank}))

    @rule()
    def killed(self) -> None:
        """The program is killed: the next start knows what was written down, and no process lives."""
        entries = list(self.written.values())
        old = self.run
        self.alive.clear()
        self.run = Scheduler(entries, slots=old.slots, open_now=old.open, paused=old.paused)
        assert self.run.entries.keys() == old.entries.keys(), "lost"
        self.obey(self.run.rules())

    @rule(job=consumes(jobs))
    def forget(self, job: int) -> None:
        if all(self.run.entries[one].state.ended for one in (job, job + 1)):
            self.run.forget([job, job + 1])
            self.written = {k: v for k, v in self.written.items() if k not in {job, job + 1}}

    @invariant()
    def what_it_believes_is_so(self) -> None:
        begun = {one.id: one.state for one in self.run.entries.values() if one.state.begun}
        assert begun.keys() == self.alive.keys()
        assert all((state is State.FROZEN) == (self.alive[job] == "frozen") for job, state in begun.items())
        moving = [job for job, how in self.alive.items() if how == "running"]
        assert len(moving) <= self.run.slots
        assert self.run.entries == self.written or not self.run.changed
        if not self.run.open or self.run.paused:
            assert not moving
        elif not [one for one in self.alive.values() if one == "stopping"]:
            ready = [one for one in self.run.entries.values() if one.state is State.WAITING and not one.held and self.run.is_free(one)]
            assert not ready or len(moving) == self.run.slots, "a slot stands idle"
        assert all(one.attempts < MOST_ATTEMPTS or one.state is not State.RUNNING for one in self.run.entries.values())

    def teardown(self) -> None:
        """Everything is released, and every process ends well: then nothing waits, and all of it was made or given up knowingly."""
        self.obey(self.run.rules(slots=1, open_now=True, paused=False))
        self.obey(self.run.release(list(self.run.entries)))
        for _ in range(4 * len(self.run.entries) + 4):
            for job in sorted(job for job, how in self.alive.items() if how != "frozen"):
                self.alive.pop(job)
                self.done[job] += 1
                self.obey(self.run.ended(job, Outcome.DONE))
        for one in self.run.entries.values():
            before = self.run.entries.get(one.after or 0)
            waits_for_aside = before is not None and before.state is State.ASIDE
            assert one.state.ended or waits_for_aside, one


TestNight = Night.TestCase
TestNight.settings = settings(max_examples=50, stateful_step_count=40, deadline=None)


def test_order_failures_and_what_waits_for_them() -> None:
    run = Scheduler([Entry(1, 2), Entry(2, 1), Entry(3, 3, after=2)], slots=1)
    assert run.rules() == [Action(Verb.START, 2)]
    assert run.ended(2, Outcome.FAILED) == [Action(Verb.START, 1)]  # those that never failed come first
    assert run.ended(1, Outcome.DONE) == [Action(Verb.START, 2)]
    assert run.ended(2, Outcome.FAILED) == []
    assert run.entries[2].state is State.ASIDE
    assert run.entries[3].state is State.WAITING
    assert run.retry([2]) == [Action(Verb.START, 2)]
    assert run.ended(2, Outcome.DONE) == [Action(Verb.START, 3)]
    assert run.ended(3, Outcome.AGAIN) == [Action(Verb.START, 2)]  # what it builds on was gone


def test_hours_and_pauses_stop_processes_and_let_them_go_on() -> None:
    run = Scheduler([Entry(1, 1), Entry(2, 2)], slots=1)
    run.rules()
    assert run.rules(open_now=False) == [Action(Verb.FREEZE, 1)]
    assert run.cancel([1]) == [Action(Verb.THAW, 1), Action(Verb.STOP, 1)]  # a stopped process could not end
    assert run.ended(1, Outcome.STOPPED) == []
    assert run.entries[1].state is State.CANCELLED
    run = Scheduler([Entry(1, 1), Entry(2, 2)], slots=1)
    run.rules()
    assert run.hold([1]) == [Action(Verb.FREEZE, 1), Action(Verb.START, 2)]  # another takes its turn
    assert run.release([1]) == [Action(Verb.FREEZE, 2), Action(Verb.THAW, 1)]
    assert run.close() == [Action(Verb.THAW, 2)]
    assert run.ended(1, Outcome.CUT_OFF) == []


def test_what_waits_for_a_cancelled_job_is_cancelled_with_it_however_it_came_to_wait() -> None:
    run = Scheduler([Entry(1, 0.0, state=State.CANCELLED), Entry(2, 0.0, after=1)])
    run.rules()
    assert run.entries[2].state is State.CANCELLED
    run.retry([2])  # alone
    assert run.entries[2].state is State.CANCELLED
    run.add([Entry(3, 1.0, after=2)])
    assert run.entries[3].state is State.CANCELLED
    run.retry([1, 2, 3])
    assert [run.entries[job].state for job in (1, 2, 3)] == [State.RUNNING, State.WAITING, State.WAITING]
