"""kill -9 at random moments: what was finished stays, what was not leaves no file under a name it did not earn.

``python -m tests.torture KILLS [SEED]``; ``make torture`` kills 200 times, the tests a dozen.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import random
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from pathlib import Path

_ENV_NAMES = ("XDG_CONFIG_HOME", "XDG_CACHE_HOME", "XDG_DATA_HOME", "XDG_STATE_HOME", "HOME")
_WRITER = """
import sys
from pathlib import Path
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
record = Record(Workspace(Path(sys.argv[1])))
first = len(record.carriers())
for number in range(first, first + 500):
    carrier = record.shelf.add(label=f"K-{number:04d}", title="t", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    path.write_bytes(b"x")
    record.takes.end(take, CaptureResult(path, 10, 0.4, 0, 0, 1))
    print(number, flush=True)
"""


class Torture:
    """One folder of material, and the things that are done and killed."""

    def __init__(self, folder: Path, seed: int, *, nights: bool) -> None:
        from tests.making import programme_frames, write_clip

        self.folder, self.chance, self.nights = folder, random.Random(seed), nights
        self.clip = write_clip(folder / "clip.mkv", programme_frames(60, width=320, height=240), sound_seconds=2.4)
        self.digest = _digest(self.clip)
        self.env = {**os.environ, **{name: str(folder / "home") for name in _ENV_NAMES}}
        self.ends: Counter[str] = Counter()
        self.usual: dict[str, float] = {}
        self.written = -1
        self.number = 0

    def kill_once(self) -> None:
        """One thing is begun, killed somewhere on its way, and what it left is looked at."""
        name, attempt = self.chance.choice(list(self._attempts().items()))
        self.number += 1
        attempt()
        assert _digest(self.clip) == self.digest, f"{name}: the source was touched"
        self.ends[name] += 1

    def _attempts(self) -> dict[str, Callable[[], None]]:
        night = {"run": self._run} if self.nights else {}
        return {**night, "copy": self._copy, "cut": self._cut, "capture": self._capture, "record": self._record, "read": self._read}

    def _yomikomi(self, kind: str, *words: object) -> bool:
        """Runs a command and kills it, with its workers, at a moment somewhere in the time it usually takes. Whether it got to its end."""
        if kind not in self.usual:
            began = time.monotonic()
            end = subprocess.run(self._line(*words), capture_output=True, env=self.env, check=False)
            assert end.returncode == 0, end.stderr.decode()
            self.usual[kind] = time.monotonic() - began
            return True
        process = subprocess.Popen(
            self._line(*words), stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=self.env, start_new_session=True
        )  # fmt: skip
        with contextlib.suppress(subprocess.TimeoutExpired):
            return process.wait(self.chance.uniform(0.1, 1.1) * self.usual[kind]) == 0
        with contextlib.suppress(ProcessLookupError):
            os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        return False

    @staticmethod
    def _line(*words: object) -> list[str]:
        return [sys.executable, "-m", "yomikomi", *map(str, words)]

    def _copy(self) -> None:
        target = self.folder / "copies" / f"{self.number}.mp4"
        target.parent.mkdir(exist_ok=True)
        words = ("copy", self.clip, "-o", target, "--codec", "h264", "--quality", "26", "--speed", "veryfast")
        ended = self._yomikomi("copy", *words)
        if target.exists():
            assert _frames(target) == 60, "a copy under its name that is not whole"
        assert target.exists() or not ended
        self._again(target, words, 60)

    def _run(self) -> None:
        """A night of three copies, killed again and again until it has come through: every start goes on, and nothing is made twice."""
        place, clip = self.folder / f"night-{self.number}", self.folder / f"parade-{self.number}.mkv"
        clip.write_bytes(self.clip.read_bytes())
        for words in (
            ("shelf", "import", clip),
            *(("run", "add", "F-001", "--codec", "h264", "--quality", str(quality), "--speed", "veryfast") for quality in (24, 30, 36)),
        ):  # fmt: skip
            done = subprocess.run(self._line("--workspace", place, *words), capture_output=True, env=self.env, check=False)
            assert done.returncode == 0, done.stderr.decode()
        copies, kept, ended = place / "copies", dict[str, tuple[int, int]](), False
        for _ in range(8):
            ended = ended or self._yomikomi("run", "--workspace", place, "run", "start")
            named = {path.name: (path.stat().st_ino, path.stat().st_mtime_ns) for path in copies.iterdir() if path.name[0] != "."}
            assert kept.items() <= named.items(), "what had its name was made again, or is gone"
            assert all(_frames(copies / name) == 60 for name in named.keys() - kept.keys()), "a half file has a name"
            kept = named
        last = subprocess.run(self._line("--workspace", place, "run", "start"), capture_output=True, env=self.env, check=False)
        assert last.returncode == 0, last.stderr.decode()
        assert len(list(copies.iterdir())) == 3, sorted(path.name for path in copies.iterdir())
        connection = sqlite3.connect(place / "workspace.sqlite")
        assert [row[0] for row in connection.execute("SELECT state FROM copies")] == ["verified"] * 3
        connection.close()

    def _cut(self) -> None:
        target = self.folder / "cuts" / f"{self.number}.mkv"
        target.parent.mkdir(exist_ok=True)
        words = ("cut", self.clip, "--to", "40", "-o", target)
        self._yomikomi("cut", *words)
        if target.exists():
            assert _frames(target) == 40
        self._again(target, words, 40)

    def _again(self, target: Path, words: tuple[object, ...], frames: int) -> None:
        """Now and then the same once more, to its end: nothing that was left is in its way, and it clears that up."""
        if self.chance.random() > 0.25:
            return
        code = subprocess.run(self._line(*words), capture_output=True, env=self.env, check=False).returncode
        assert code in {0, 2}
        assert _frames(target) == frames
        left = [path.name for path in target.parent.iterdir() if path.name.startswith(f".{target.name}.")]
        assert left == [], left

    def _capture(self) -> None:
        from yomikomi.core.capture.mend import MendRequest, mend
        from yomikomi.core.errors import UnreadableError
        from yomikomi.core.work import SilentReporter

        target = self.folder / "takes" / f"{self.number}.mkv"
        target.parent.mkdir(exist_ok=True)
        ended = self._yomikomi("capture", "capture", "--source", "sim:laserdisc", "--seconds", "1.5", "-o", target)
        if ended:
            assert _frames(target) in {44, 45}
            return
        if not target.exists():
            return
        size = target.stat().st_size
        try:
            mended = mend(MendRequest(target), SilentReporter())
        except UnreadableError:
            assert size < 1_500_000, "more than a quarter of a second was written and nothing of it can be read"
        else:
            assert mended.frames == _frames(target)
            assert mended.originals == ()

    def _record(self) -> None:
        place = self.folder / "workspace"
        words = [sys.executable, "-c", _WRITER, str(place)]
        process = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=self.env, start_new_session=True)
        assert process.stdout is not None
        count = self.chance.randrange(1, 12)
        for _ in range(count):
            line = process.stdout.readline()
            self.written = max(self.written, int(line or -1))
        time.sleep(self.chance.uniform(0, 0.02))
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        process.stdout.close()
        connection = sqlite3.connect(place / "workspace.sqlite")
        assert connection.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        labels = {label for (label,) in connection.execute("SELECT label FROM carriers")}
        assert {f"K-{number:04d}" for number in range(self.written + 1)} <= labels, "what was said to be written down is not there"
        connection.close()

    def _read(self) -> None:
        self._yomikomi("read", "read", self.clip, "--again", "--report", self.folder / f"report-{self.number}.json")
        report = self.folder / f"report-{self.number}.json"
        if report.exists():
            assert report.read_bytes().rstrip().endswith(b"}")


def _digest(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def _frames(path: Path) -> int:
    from tests.making import decode_luma

    return len(decode_luma(path))


def run(kills: int, seed: int, folder: Path, *, nights: bool = True) -> Counter[str]:
    """``nights``: also whole runs, eight kills each."""
    torture = Torture(folder, seed, nights=nights)
    for _ in range(kills):
        torture.kill_once()
    return torture.ends


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="torture-") as name:
        began = time.monotonic()
        made = run(int(sys.argv[1]), int(sys.argv[2]) if len(sys.argv) > 2 else 1, Path(name))
        print(f"{sum(made.values())} kills in {time.monotonic() - began:.0f} s: {dict(made)}; nothing lost, no half file under a name")
