"""Modules that are loaded beside the event loop: in their order, in slices, and never in the way of who needs one now."""

from __future__ import annotations

import importlib
import sqlite3
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from tests.ui.watch import StallWatch
from yomikomi.core.errors import WorkspaceError
from yomikomi.ui.loading import Loading
from yomikomi.ui.shell.window import MainWindow


@pytest.fixture
def slow_package(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[str]:
    """A package whose own file asks for forty modules of 10 ms each, as large libraries do."""
    name = "slow_package_of_a_test"
    (tmp_path / name).mkdir()
    (tmp_path / name / "__init__.py").write_text("".join(f"from {name} import m{n}\n" for n in range(40)) + "READY = True\n")
    for n in range(40):
        (tmp_path / name / f"m{n}.py").write_text("import time\nend = time.perf_counter() + 0.01\nwhile time.perf_counter() < end: pass\n")
    monkeypatch.syspath_prepend(str(tmp_path))
    yield name
    for loaded in [one for one in sys.modules if one.startswith(name)]:
        del sys.modules[loaded]


@pytest.mark.alone
def test_the_window_takes_its_events_while_a_large_package_is_loaded(qtbot: QtBot, slow_package: str) -> None:
    told: list[bool] = []
    owner = QObject()
    with StallWatch() as watch:
        loading = Loading([slow_package], lambda: told.append(sys.modules[slow_package].READY), owner)
        assert not told
        qtbot.waitUntil(lambda: bool(told), timeout=20_000)
    assert told == [True]
    assert loading.done
    assert len(watch.gaps) >= 15  # it did take its time: 400 ms in slices, not in one
    assert watch.longest < 0.2
    assert not any(type(finder).__name__ == "Gate" for finder in sys.meta_path)


def test_who_needs_a_module_at_once_does_not_wait_for_the_rest(qtbot: QtBot, slow_package: str) -> None:
    """The loading thread stands in the middle of the package; the window asks for it, and gets it."""
    told: list[bool] = []
    owner = QObject()
    loading = Loading([slow_package], lambda: told.append(True), owner)
    qtbot.waitUntil(lambda: f"{slow_package}.m3" in sys.modules, timeout=20_000)
    began = time.monotonic()
    assert importlib.import_module(slow_package).READY
    assert time.monotonic() - began < 10
    qtbot.waitUntil(lambda: bool(told), timeout=20_000)
    assert loading.done


def test_closing_while_it_loads_does_not_wait_for_it(qtbot: QtBot, slow_package: str) -> None:
    told: list[bool] = []
    owner = QObject()
    loading = Loading([slow_package], lambda: told.append(True), owner)
    qtbot.waitUntil(lambda: f"{slow_package}.m3" in sys.modules, timeout=20_000)
    loading.finish()
    assert slow_package not in sys.modules  # nothing half loaded is left
    assert f"{slow_package}.m39" not in sys.modules
    qtbot.wait(50)
    assert told == []
    assert loading.done
    assert importlib.import_module(slow_package).READY  # and what needs it still gets it


def test_a_station_that_cannot_be_made_costs_that_station(window: MainWindow, qtbot: QtBot) -> None:
    """A table of the record is gone: it is told, the window becomes whole, and the other stations work."""
    with sqlite3.connect(window.state.workspace.record_file) as connection:
        connection.execute("DROP TABLE equipment")
    window.make_rest_idly()
    qtbot.waitUntil(lambda: window.whole, timeout=20_000)
    assert any("equipment" in notice.text for notice in window.state.notices.history)
    window.show_station("reading")
    assert window.current_key == "reading"
    with pytest.raises(WorkspaceError):
        window.station("path")
