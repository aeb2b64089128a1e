"""Makes the pictures in docs/screenshots/ from the demo workspace: ``make shots``. Nothing in them is real footage."""

from __future__ import annotations

import shutil
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QApplication

from yomikomi.core.ledger.workspace import Workspace
from yomikomi.demo.maker import fill
from yomikomi.ui.app import application, build_window
from yomikomi.ui.shell.window import MainWindow

_FOLDER = Path(__file__).parents[1] / "docs" / "screenshots"


def wait(until: Callable[[], object], seconds: float) -> None:
    """Run the event loop until something is so; stops the whole program if it does not come."""
    end = time.monotonic() + seconds
    while not until():
        QApplication.processEvents()
        time.sleep(0.005)
        if time.monotonic() > end:
            sys.exit("shots: the demo did not come as far as expected")


def pause(seconds: float) -> None:
    end = time.monotonic() + seconds
    wait(lambda: time.monotonic() > end, seconds + 5)


class Photographer:
    def __init__(self, window: MainWindow, folder: Path) -> None:
        self.window, self.folder = window, folder
        folder.mkdir(parents=True, exist_ok=True)

    def shoot(self, name: str) -> None:
        self.window.notice_bar.hide()
        QApplication.processEvents()
        self.window.grab().save(str(self.folder / f"{name}.png"))

    def station(self, key: str, *, after: float = 1.0) -> None:
        self.window.show_station(key)
        pause(after)
        self.shoot(key)


def main(folder: Path = _FOLDER) -> None:
    application()
    home = Path(tempfile.mkdtemp(prefix="yomikomi-shots-"))
    workspace = Workspace(home / "Kamome Bay")
    try:
        window = build_window(workspace)
        window.show()
        maker = fill(window.state)
        assert maker is not None
        wait(lambda: maker.done and not window.state.jobs.jobs, 240)
        camera = Photographer(window, folder)
        carriers = {view.label: view.id for view in window.state.carriers}
        camera.station("shelf")
        for key in ("reading", "treatment", "balance", "run", "ledger"):
            camera.station(key, after=2.0)
        window.state.choose(carriers["K-002"])
        window.show_station("capture")
        window.do("record")
        pause(6.0)
        camera.shoot("capture")
        window.do("record")
        wait(lambda: not window.state.jobs.jobs, 20)
        window.state.choose(carriers["K-001"])
        window.show_station("shelf")
        box = window.open_goto()
        box.line.setText("k")
        pause(0.3)
        box.grab().save(str(folder / "go-to.png"))
        box.reject()
        window.close()
    finally:
        workspace.close()
        shutil.rmtree(home, ignore_errors=True)


if __name__ == "__main__":
    main(*(Path(argument) for argument in sys.argv[1:]))
