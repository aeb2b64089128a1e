"""A real window over a workspace of its own, offscreen."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from yomikomi.core.ledger.workspace import Workspace
from yomikomi.ui.app import application, build_window
from yomikomi.ui.shell.window import MainWindow

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
