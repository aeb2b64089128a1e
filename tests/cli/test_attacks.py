"""The command line given what nobody should give it: one clear line, an exit code that is true, nothing lost, no hang."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from tests.cli.test_commands import answer, yomikomi
from tests.drives import drive
from tests.making import decode_luma, programme_frames, write_clip

_QUICK = ("--codec", "h264", "--quality", "30", "--speed", "ultrafast")


def _run(*words: object, env: dict[str, str] | None = None) -> subprocess.Popen[bytes]:
    # As from a terminal, even where these tests themselves were begun in the background, which lets nobody interrupt them.
    before = signal.signal(signal.SIGINT, signal.default_int_handler)
    try:
        return subprocess.Popen(
            [sys.executable, "-m", "yomikomi", *map(os.fspath, words)],  # type: ignore[call-overload]
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL, env={**os.environ, **(env or {})},
        )  # fmt: skip
    finally:
        signal.signal(signal.SIGINT, before)


def _ended(process: subprocess.Popen[bytes], limit: float = 60) -> tuple[int, str, str]:
    out, err = process.communicate(timeout=limit)
    return process.returncode, out.decode("utf-8", "replace"), err.decode("utf-8", "replace")


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return write_clip(tmp_path_factory.mktemp("attacks") / "clip.mkv", programme_frames(50, width=160, height=120), sound_seconds=2)


@pytest.mark.workers
def test_two_copies_to_one_name_make_one_copy(tmp_path: Path, clip: Path) -> None:
    """The second wrote on into the file that was called verified."""
    target = tmp_path / "copy.mp4"
    own = tmp_path / ".copy.mp4.part"
    own.write_text("a person's own file")
    both = [_run("copy", clip, "-o", target, *_QUICK) for _ in range(2)]
    ends = sorted(_ended(one, 120) for one in both)
    assert [code for code, _, _ in ends] == [0, 2], ends
    assert "being written by another Yomikomi" in ends[1][2] or "exists already" in ends[1][2]
    assert len(decode_luma(target)) == 50
    assert own.read_text() == "a person's own file"
    assert sorted(path.name for path in tmp_path.iterdir()) == [".copy.mp4.part", "copy.mp4"]


@pytest.mark.parametrize("command", ["cut", "capture"])
@pytest.mark.workers
def test_two_of_other_commands_to_one_name_make_one_file(tmp_path: Path, clip: Path, command: str) -> None:
    target = tmp_path / "new.mkv"
    words = {
        "cut": ("cut", clip, "--to", "40", "-o", target),
        "capture": ("capture", "--source", "sim:laserdisc", "--fast", "--seconds", "1", "-o", target),
    }[command]  # fmt: skip
    ends = sorted(_ended(one, 120)[0] for one in [_run(*words), _run(*words)])
    assert ends == [0, 2]
    frames = {"cut": 40, "capture": 30}[command]
    assert len(decode_luma(target)) == frames


@pytest.mark.parametrize("source", ["simX", "sim2", "simulated", "/etc/passwd", "lavfi", "http://localhost/"])
def test_what_is_no_source_is_refused(tmp_path: Path, source: str) -> None:
    told = yomikomi("capture", "--source", source, "--seconds", "1", "-o", tmp_path / "x.mkv", code=4)
    assert "no capture device" in told.stderr or "no device" in told.stderr
    assert list(tmp_path.iterdir()) == []


@pytest.mark.workers
def test_a_capture_that_failed_does_not_end_with_0(tmp_path: Path) -> None:
    """0 frames on a read-only drive, and a take cut short by a full one, ended with 0."""
    with drive(tmp_path / "locked") as locked:
        locked.make_read_only()
        told = yomikomi("capture", "--source", "sim", "--fast", "--seconds", "1", "-o", locked.path / "x.mkv", code=4)
        assert "read-only" in told.stderr
    with drive(tmp_path / "small", "6m") as small:
        words = ("capture", "--source", "sim", "--fast", "--seconds", "60", "-o", small.path / "x.mkv", "--json")
        code, out, err = _ended(_run(*words))
        document = json.loads(out)
        assert (code, 0 < document["frames"] < 1800, bool(document["trouble"])) == (4, True, True)
        assert "of 60 s" in err


@pytest.mark.workers
def test_ctrl_c_ends_a_take_in_order_and_says_what_is_there(tmp_path: Path) -> None:
    process = _run("capture", "--source", "sim:laserdisc", "--seconds", "60", "-o", tmp_path / "x.mkv", "--json")
    until = time.monotonic() + 30
    while time.monotonic() < until and not ((tmp_path / "x.mkv").exists() and (tmp_path / "x.mkv").stat().st_size > 1_000_000):
        time.sleep(0.05)
    process.send_signal(signal.SIGINT)
    code, out, err = _ended(process)
    assert code == 4, err
    document = json.loads(out)
    assert document["frames"] == len(decode_luma(tmp_path / "x.mkv")) > 5
    assert document["ended"] == "Stopped by hand."
    assert "Stopped by hand. Recorded:" in err


@pytest.mark.parametrize(
    "words",
    [
        ("cut", "{clip}", "-o", "{locked}/x.mkv"), ("join", "{clip}", "-o", "{locked}/x.mkv"),
        ("copy", "{clip}", "-o", "{locked}/x.mp4", *_QUICK),
        ("simulate", "--seconds", "0.5", "-o", "{locked}/x.mkv"), ("read", "{clip}", "--report", "{locked}/x.html"),
        ("simulate", "--seconds", "0.5", "-o", "{tmp}/x.mkv", "--truth", "{locked}/x.json"),
        ("simulate", "--kind", "disc", "--seconds", "1", "-o", "{locked}/disc"),
        ("cut", "{clip}", "-o", "{tmp}/none/x.mkv"), ("simulate", "--seconds", "0.5", "-o", "{tmp}/none/x.mkv"),
        ("cut", "{clip}", "-o", "{long}"),
        ("copy", "{clip}", "-o", "{long}", *_QUICK), ("capture", "--source", "sim", "--fast", "--seconds", "1", "-o", "{long}"),
        ("merge", "{clip}", "{clip}", "-o", "{locked}/x.mkv"),
    ],
)  # fmt: skip
def test_what_cannot_be_written_is_one_line(tmp_path: Path, clip: Path, words: tuple[str, ...]) -> None:
    with drive(tmp_path / "locked") as locked:
        locked.make_read_only()
        known = {"clip": clip, "locked": locked.path, "tmp": tmp_path, "long": tmp_path / ("n" * 300 + ".mkv")}
        given = [word.format(**known) for word in words]
        if words[0] == "copy" and "long" in words[3]:
            given[3] = given[3].replace(".mkv", ".mp4")
        told = yomikomi(*given, code=4)
    assert told.stderr.startswith("yomikomi: ")
    assert len(told.stderr.strip().splitlines()) == 1
    assert "defect" not in told.stderr


def test_pipes_do_not_hang(tmp_path: Path, clip: Path) -> None:
    pipe = tmp_path / "pipe.mkv"
    os.mkfifo(pipe)
    os.mkfifo(tmp_path / "table.csv")
    os.mkfifo(tmp_path / "disc.iso")

    def hangs(_signal: int, _frame: object) -> None:
        raise TimeoutError("it waits for somebody to write into the pipe")

    before = signal.signal(signal.SIGALRM, hangs)
    signal.alarm(60)
    try:
        for words, code in (
            (("read", pipe), 3), (("copy", pipe, "-o", tmp_path / "x.mp4", *_QUICK), 3), (("titles", tmp_path / "disc.iso"), 3),
            (("--workspace", tmp_path / "w", "shelf", "import", tmp_path / "table.csv"), 3),
            (("path", "--carrier", "vhs", "--have", pipe), 3), (("copy", clip, "-o", pipe, *_QUICK), 2),
        ):  # fmt: skip
            told = yomikomi(*words, code=code)
            assert "ordinary file" in told.stderr or "exists already" in told.stderr
    finally:
        signal.alarm(0)
        signal.signal(signal.SIGALRM, before)


@pytest.mark.workers
def test_names_that_are_no_text_and_terminals_that_know_only_ascii(tmp_path: Path, clip: Path) -> None:
    odd = Path(os.fsdecode(os.fsencode(tmp_path) + b"/\x1b[31mtape\xff.mkv"))
    odd.write_bytes(clip.read_bytes())
    ascii_only = {"LC_ALL": "C", "LANG": "C", "PYTHONIOENCODING": "ascii", "PYTHONUTF8": "0"}
    workspace = ("--workspace", tmp_path / "w")
    for words in (("read", odd, "--json"), (*workspace, "shelf", "import", odd), (*workspace, "shelf", "list")):
        code, out, err = _ended(_run(*words, env=ascii_only))
        assert code == 0, (words, err)
        assert "\x1b" not in out + err
        assert "Traceback" not in err
    told = yomikomi("read", tmp_path / "no\x1b]0;title\x07such.mkv", code=3)
    assert "\x1b" not in told.stderr
    assert "\x07" not in told.stderr


def test_what_is_verified_says_with_which_reserves(tmp_path: Path, clip: Path) -> None:
    document = answer("copy", clip, "-o", tmp_path / "copy.mp4", *_QUICK)
    assert (document["verified"], document["filled"], document["not_carried"]) == (True, 0, [])
    assert document["source_damage"]["frames"] == 0
    (tmp_path / "double.mkv").write_bytes(clip.read_bytes() * 2)
    words = yomikomi("copy", tmp_path / "double.mkv", "-o", tmp_path / "second.mp4", *_QUICK).stdout
    assert "verified; in the source: " in words
    assert "not read" in words
