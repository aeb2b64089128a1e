"""The run from scripts: filled, ordered, started, killed, started again, reported."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sqlite3
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import jsonschema
import psutil
import pytest

from tests.cli.test_commands import answer, schemas, within, yomikomi  # noqa: F401  the fixture
from tests.making import programme_frames, write_clip
from tests.programs import begun
from tests.timing import wait_for


@pytest.fixture
def shelf(tmp_path: Path) -> Path:
    """A workspace with two carriers: their files lie beside it."""
    for name in ("parade", "ferry"):
        write_clip(tmp_path / f"{name}.mkv", programme_frames(120, width=480, height=360), sound_seconds=4.8)
    answer("--workspace", tmp_path / "archive", "shelf", "import", tmp_path / "parade.mkv", tmp_path / "ferry.mkv")
    return tmp_path / "archive"


def _run(shelf: Path, *words: str | Path) -> dict[str, Any]:
    return answer("--workspace", shelf, "run", *words)


def _labels(shelf: Path) -> list[str]:
    return [carrier["label"] for carrier in answer("--workspace", shelf, "shelf", "list")["carriers"]]


def test_a_run_from_scripts(shelf: Path, tmp_path: Path, schemas: dict[str, Any]) -> None:  # noqa: F811
    labels = _labels(shelf)
    filled = _run(shelf, "add", *labels, "--codec", "h264", "--quality", "40", "--speed", "ultrafast")
    jsonschema.validate(filled, schemas["run"])
    _run(shelf, "add", labels[0], "--codec", "h264", "--quality", "44", "--speed", "ultrafast")
    copies = [line["copy_id"] for line in _run(shelf, "list")["copies"]]
    ordered = _run(shelf, "order", str(copies[2]), str(copies[1]))
    assert [line["copy_id"] for line in ordered["copies"]] == [copies[2], copies[1], copies[0]]
    assert [line["state"] for line in _run(shelf, "cancel", str(copies[0]))["copies"]] == ["waiting", "waiting", "cancelled"]
    assert _run(shelf, "pause")["paused"]
    made = _run(shelf, "start", "--report", tmp_path / "morning.html")
    jsonschema.validate(made, schemas["run-report"])
    assert made["sentence"].startswith("2 of 2 copies verified; ")
    assert [line["state"] for line in made["lines"] if line["state"] != "cancelled"] == ["verified", "verified"]
    assert "2 of 2 copies verified" in (tmp_path / "morning.html").read_text()
    assert not _run(shelf, "list")["paused"]
    assert _run(shelf, "report")["verified"] == 2
    assert "There is no copy 99" in yomikomi("--workspace", shelf, "run", "cancel", "99", code=2).stderr
    assert "no carrier X-9" in yomikomi("--workspace", shelf, "run", "add", "X-9", "--codec", "h264", "--quality", "30", code=2).stderr
    assert "is no time" in yomikomi("--workspace", shelf, "run", "start", "--until", "25:00", code=2).stderr


def test_house_rules_from_scripts(shelf: Path, schemas: dict[str, Any], tmp_path: Path) -> None:  # noqa: F811
    """Made from one carrier, they bring the next to a person where its scan type cannot be told, and take it through at their word."""
    first, second = _labels(shelf)
    _run(shelf, "add", first, "--codec", "h264", "--quality", "40", "--speed", "ultrafast")
    known = answer("--workspace", shelf, "house-rules", "--from", first, "--name", "Cards for the family")
    jsonschema.validate(known, schemas["house-rules"])
    key = known["rules"][0]["key"]
    exported = tmp_path / "rules.json"
    yomikomi("--workspace", shelf, "house-rules", "--from", first, "--name", "Others", "-o", exported)
    assert answer("house-rules", "--import", exported)["rules"][1]["words"] == "Others"
    stopped = within("--workspace", shelf, "process", second, "--rules", key, "--json")
    told = json.loads(stopped.stdout)
    jsonschema.validate(told, schemas["process"])
    assert stopped.returncode == 4
    assert told["carriers"][0]["state"] == "waiting"
    assert {one["topic"] for one in told["carriers"][0]["differences"]} == {"scan"}
    # A run that was paused goes on: the command would wait for ever.
    _run(shelf, "pause")
    again = yomikomi("--workspace", shelf, "process", second, "--rules", "Cards for the family", "--all-the-same", "--on", "here", "--json")
    done = json.loads(again.stdout)
    assert done["carriers"][0]["state"] == "taken through"
    assert done["report"]["verified"] == 2  # the first carrier's copy waited too
    assert "'moon' is not known" in yomikomi("--workspace", shelf, "process", second, "--rules", key, "--on", "moon", code=2).stderr
    assert "no house rules 'x'" in yomikomi("--workspace", shelf, "process", second, "--rules", "x", code=2).stderr


@pytest.mark.workers
def test_a_killed_run_leaves_no_encoder_and_goes_on(shelf: Path) -> None:
    """kill -9 of the program while its encoder is stopped: such an orphan would lie there until somebody looks."""
    _run(shelf, "add", _labels(shelf)[0], "--codec", "h264", "--quality", "18", "--speed", "veryslow")
    command = [sys.executable, "-m", "yomikomi", "--workspace", str(shelf), "run", "start", "--json"]
    program = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    workers = wait_for(lambda: [one for one in psutil.Process(program.pid).children(recursive=True) if _writes(one, shelf)], 60)
    workers[0].suspend()
    os.kill(program.pid, signal.SIGKILL)
    program.wait()
    psutil.wait_procs(workers, timeout=15)
    assert not [one for one in workers if one.is_running() and one.status() != psutil.STATUS_ZOMBIE]
    assert [path.name for path in (shelf / "copies").iterdir() if not path.name.startswith(".")] == []
    made = json.loads(yomikomi("--workspace", shelf, "run", "start", "--json").stdout)
    assert made["verified"] == 1
    assert len(list((shelf / "copies").iterdir())) == 1


def _writes(process: psutil.Process, shelf: Path) -> bool:
    """Whether a process has a part of a copy open."""
    with contextlib.suppress(psutil.Error):
        return any(one.path.startswith(str(shelf / "copies")) and "/part-" in one.path for one in process.open_files())
    return False


@pytest.mark.workers
def test_a_run_on_a_cluster_from_scripts(
    shelf: Path, schemas: dict[str, Any], tmp_path: Path, monkeypatch: pytest.MonkeyPatch,  # noqa: F811
) -> None:
    """Certificates, hub, worker and desk, each by its command."""
    monkeypatch.setattr("yomikomi.core.run.cluster.certificates.user_config_path", lambda _name: tmp_path / "config")
    assert "knows no cluster" in yomikomi("cluster", "status", code=4).stderr
    yomikomi("cluster", "init")
    certificates = str(tmp_path / "config" / "cluster")
    assert "holds a cluster already" in yomikomi("cluster", "init", code=2).stderr
    assert "without TLS nothing is sent" in yomikomi("cluster", "use", "tcp://here:1", "--storage", f"archive={tmp_path}", code=2).stderr
    with _until_ended("cluster", "start", "--port", "0", "--certificates", certificates) as (hub, said):
        address = said.split()[-1]
        with _until_ended(
            "worker", "--scheduler", address, "--storage", f"archive={tmp_path}", "--name", "east",
            "--certificates", certificates,
        ) as (worker, first):
            assert first.startswith("Working, at tls://")
            yomikomi("cluster", "use", address, "--storage", f"archive={tmp_path}")
            told = answer("cluster", "status")
            jsonschema.validate(told, schemas["cluster"])
            assert [(one["name"], one["refused"]) for one in told["workers"]] == [("east", "")]
            _run(shelf, "add", _labels(shelf)[0], "--codec", "h264", "--quality", "40", "--speed", "ultrafast")
            made = _run(shelf, "start", "--on", "cluster")
            assert made["verified"] == 1
    with sqlite3.connect(shelf / "workspace.sqlite") as record:
        assert {row[0] for row in record.execute("SELECT worker FROM jobs")} == {"east"}
    assert worker.returncode == hub.returncode == 0


@contextlib.contextmanager
def _until_ended(*words: str) -> Iterator[tuple[subprocess.Popen[str], str]]:
    """A command that runs until it is ended, and its first line."""
    process, first = begun(*words)
    assert process.stdout is not None
    try:
        yield process, first
    finally:
        process.terminate()
        process.wait(20)
        process.stdout.close()
