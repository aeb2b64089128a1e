"""The window when things are cut short: closed with copies waiting, drives that come and go, trials overtaken, two windows."""

from __future__ import annotations

import time
from multiprocessing.util import Finalize
from pathlib import Path

import pytest
from PySide6.QtWidgets import QLabel
from pytestqt.qtbot import QtBot

from tests.making import programme_frames, write_clip
from tests.ui.conftest import Opener
from yomikomi.core.balance.models import TrialSet, TriedSegment
from yomikomi.core.capture.devices.reading import DeviceSpec
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.errors import CancelledError, DriveAwayError, WorkspaceError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.video.rates import KNOWN_RATES
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.job import JobState
from yomikomi.ui.background import DEVICE, JobRunner
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.run.station import RunStation
from yomikomi.ui.shell.window import MainWindow
from yomikomi.ui.source_of import device_of
from yomikomi.ui.widgets.basics import plain_tip

QUICK = recipe_for("h264", 30, speed="ultrafast")


def _read_carrier(window: MainWindow, clip: Path, reading: Reading, label: str = "K-001") -> int:
    record = window.state.record
    carrier, _ = record.takes.import_file(clip, label=label)
    take = record.carrier(carrier).take
    assert take is not None
    record.readings.save(take.id, reading)
    record.readings.choose_treatment(take.id, Treatment())
    window.state.reload()
    window.state.choose(carrier)
    return carrier


@pytest.fixture(scope="module")
def clip(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Long enough that its slow copy does not end while a window closes."""
    return write_clip(tmp_path_factory.mktemp("clip") / "clip.mkv", programme_frames(50, width=640, height=480) * 5, sound_seconds=10)


@pytest.fixture(scope="module")
def clip_reading(clip: Path) -> Reading:
    from yomikomi.core.reading.scanner import ReadRequest, read
    from yomikomi.core.work import SilentReporter

    return read(ReadRequest(clip), SilentReporter())


def test_what_the_end_of_the_program_interrupts_waits_and_is_told(
    open_window: Opener, tmp_path: Path, qtbot: QtBot, clip: Path, clip_reading: Reading
) -> None:
    """One copy running and three waiting were left "stopped by hand", "failed", waiting, waiting."""
    window = open_window(tmp_path / "archive")
    _read_carrier(window, clip, clip_reading)
    queue = CopyQueue.of(window.state)
    view = window.state.current
    assert view is not None
    slow = recipe_for("h264", 14, speed="veryslow")
    for _ in range(4):
        queue.ask(view, slow, None)
    qtbot.waitUntil(lambda: any(one.handle.progress is not None for one in queue.driver.running.values()), timeout=20_000)
    window.hide()
    window.close()
    record = window.state.record
    assert [copy.state for copy in record.copies.all()] == ["waiting"] * 4
    assert list((tmp_path / "archive" / "copies").iterdir()) == []
    record.workspace.close()
    again = open_window(tmp_path / "archive")
    assert any("1 copy was interrupted when the program ended" in one.text for one in again.state.notices.history)
    assert "interrupted when the program ended" in again.state.record.copies.all()[0].trouble


def _waits_for_ever(_request: object, reporter: Reporter) -> None:
    while True:
        time.sleep(0.01)
        reporter.check()


def test_jobs_that_only_waited_hear_of_the_end_too(qtbot: QtBot) -> None:
    runner = JobRunner()
    ends: list[tuple[str, JobState]] = []
    for number in range(3):
        runner.start(
            _waits_for_ever, None, name=str(number), resource="one", on_end=lambda job: ends.append((job.name, job.state))
        )  # fmt: skip
    runner.stop_all()
    assert ends == [(str(number), JobState.CANCELLED) for number in range(3)]
    late: list[Job] = []
    runner.start(_waits_for_ever, None, name="late", on_end=late.append)
    assert [job.state for job in late] == [JobState.CANCELLED]


def _opens_slowly_closed(request: tuple[Path, float], _reporter: Reporter) -> float:
    """Holds a "device" until its process is gone, as a driver does."""
    path, hold = request
    if path.exists():
        raise DriveAwayError("the device was still open")
    path.touch()
    Finalize(None, lambda: (time.sleep(hold), path.unlink()), exitpriority=1)
    return time.monotonic()


def test_a_device_is_opened_again_only_when_it_was_let_go(qtbot: QtBot, tmp_path: Path) -> None:
    """Preview, then record: the device was opened a second time before the first had let it go."""
    runner = JobRunner()
    ends: list[Job] = []
    for _ in range(2):
        runner.start(
            _opens_slowly_closed, (tmp_path / "held", 0.4), name="look", resource=f"{DEVICE}/dev/video0", on_end=ends.append
        )  # fmt: skip
    qtbot.waitUntil(lambda: len(ends) == 2, timeout=20_000)
    assert [job.state for job in ends] == [JobState.DONE, JobState.DONE], [job.error for job in ends]
    assert device_of(DeviceSpec("/dev/video3", 720, 480, KNOWN_RATES[0])) == f"{DEVICE}/dev/video3"
    qtbot.waitUntil(lambda: not (tmp_path / "held").exists(), timeout=5000)
    runner.stop_all()


def test_trials_that_were_overtaken_are_not_kept(
    window: MainWindow, clip: Path, clip_reading: Reading, monkeypatch: pytest.MonkeyPatch
) -> None:
    _read_carrier(window, clip, clip_reading)
    window.show_station("balance")
    station = window.station("balance")
    record, view = window.state.record, window.state.current
    assert view is not None
    assert view.take is not None
    ground, folder = record.trials.ground(view.take.id), record.trials.new_folder(view.take.id)
    record.readings.overrule(view.take.id, topic="scan", was="progressive", now="interlaced tff", reason="")
    job = Job(_waits_for_ever, None, name="trials")
    job.state = JobState.DONE
    job.result = TrialSet(
        deinterlace="leave", field_order=None, rate="25/1", frames=250, duration_seconds=10, sound_bytes=0,
        segments=[TriedSegment(first_frame=0, frames=250, role="whole")], whole=True, points=[], trial_seconds=4,
    )  # fmt: skip
    station.trying.end(job, take_id=view.take.id, folder=folder, ground=ground)  # type: ignore[attr-defined]
    assert "their figures were not kept" in window.notice_bar.text
    assert record.carrier(view.id).trials is None


def test_a_take_is_found_again_when_its_drive_is_back(window: MainWindow, tmp_path: Path, qtbot: QtBot, clip: Path) -> None:
    state, record = window.state, window.state.record
    carrier = record.shelf.add(label="K-001", title="Parade", kind="vhs", standard="525i")
    take, path = record.takes.begin(carrier)
    elsewhere = tmp_path / "the drive"
    elsewhere.write_bytes(clip.read_bytes())
    record.takes.end(take, CaptureResult(path, 250, 10.0, 0, 0, 6, trouble="its drive is gone"))
    state.reload()
    assert state.carriers[0].take is not None
    assert state.carriers[0].take.state == "away"
    state.upkeep.search.setInterval(50)
    state.upkeep.mend_takes()
    qtbot.wait(200)
    assert state.carriers[0].take.state == "away"
    elsewhere.rename(path)
    qtbot.waitUntil(lambda: record.carrier(carrier).take.state == "mended", timeout=10_000)  # type: ignore[union-attr]
    assert record.carrier(carrier).take.frames == 250  # type: ignore[union-attr]


def test_the_reading_station_shows_only_its_own_carriers_progress(
    window: MainWindow, tmp_path: Path, qtbot: QtBot, clip: Path, clip_reading: Reading
) -> None:
    first = window.state.record.takes.import_file(clip, label="K-001")[0]
    other = tmp_path / "other.mkv"
    other.write_bytes(clip.read_bytes())
    second = window.state.record.takes.import_file(other, label="K-002")[0]
    window.state.reload()
    window.state.choose(first)
    window.show_station("reading")
    station = window.station("reading")
    station.read()  # type: ignore[attr-defined]
    assert station.bar.isVisible()  # type: ignore[attr-defined]
    window.state.choose(second)
    assert not station.bar.isVisible()  # type: ignore[attr-defined]
    assert "Another take is being read" in station.sentence.text
    window.state.choose(first)
    assert station.bar.isVisible()  # type: ignore[attr-defined]
    station.job and window.state.jobs.cancel(station.job)  # type: ignore[attr-defined]
    qtbot.waitUntil(lambda: station.job is None, timeout=10_000)  # type: ignore[attr-defined]


def test_a_take_that_changed_is_told_where_its_reading_is_shown(window: MainWindow, tmp_path: Path, qtbot: QtBot, clip: Path) -> None:
    from yomikomi.core.reading.scanner import ReadRequest, read
    from yomikomi.core.work import SilentReporter

    mine = write_clip(tmp_path / "mine.mkv", programme_frames(40), sound_seconds=1)
    _read_carrier(window, mine, read(ReadRequest(mine), SilentReporter()))
    window.show_station("reading")
    qtbot.wait(200)
    assert "changed" not in window.station("reading").sentence.text
    mine.write_bytes(mine.read_bytes()[:-100])
    window.state.reload()
    qtbot.waitUntil(lambda: "has changed since it was read" in window.station("reading").sentence.text, timeout=5000)


def test_a_failed_copy_can_be_kept_by_hand(window: MainWindow, clip: Path, clip_reading: Reading, qtbot: QtBot) -> None:
    wrong = clip_reading.model_copy(update={"duration_seconds": 3.0})
    _read_carrier(window, clip, wrong)
    queue = CopyQueue.of(window.state)
    assert window.state.current is not None
    queue.ask(window.state.current, QUICK, None)
    qtbot.waitUntil(lambda: queue.driver.idle, timeout=60_000)
    window.show_station("run")
    station = window.station("run")
    assert isinstance(station, RunStation)
    (copy,) = window.state.record.copies.all()
    assert copy.state == "doubtful"
    assert copy.file.name.endswith(".unverified.mp4")
    assert not copy.path.exists()
    assert "duration" in station.details.trouble.text()
    station.details.buttons["keep"].click()
    (copy,) = window.state.record.copies.all()
    assert copy.state == "kept"
    assert copy.path.exists()
    assert "stays marked" in window.notice_bar.text


def test_what_the_record_cannot_write_down_is_told_and_nothing_breaks(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_args: object, **_more: object) -> None:
        raise WorkspaceError("archive/: The drive of the workspace is full; this was not written down.", remedy="Make room.")

    def ended(_job: Job) -> None:
        full()

    job = window.state.jobs.start(_waits_for_ever, None, name="x", on_end=ended)
    window.state.jobs.cancel(job)
    for _ in range(100):
        window.state.jobs._poll()
        if job.state.ended:
            break
        time.sleep(0.02)
    assert "drive of the workspace is full" in window.notice_bar.text
    assert isinstance(job.error, CancelledError | None)


def test_a_second_window_on_one_workspace_is_refused(open_window: Opener, tmp_path: Path) -> None:
    open_window(tmp_path / "archive")
    with pytest.raises(WorkspaceError, match="open in another Yomikomi"):
        open_window(tmp_path / "archive")


def test_titles_are_shown_as_they_are(window: MainWindow, qtbot: QtBot) -> None:
    evil = '<img src="file:///etc/hostname"><b>Title</b> & more'
    window.state.record.shelf.add(label="K-001", title=evil, kind="vhs")
    window.state.reload()
    assert plain_tip(evil).count("<") == 2
    assert "&lt;img" in plain_tip(evil)
    window.show_station("shelf")
    for key in ("shelf", "reading", "ledger"):
        station = window.station(key)
        tips = [child.toolTip() for child in [window, *window.findChildren(QLabel), *station.findChildren(QLabel)]]
        assert all("<img" not in tip for tip in tips)


def test_nothing_in_a_strangers_workspace_is_touched(
    open_window: Opener, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, clip: Path
) -> None:
    with monkeypatch.context() as theirs:
        theirs.setenv("XDG_CONFIG_HOME", str(tmp_path / "their config"))
        made = Workspace(tmp_path / "theirs")
        record = Record(made)
        carrier, _ = record.takes.import_file(clip, label="K-001")
        _take, path = record.takes.begin(record.shelf.add(label="K-002", title="t", kind="vhs", standard="525i"))
        path.write_bytes(clip.read_bytes())  # cut off: at home it would be mended
        made.close()
        (tmp_path / "theirs" / "takes" / ".ring-1-clip1").mkdir()
    before = {path: path.stat().st_mtime_ns for path in (tmp_path / "theirs").rglob("*")}
    window = open_window(tmp_path / "theirs")
    assert window.state.workspace.read_only
    assert "reading only" in window.notice_bar.text
    window.state.choose(carrier)
    for key in ("shelf", "path", "capture", "reading", "treatment", "balance", "run", "ledger"):
        window.show_station(key)
    window.station("reading").read()  # type: ignore[attr-defined]
    window.station("balance").try_recipes()  # type: ignore[attr-defined]
    window.station("capture").arm()  # type: ignore[attr-defined]
    window.station("capture").begin()  # type: ignore[attr-defined]
    window.state.upkeep.measure_machine()
    assert window.state.jobs.jobs == []
    assert {path: path.stat().st_mtime_ns for path in (tmp_path / "theirs").rglob("*")} == before
