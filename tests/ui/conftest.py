"""A real window over a workspace of its own, offscreen."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from yomikomi.core.ledger.workspace import Workspace
from yomikomi.ui.app import application, build_window
from yomikomi.ui.shell.window import MainWindow

# Milliseconds between the questions of a test that waits, the first and the longest. Each may ask the record and look at a whole station:
# asked every ten, as pytest-qt does, they took as much of the processors as what was waited for.
_SOON, _LATER = 5, 60


def _wait_until(bot: QtBot, callback: Callable[[], bool | None], *, timeout: int = 5000) -> None:
    """In the place of :meth:`QtBot.waitUntil`, whose words hold."""
    until, pause = time.monotonic() + timeout / 1000, _SOON
    while True:
        why: AssertionError | None = None
        try:
            found = callback()
        except AssertionError as error:
            why, found = error, False
        assert found in (None, True, False), found
        if found is not False:
            return
        if time.monotonic() > until:
            raise TimeoutError(f"waitUntil timed out in {timeout} milliseconds") from why
        bot.wait(pause)
        pause = min(_LATER, 2 * pause)


@pytest.fixture(autouse=True)
def _patient(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QtBot, "waitUntil", _wait_until)


Opener = Callable[[Path], MainWindow]


@pytest.fixture(scope="session")
def qapp():  # type: ignore[no-untyped-def]
    return application()


@pytest.fixture
def open_window(qtbot: QtBot) -> Iterator[Opener]:
    opened: list[tuple[MainWindow, Workspace]] = []

    def opener(folder: Path) -> MainWindow:
        workspace = Workspace(folder)
        window = build_window(workspace)
        window.state.starts_by_itself = False  # tests begin everything themselves; test_by_itself.py does not
        window.show()
        qtbot.waitExposed(window)
        opened.append((window, workspace))
        return window

    yield opener
    for window, workspace in opened:
        window.hide()  # so that closing asks nothing
        window.close()
        window.deleteLater()
        workspace.close()


@pytest.fixture
def window(open_window: Opener, tmp_path: Path) -> MainWindow:
    """Over an empty workspace."""
    return open_window(tmp_path / "archive")


@pytest.fixture
def by_itself(window: MainWindow) -> None:
    """What has only one next step starts by itself, as it does for people; tests wait for it only where they ask for this."""
    window.state.starts_by_itself = True
