"""The run with real processes: killed, damaged, disturbed; what was finished stays, nothing is made twice, no half file has a name."""

from __future__ import annotations

import os
import random
import signal
from datetime import UTC, datetime, time
from pathlib import Path

import av
import psutil
import pytest

from tests.conftest import Shared
from tests.drives import drive
from tests.run.conftest import Night, night_clip
from yomikomi.core.run.hours import Hours
from yomikomi.core.run.rules import RunRules
from yomikomi.core.run.scheduler import State
from yomikomi.core.work import JobState


def _pids(night: Night) -> list[int]:
    return [running.handle.job.pid for running in night.driver.running.values() if running.handle.job.pid]  # type: ignore[attr-defined]


def _kinds(night: Night) -> set[str]:
    return {running.work.kind for running in night.driver.running.values()}


def _frames(path: Path) -> int:
    with av.open(str(path)) as container:
        return sum(1 for _ in container.decode(video=0))


def _begun(night: Night, copy: int, kind: str) -> int:
    """How often a job of a copy was begun."""
    view = next(one for one in night.record.jobs.views(copy) if one.kind == kind)
    return sum(line.endswith(" begun") for line in view.log)


def test_copies_are_made_proven_and_named_in_the_order_a_person_gave(night: Night) -> None:
    first, second, third = night.ask(40, 41, 42)
    night.driver.look()
    night.driver.order([third])
    night.driver.place_before(second, first)
    night.finish()
    assert night.states() == ["verified"] * 3
    ended = sorted(night.copies, key=lambda copy: max(view.began_at or "" for view in night.record.jobs.views(copy.id)))
    begun = [line for copy in ended for view in night.record.jobs.views(copy.id) for line in view.log if line.endswith("begun")]
    assert len(begun) == 6
    ranks = {copy.id: row.rank for copy, row in zip(night.copies, night.record.run_rows.rows([first, second, third]), strict=True)}
    assert ranks[third] < ranks[second] < ranks[first]
    for copy in night.copies:
        assert copy.result is not None
        assert copy.result.content
        assert copy.file.stat().st_size == copy.result.size_bytes
        assert _frames(copy.file) == 150
    assert night.hidden() == []


def test_a_worker_that_is_killed_is_tried_again_and_steps_aside_the_second_time(night: Night) -> None:
    poor, good = night.ask(20, 42)
    night.driver.go()
    for _ in range(2):
        night.until(lambda: bool(_pids(night)) and any(one.work.copy == poor for one in night.driver.running.values()))
        os.kill(_pids(night)[0], signal.SIGKILL)
        night.until(lambda: not any(one.work.copy == poor for one in night.driver.running.values()))
    night.until(lambda: night.driver.idle)
    assert night.states() == ["failed", "verified"]
    assert "ended unexpectedly" in night.copies[0].trouble
    assert not night.copies[0].path.exists()
    night.driver.retry([poor])
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified", "verified"]
    assert night.copies[0].trouble == ""
    assert (poor, good) == tuple(copy.id for copy in night.copies)


def test_a_proof_that_is_cut_off_does_not_cost_the_encode(night: Night) -> None:
    (copy,) = night.ask(30)
    night.driver.go()
    night.until(lambda: "verify" in _kinds(night))
    night.killed()
    night.finish()
    assert night.states() == ["verified"]
    assert (_begun(night, copy, "encode"), _begun(night, copy, "verify")) == (1, 2)


def test_what_was_damaged_before_its_proof_is_made_anew(night: Night) -> None:
    (copy,) = night.ask(30)
    night.driver.go()
    night.until(lambda: "verify" in _kinds(night))
    night.killed()
    (whole,) = (night.folder / "copies").glob(".*/whole.*")
    raw = bytearray(whole.read_bytes())
    raw[len(raw) // 2] ^= 1
    whole.write_bytes(raw)
    night.finish()
    assert night.states() == ["verified"]
    assert _begun(night, copy, "encode") == 2
    assert _frames(night.copies[0].file) == 150


def test_a_name_that_was_taken_meanwhile_is_left_alone_and_costs_no_second_encode(night: Night) -> None:
    (copy,) = night.ask(30)
    night.driver.go()
    night.until(lambda: "verify" in _kinds(night))
    night.killed()
    target = night.copies[0].path
    target.write_bytes(b"somebody's")
    night.finish()
    assert night.states() == ["failed"]
    assert "exists already" in night.copies[0].trouble
    assert target.read_bytes() == b"somebody's"
    target.unlink()
    night.driver.retry([copy])
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified"]
    assert _begun(night, copy, "encode") == 1


def test_stopped_copies_leave_nothing_and_held_ones_stand_still(night: Night) -> None:
    stopped, held, last = night.ask(18, 42, 43)
    night.driver.go()
    night.until(lambda: bool(_pids(night)))
    night.driver.hold([stopped, held])
    night.until(lambda: psutil.Process(_pids(night)[0]).status() == psutil.STATUS_STOPPED)
    night.until(lambda: night.states()[2] == "verified")
    assert night.states()[:2] == ["running", "waiting"]
    night.driver.cancel([stopped])
    night.until(lambda: night.states()[0] == "cancelled")
    assert night.driver.idle
    night.driver.release([held])
    night.until(lambda: night.driver.idle)
    assert night.states() == ["cancelled", "verified", "verified"]
    assert night.hidden() == []
    assert last in {copy.id for copy in night.copies}
    night.driver.retry([stopped])
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified"] * 3


def test_outside_its_hours_it_stands_still_also_when_the_clock_jumps(night: Night) -> None:
    now = [datetime(2026, 11, 28, 23, 0, tzinfo=UTC)]
    night.driver._now = lambda: now[0]
    night.ask(20)
    night.driver.set_rules(RunRules(hours=Hours(begin=time(22), end=time(6))))
    night.driver.go()
    night.until(lambda: bool(_pids(night)))
    (pid,) = _pids(night)
    now[0] = datetime(2026, 11, 29, 6, 0, tzinfo=UTC)
    night.until(lambda: psutil.Process(pid).status() == psutil.STATUS_STOPPED)
    assert State.FROZEN in {one.state for one in night.driver.scheduler.entries.values()}
    now[0] = datetime(2026, 11, 28, 22, 30, tzinfo=UTC)  # set back
    night.until(lambda: night.driver.idle)
    assert night.states() == ["verified"]


def test_while_its_drive_is_away_the_run_waits_and_nothing_is_counted_against_it(tmp_path: Path, shared: Shared) -> None:
    """Pulled in the middle of an encode, with others waiting: none of them fails for that, and all are made when it is back."""
    clip = night_clip(shared)
    with drive(tmp_path / "drive", "64m") as place:
        night = Night(place.path / "archive", clip, shared.reading(clip))
        copies = night.ask(20, 40, 42)
        night.driver.go()
        night.until(lambda: bool(_pids(night)) and any(one.handle.progress for one in night.driver.running.values()))
        place.pull_for_a_while()
        for pid in _pids(night):
            os.kill(pid, signal.SIGKILL)  # what it wrote to went under it
        night.until(lambda: night.driver.away and not night.driver.running)
        for _ in range(100):
            night.driver.poll()
        assert [one.state for one in night.driver.scheduler.entries.values()] == [State.WAITING] * 6
        assert [notice.text for notice in night.told if "away" in notice.text] == ["The drive with the workspace is away. The run waits."]
        assert not place.path.joinpath("archive").exists()  # nothing was made where the drive was
        place.put_back_as_it_was()
        night.until(lambda: night.driver.idle)
        assert night.states() == ["verified"] * 3
        assert all(view.attempts == 0 for copy in copies for view in night.record.jobs.views(copy))
        assert night.hidden() == []
        night.close()


def test_at_the_end_of_the_program_what_runs_waits_for_the_next_start(night: Night) -> None:
    night.ask(18, 42)
    night.driver.go()
    night.until(lambda: bool(_pids(night)))
    night.driver.stop_all()
    night.until(night.executor.gone)
    assert all(one.handle.state is not JobState.RUNNING for one in night.driver.running.values())
    assert "cancelled" not in night.states()
    night.killed()
    night.finish()
    assert night.states() == ["verified"] * 2
    assert all(view.attempts == 0 for copy in night.copies for view in night.record.jobs.views(copy.id))


@pytest.mark.parametrize("seed", range(2))
def test_killed_at_random_moments_all_comes_out_as_undisturbed(night: Night, seed: int) -> None:
    chance = random.Random(seed)
    night.ask(30, 36, 42)
    for _ in range(5):
        night.driver.go()
        steps = [chance.randrange(1, 60)]
        night.until(lambda steps=steps: steps.append(steps.pop() - 1) or steps[0] <= 0 or night.driver.idle)  # type: ignore[misc]
        named = [path for path in (night.folder / "copies").iterdir() if not path.name.startswith(".")]
        assert all(_frames(path) == 150 for path in named), "a half file has a name"
        night.killed()
    night.finish()
    assert night.states() == ["verified"] * 3
    assert [_frames(copy.file) for copy in night.copies] == [150] * 3
    assert night.hidden() == []
    assert len(list((night.folder / "copies").iterdir())) == 3
