"""Composition: opens the workspace, builds the shared state and the window, starts the event loop."""

from __future__ import annotations

import contextlib
import gc
import os
import sys
import threading
from collections.abc import Callable
from functools import partial
from importlib import import_module
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.troubles import READ_ONLY_REMEDY, READ_ONLY_WORDS
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.work.defects import defect
from yomikomi.core.work.notices import Weight
from yomikomi.core.work.text import printable
from yomikomi.core.work.warm import keep_warm
from yomikomi.ui import theme
from yomikomi.ui.appearance import APPEARANCE
from yomikomi.ui.shell.station import Station
from yomikomi.ui.shell.window import MainWindow, Maker
from yomikomi.ui.state import AppState
from yomikomi.workers import LOADED

_CLASSES = {
    "shelf": "ShelfStation",
    "path": "PathStation",
    "capture": "CaptureStation",
    "reading": "ReadingStation",
    "treatment": "TreatmentStation",
    "balance": "BalanceStation",
    "run": "RunStation",
    "ledger": "LedgerStation",
}


def _make(key: str, state: AppState) -> Station:
    """A station, its module loaded only now."""
    made: Station = getattr(import_module(f"yomikomi.ui.{key}.station"), _CLASSES[key])(state)
    return made


MAKERS: dict[str, Maker] = {key: partial(_make, key) for key in _CLASSES}

# What stations need and the first picture of the window does not: loaded in a thread while the person looks at the shelf.
_LATER = ("pyqtgraph", "cv2", "yomikomi.ui.reckoner.window", *(f"yomikomi.ui.{key}.station" for key in MAKERS))
_POLL_MS = 50
# Every call into Qt hands the interpreter over; while a thread computes, getting it back takes up to this long (seconds). At
# Python's usual 5 ms a search for paths held the window for a second (docs/science.md).
_SWITCH_S = 0.0005
# What the desktop's own scale was before ours, and where the window was when it opened anew.
_OWN_SCALE, _WHERE = "YOMIKOMI_DESKTOP_SCALE", "YOMIKOMI_WHERE"
# How :func:`run_window` says that the program is to be begun anew.
REOPEN = 75


class Preload:
    """Loads the rest of the program beside the event loop, then has the stations made one by one."""

    def __init__(self, window: MainWindow) -> None:
        self._thread = threading.Thread(target=self._load, name="preload", daemon=True)
        self._thread.start()
        self._timer = QTimer(window)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(lambda: self._look(window))
        self._timer.start()

    @staticmethod
    def _load() -> None:
        for name in _LATER:
            import_module(name)

    def join(self) -> None:
        self._thread.join(5)

    def _look(self, window: MainWindow) -> None:
        if not self._thread.is_alive():
            self._timer.stop()
            window.make_rest_idly()
            keep_warm(LOADED)


def build_window(workspace: Workspace) -> MainWindow:
    """The window over an open workspace; the application must exist."""
    record = Record(workspace)
    interrupted = record.requeue_cut_off_copies()
    state = AppState(record)
    window = MainWindow(state, MAKERS)
    window.show_station("shelf")
    state.mend_takes()
    state.keep_clips()
    if interrupted:
        words = "1 copy was" if interrupted == 1 else f"{interrupted} copies were"
        state.tell(Weight.LOOK, f"{words} interrupted when the program ended, and waits in the run.", "Go to Run to go on.")
    if workspace.read_only:
        state.tell(Weight.LOOK, READ_ONLY_WORDS, READ_ONLY_REMEDY)
    # What is there now stays: the collector need not walk through it again. Its full rounds took up to 120 ms (docs/science.md).
    gc.freeze()
    return window


def _set_scale() -> None:
    """Qt scales everything that is drawn; it asks once, before the application is made. What the person's desktop says counts too."""
    own = os.environ.setdefault(_OWN_SCALE, os.environ.get("QT_SCALE_FACTOR", "1"))
    with contextlib.suppress(ValueError):
        os.environ["QT_SCALE_FACTOR"] = str(float(own) * APPEARANCE.scale)


def application() -> QApplication:
    """The one application, with theme and fonts."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    _set_scale()
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Yomikomi")
    sys.setswitchinterval(_SWITCH_S)
    theme.apply(made)
    return made


def asks_for_trust(folder: Path) -> bool:
    """Ask about a workspace that this user did not make."""
    box = QMessageBox()
    box.setWindowTitle("Yomikomi")
    box.setTextFormat(Qt.TextFormat.PlainText)
    box.setText(f"The workspace {printable(folder.name)} was not made by you on this computer.")
    box.setInformativeText(
        "Its record may name any file. Unless you trust it, it is opened for reading only and nothing in it is changed."
    )
    reading = box.addButton("Open for reading", QMessageBox.ButtonRole.AcceptRole)
    trusting = box.addButton("Trust it and open", QMessageBox.ButtonRole.ActionRole)
    box.setDefaultButton(reading)
    box.exec()
    return box.clickedButton() is trusting


def _on_uncaught(state: AppState, kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
    """What a slot let through: an expected error is told, any other is a defect and told with where it is described."""
    if isinstance(error, YomikomiError):
        state.tell_error(error)
    elif isinstance(error, Exception):
        state.tell_error(defect(error, "the window"))
        sys.__excepthook__(kind, error, trace)
    else:
        sys.__excepthook__(kind, error, trace)


def _go_back(window: MainWindow) -> None:
    """To the station and carrier that were on screen when the window was closed to open anew."""
    key, _, carrier = os.environ.pop(_WHERE, "").partition(":")
    if carrier.isdigit():
        window.state.choose(int(carrier))
        window.show_station(key)


def _fit(app: QApplication, window: MainWindow) -> None:
    """Not larger than the screen: at twice the size a usual one holds a quarter."""
    if app.platformName() != "offscreen":
        room = app.primaryScreen().availableGeometry()
        window.resize(min(window.width(), room.width()), min(window.height(), room.height()))


def run_window(folder: Path, *, on_ready: Callable[[AppState], object] | None = None, trust: bool = False) -> int:
    """Open the window and run until it is closed; ``on_ready`` is called once it is usable. ``trust``: see :class:`Workspace`.

    Returns the exit code, or ``REOPEN``. Raises WorkspaceError before anything is shown.
    """
    workspace = Workspace(folder, trust=trust)
    app = application()
    if workspace.read_only and asks_for_trust(workspace.folder):
        workspace.close()
        workspace = Workspace(folder, trust=True)
    try:
        window = build_window(workspace)
        sys.excepthook = partial(_on_uncaught, window.state)
        _go_back(window)
        _fit(app, window)
        window.show()
        preload = Preload(window)
        if on_ready is not None:
            QTimer.singleShot(300, lambda: on_ready(window.state))
        code = int(app.exec())
        preload.join()
        if window.reopens:
            current = window.state.current
            os.environ[_WHERE] = f"{window.current_key}:{current.id if current else 0}"
            return REOPEN
        return code
    finally:
        workspace.close()
