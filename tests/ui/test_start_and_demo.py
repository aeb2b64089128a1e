"""Starting: what is loaded, what the demo makes, and that the library underneath is sound."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.ui.conftest import Opener
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.reading.models import Reading
from yomikomi.demo import maker as demo
from yomikomi.demo.maker import DemoMaker, fill
from yomikomi.ui.background import JobRunner
from yomikomi.ui.shell.window import MainWindow


def test_the_qt_wheel_keeps_its_references(qapp: object) -> None:
    """Qt's wheel 6.12 loses a reference to None at every call under Python 3.11, which ends the process after minutes."""
    from PySide6.QtWidgets import QApplication

    before = sys.getrefcount(None)
    for _ in range(500):
        QApplication.processEvents()
    assert sys.getrefcount(None) > before - 250


def test_the_first_window_is_there_without_what_it_does_not_need(tmp_path: Path) -> None:
    """Database, decoders, numbers and plots come after the first picture, in slices: this is what keeps the start short."""
    script = (
        "import sys, time\n"
        "from pathlib import Path\n"
        "import yomikomi.cli.main\n"
        "from yomikomi.core.ledger.workspace import Workspace\n"
        "from yomikomi.ui.app import Opening, application, first_window\n"
        "app, workspace = application(), Workspace(Path(sys.argv[1]))\n"
        "window = first_window(workspace)\n"
        "window.show(); window.grab()\n"
        "heavy = ('numpy', 'av', 'sqlalchemy', 'cv2', 'scipy', 'rich', 'skimage')\n"
        "print(len(window.state.spines), *[name for name in heavy if name in sys.modules])\n"
        "opening = Opening(window)\n"
        "while not opening.done: app.processEvents(); time.sleep(0.002)\n"
        "dear = [name for name in ('scipy.stats', 'skimage') if name in sys.modules]\n"
        "print(len(window.state.carriers), sys.getswitchinterval(), *dear)\n"
        "window.close(); workspace.close()\n"
    )
    made = Workspace(tmp_path / "archive")
    Record(made).shelf.add(label="K-001", title="Parade", kind="vhs", standard="525i")
    made.close()
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    command = [sys.executable, "-c", script, str(tmp_path / "archive")]
    told = subprocess.run(command, capture_output=True, text=True, check=True, env=environment).stdout.splitlines()
    assert told == ["1", "1 0.005"]


def test_the_demo_fills_itself_while_the_window_is_used(
    open_window: Opener, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(demo, "usual_recipes", lambda **how: [r for r in _all_recipes(**how) if r.codec == "h264"][:4])
    monkeypatch.setattr(demo.scenario, "LENGTHS", demo.scenario.Lengths(1.4, 1.4, 1.6, 1.8, 1.8, 2.0, 1))  # as much as a verdict needs
    window = open_window(tmp_path / "Kamome Bay")
    made = fill(window.state)
    assert made is not None
    assert len(window.state.carriers) == 47  # at once: what waits can be looked through
    window.show_station("reading")  # a person looks around meanwhile
    qtbot.waitUntil(lambda: made.done, timeout=600_000)  # beside other tests, at the lowest priority
    views = {view.label: view for view in window.state.carriers}
    lessons = {"K-003-1", "K-003-2", "K-003-3"}
    assert len(views) == 51
    assert all(views[one].take is not None and views[one].take.origin == "copied" for one in lessons)
    assert all(20 * 60 < (views[one].nominal_seconds or 0) < 40 * 60 for one in lessons)  # what the disc's tables tell
    parade, kiln, card, aquarium, race = (views[f"K-00{n}"] for n in (1, 2, 4, 7, 9))
    assert (parade.takes, parade.progress) == (2, 8)
    assert isinstance(parade.reading, Reading)
    assert parade.reading.scan.field_order == "bff"
    first, second = (reading for _, _, reading in window.state.record.readings.of(parade.id))
    assert first.tape is not None
    assert second.tape is not None
    assert first.tape.line_jitter is not None
    corrected = second.tape.line_jitter  # the second pass went through a time-base corrector
    assert corrected is None or corrected.value < 0.6 * first.tape.line_jitter.value
    assert [copy.state for copy in parade.copies].count("verified") == 2
    assert "waiting" in [copy.state for copy in parade.copies]  # the run has a future
    assert kiln.take is not None
    assert kiln.take.dropped
    assert kiln.reading is not None
    assert (card.progress, [copy.state for copy in card.copies]) == (8, ["verified"])
    assert aquarium.take is not None
    assert (aquarium.take.state, aquarium.reading is not None) == ("mended", True)
    assert [copy.state for copy in race.copies] == ["doubtful"]
    assert race.copies[0].result is not None
    assert [check.name for check in race.copies[0].result.checks if not check.passed] == ["source as read"]
    assert {view.progress for view in views.values()} >= {1, 3, 4, 6, 8}
    assert any(view.unfit for view in views.values())
    assert "demo is ready" in " ".join(notice.text for notice in window.state.notices.history)
    # Filled once, it is left alone.
    assert fill(window.state) is None
    assert not list((tmp_path / "Kamome Bay" / "takes").glob(".demo*"))


def _all_recipes(**how: object):  # type: ignore[no-untyped-def]
    from yomikomi.core.recipes.recipe import usual_recipes

    return usual_recipes(**how)  # type: ignore[arg-type]


def test_a_demo_that_was_cut_off_goes_on(window: MainWindow, monkeypatch: pytest.MonkeyPatch) -> None:
    """The next step follows from what is there: after the first start was ended during its first jobs, they are begun again."""
    asked: list[str] = []
    monkeypatch.setattr(JobRunner, "start", lambda _self, _function, _request, *, name, **_how: asked.append(name))
    fill(window.state)
    assert asked == ["proving the path of K-001", "making K-004"]
    again = fill(window.state)
    assert isinstance(again, DemoMaker)
    assert asked == ["proving the path of K-001", "making K-004"] * 2
    assert len(window.state.record.carriers()) == 47
