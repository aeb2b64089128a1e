"""Workers that are copies of the helper behave as fresh ones do, and the helper's end harms nothing."""

from __future__ import annotations

import os
import signal
import time
from pathlib import Path

import psutil
import pytest

from yomikomi.core.errors import UnfinishedError, WorkerDiedError
from yomikomi.core.work import Job, JobState, Reporter, warm
from yomikomi.workers import LOADED


def tell_where(request: str, _reporter: Reporter) -> tuple[str | None, str | None, str, int, bool]:
    # A fresh interpreter has not loaded what the helper has.
    import sys

    return os.environ.get(request), os.environ.get("HOME"), str(Path.cwd()), os.nice(0), "yomikomi.core.reading.scanner" in sys.modules


def die(_request: None, _reporter: Reporter) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def deaf(_request: None, _reporter: Reporter) -> None:
    time.sleep(60)


def break_down(_request: None, _reporter: Reporter) -> None:
    raise ZeroDivisionError("by zero")


@pytest.fixture(params=["fresh", "warm"])
def way(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> str:
    if request.param == "fresh":
        monkeypatch.setattr(warm._helper, "pid", None)
    else:
        _warmed()
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


def test_what_the_helper_loads_is_there_and_holds_no_window() -> None:
    import importlib
    import subprocess
    import sys

    for name in LOADED:
        importlib.import_module(name)
    script = f"import importlib, sys; [importlib.import_module(n) for n in {LOADED!r}]; print(*sys.modules)"
    loaded = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True).stdout.split()
    assert not {"PySide6", "sqlalchemy", "typer"} & set(loaded)
