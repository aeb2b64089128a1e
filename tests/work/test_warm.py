"""Workers that are copies of the helper behave as fresh ones do, and the helper's end harms nothing."""

from __future__ import annotations

import fcntl
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import psutil
import pytest

from yomikomi.core.errors import UnfinishedError, WorkerDiedError
from yomikomi.core.work import Job, JobState, Reporter, warm
from yomikomi.workers import LOADED


def tell_where(request: str, _reporter: Reporter) -> tuple[str | None, str | None, str, int, bool]:
    # A fresh interpreter has not loaded what the helper has.
    return os.environ.get(request), os.environ.get("HOME"), str(Path.cwd()), os.nice(0), "yomikomi.core.reading.scanner" in sys.modules


def die(_request: None, _reporter: Reporter) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def deaf(_request: None, _reporter: Reporter) -> None:
    time.sleep(60)


def break_down(_request: None, _reporter: Reporter) -> None:
    raise ZeroDivisionError("by zero")


@pytest.fixture(params=["fresh", "warm"])
def way(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    _warmed()  # else it comes while the test runs, and what is put back afterwards is that there was none
    if request.param == "fresh":
        monkeypatch.setattr(warm._helper, "pid", None)
    return str(request.param)


def _warmed() -> int:
    until = time.monotonic() + 30
    while warm._helper.pid is None or not warm._lives(warm._helper.pid):
        assert time.monotonic() < until, "the helper is not there"
        warm.is_ready()  # looks after it
        time.sleep(0.05)
    return warm._helper.pid


@pytest.mark.alone  # all else runs at the lowest priority already
def test_surroundings_priority_and_ends_are_the_same(way: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("YOMIKOMI_PROBE", "set after the helper began")
    probe, home, folder, niceness, loaded = Job(tell_where, "YOMIKOMI_PROBE", name="where").start().wait().answer()
    assert (probe, home, folder) == ("set after the helper began", os.environ["HOME"], str(tmp_path))
    assert niceness == os.nice(0) + 10
    assert loaded == (way == "warm")
    monkeypatch.delenv("YOMIKOMI_PROBE")
    assert Job(tell_where, "YOMIKOMI_PROBE", name="where").start().wait().answer()[0] is None
    died = Job(die, None, name="dying").start().wait()
    assert isinstance(died.error, WorkerDiedError)
    assert "SIGKILL" in str(died.error)
    broken = Job(break_down, None, name="breaking").start().wait()
    assert isinstance(broken.error, UnfinishedError)
    assert os.environ["HOME"] in broken.error.remedy  # the log lies where this user keeps such things, not where the helper's lay
    stopped = Job(deaf, None, name="deaf").start()
    stopped.cancel()
    assert stopped.wait(5).state is JobState.CANCELLED
    assert stopped.pid is not None
    assert not psutil.pid_exists(stopped.pid) or psutil.Process(stopped.pid).status() == psutil.STATUS_ZOMBIE


def test_a_helper_that_was_killed_is_replaced_and_nobody_waits_for_it() -> None:
    psutil.Process(_warmed()).kill()
    began = time.monotonic()
    job = Job(tell_where, "HOME", name="where").start()
    assert time.monotonic() - began < 1.0  # the helper takes longer to load
    assert job.wait().answer()[4] is False
    _warmed()
    assert Job(tell_where, "HOME", name="where").start().wait().answer()[4] is True


def tell_open_files(_request: None, _reporter: Reporter) -> tuple[list[str], bool]:
    """Regular files that this process has open, and whether it has loaded what only the other loaded."""
    links = [one for one in Path("/proc/self/fd").iterdir() if int(one.name) > 2]
    return [str(one.readlink()) for one in links if one.is_file()], "wave" in sys.modules


# A command that holds a lock and a record, and begins a worker. ``tests`` is where it was begun.
_COMMAND = """
import fcntl, sqlite3, sys, threading, time, wave
from pathlib import Path
from tests.work.test_warm import deaf, tell_open_files
from yomikomi.core.work import Job, warm
if __name__ == "__main__":
    folder = Path(sys.argv[1])
    lock = (folder / "lock").open("w")
    fcntl.flock(lock, fcntl.LOCK_EX)
    record = sqlite3.connect(folder / "record.sqlite")
    record.execute("CREATE TABLE t (x)")
    record.execute("INSERT INTO t VALUES (1)")
    warm.copy_this_process()
    print(Job(tell_open_files, None, name="a").start().wait().answer())
    record.commit()
    print(record.execute("SELECT x FROM t").fetchall())
    busy = threading.Thread(target=time.sleep, args=(60,), daemon=True)
    if sys.argv[2] == "busy":
        busy.start()
        print(Job(tell_open_files, None, name="b").start().wait().answer())
    else:
        Job(deaf, None, name="c").start()
        print("going", flush=True)
        time.sleep(60)
"""


def _command(folder: Path, how: str) -> subprocess.Popen[str]:
    return subprocess.Popen([sys.executable, "-c", _COMMAND, folder, how], stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2])


def test_a_commands_workers_are_copies_of_it_but_for_its_files(tmp_path: Path) -> None:
    """While it computes (a thread shows it) they begin fresh."""
    said, _ = _command(tmp_path, "busy").communicate(timeout=60)
    assert said.splitlines() == ["([], True)", "[(1,)]", "([], False)"]


def test_the_locks_of_a_killed_command_are_free_though_its_worker_still_ends(tmp_path: Path) -> None:
    command = _command(tmp_path, "wait")
    assert command.stdout is not None
    assert [command.stdout.readline() for _ in range(3)][-1] == "going\n"
    (worker,) = psutil.Process(command.pid).children()
    command.kill()
    command.wait(10)
    with (tmp_path / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    assert sqlite3.connect(tmp_path / "record.sqlite").execute("SELECT x FROM t").fetchall() == [(1,)]
    command.stdout.close()
    worker.kill()
    worker.wait(10)


def test_what_the_helper_loads_is_there_and_holds_no_window() -> None:
    import importlib

    for name in LOADED:
        importlib.import_module(name)
    script = f"import importlib, sys; [importlib.import_module(n) for n in {LOADED!r}]; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.split()
    assert not {"PySide6", "sqlalchemy", "typer"} & set(loaded)
