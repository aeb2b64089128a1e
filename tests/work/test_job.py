"""Worker processes: states, progress, cancelling, crashes, and that looking at them never blocks."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable
from dataclasses import dataclass
from multiprocessing.connection import Connection
from multiprocessing.process import BaseProcess
from pathlib import Path

import pytest

from tests.timing import CANCEL_LIMIT_S, cancel_seconds, usual_of_three
from yomikomi.core.errors import CancelledError, UnfinishedError, UnreadableError, WorkerDiedError
from yomikomi.core.work import Job, JobState, Reporter
from yomikomi.core.work.notices import Notice, NoticeCentre, Weight


@dataclass(frozen=True)
class Steps:
    count: int
    pause: float = 0.0


def count_up(request: Steps, reporter: Reporter) -> int:
    for step in range(request.count):
        reporter.check()
        reporter.report(step)
        time.sleep(request.pause)
    return request.count


def deaf(request: Steps, reporter: Reporter) -> int:
    reporter.report("deaf")
    time.sleep(60)
    return 0


def die(request: int, reporter: Reporter) -> None:
    os.kill(os.getpid(), request)


def fail_expected(request: Path, reporter: Reporter) -> None:
    raise UnreadableError("It is empty.", remedy="Copy it again.", path=request)


def fail_unexpected(request: None, reporter: Reporter) -> None:
    raise ZeroDivisionError("by zero")


def tell_priority(request: None, reporter: Reporter) -> int:
    return os.nice(0)


def ends_in_order(request: None, reporter: Reporter) -> str:
    while not reporter.cancelled():
        time.sleep(0.005)
    return "closed in order"


def echo(request: None, reporter: Reporter) -> list[str]:
    """Hears until it is told to end."""
    heard: list[str] = []
    until = time.monotonic() + 20
    while "end" not in heard and time.monotonic() < until:
        heard += reporter.heard()
        reporter.report(tuple(heard))
        time.sleep(0.005)
    return heard


def test_running_work_hears_what_it_is_told_in_order() -> None:
    job = Job(echo, None, name="listening").start()
    for word in ("one", "two", "end"):
        job.tell(word)
    assert job.wait(30).answer() == ["one", "two", "end"]
    job.tell("too late")  # nobody is there any more, and nothing breaks


def test_runs_to_its_end_with_progress() -> None:
    job = Job(count_up, Steps(40, 0.005), name="counting")
    assert job.state is JobState.QUEUED
    seen: list[int] = []
    job.start().wait(20, watch=lambda j: seen.append(j.progress))
    assert (job.state, job.answer()) == (JobState.DONE, 40)
    assert seen == sorted(seen)
    assert job.progress == 39  # the last word is never lost, whatever was skipped before it
    assert job.gone()


@pytest.mark.parametrize("function", [count_up, deaf])
def test_cancel_is_prompt_even_for_a_worker_that_does_not_listen(function: Callable[..., int]) -> None:
    def attempt() -> float:
        job = Job(function, Steps(10_000, 0.01), name="long").start()
        seconds = cancel_seconds(job)
        assert job.state is JobState.CANCELLED
        with pytest.raises(UnfinishedError):
            job.answer()
        job.wait(5)
        return seconds

    assert usual_of_three(attempt) < CANCEL_LIMIT_S


def test_a_job_that_closes_in_order_keeps_its_result() -> None:
    job = Job(ends_in_order, None, name="recording", grace=5).start()
    time.sleep(0.3)
    job.cancel()
    job.wait(10)
    assert job.answer() == "closed in order"


def test_cancel_before_the_start() -> None:
    job = Job(count_up, Steps(1), name="never")
    job.cancel()
    assert job.state is JobState.CANCELLED
    assert job.gone()


@pytest.mark.parametrize("number", [signal.SIGKILL, signal.SIGSEGV])
def test_a_crash_is_told_and_survived(number: int) -> None:
    job = Job(die, int(number), name="doomed").start().wait(20)
    assert job.state is JobState.FAILED
    assert isinstance(job.error, WorkerDiedError)
    assert signal.Signals(number).name in job.error.message
    assert job.error.remedy


def test_errors_cross_with_cause_remedy_and_path(tmp_path: Path) -> None:
    job = Job(fail_expected, tmp_path / "x", name="failing").start().wait(20)
    with pytest.raises(UnreadableError, match=r"It is empty\. Copy it again\.") as caught:
        job.answer()
    assert caught.value.path == tmp_path / "x"
    assert caught.value.exit_code == 3
    other = Job(fail_unexpected, None, name="failing").start().wait(20)
    assert other.error is not None
    assert "ZeroDivisionError: by zero" in str(other.error)
    assert "This is a defect of the program" in other.error.remedy
    assert "defects.log" in other.error.remedy


def test_work_steps_back_unless_it_is_urgent() -> None:
    priorities = [Job(tell_priority, None, name="p", urgent=urgent).start().wait(20).answer() for urgent in (False, True)]
    assert priorities[0] > priorities[1]


def test_polling_never_waits_for_the_worker(monkeypatch: pytest.MonkeyPatch) -> None:
    """The window polls on its own thread: it may neither join the process nor wait for a word (how long it takes is measured
    in bench/)."""
    job = Job(count_up, Steps(50, 0.004), name="counting").start()
    waited: list[object] = []
    monkeypatch.setattr(BaseProcess, "join", lambda _self, timeout=None: waited.append(timeout))
    pipe_poll = Connection.poll
    monkeypatch.setattr(Connection, "poll", lambda self, timeout=0.0: pipe_poll(self, waited.append(timeout) or 0.0 if timeout else 0.0))
    while not (job.state.ended and job.gone()):
        job.poll()
        time.sleep(0.002)
    assert job.state is JobState.DONE
    assert waited == []


def test_on_end_is_called_once_and_generation_counts_news() -> None:
    ended: list[Job] = []
    job = Job(count_up, Steps(3, 0.01), name="x", on_end=ended.append).start().wait(20)
    job.poll()
    job.cancel()
    assert ended == [job]
    assert job.generation >= 2


def test_kill_ends_at_once() -> None:
    job = Job(deaf, Steps(1), name="deaf").start()
    job.kill()
    assert job.state is JobState.CANCELLED
    assert isinstance(CancelledError("x"), UnfinishedError)


def test_notices_reach_listeners_and_are_kept() -> None:
    centre = NoticeCentre()
    heard: list[Notice] = []
    stop = centre.listen(heard.append)
    centre.tell(Weight.WRONG, "The drive is full.", "Make room.")
    stop()
    for number in range(150):
        centre.tell(Weight.FINE, f"copy {number} is made")
    assert heard == [Notice(Weight.WRONG, "The drive is full.", "Make room.")]
    assert len(centre.history) == 100
