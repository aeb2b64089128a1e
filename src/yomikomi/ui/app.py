"""Composition: opens the workspace, builds the shared state and the window, starts the event loop."""

from __future__ import annotations

import contextlib
import gc
import os
import signal
import sys
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from importlib import import_module
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QApplication, QMessageBox

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.troubles import READ_ONLY_REMEDY, READ_ONLY_WORDS
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.core.work.defects import defect
from yomikomi.core.work.notices import Weight
from yomikomi.core.work.text import printable
from yomikomi.core.work.warm import keep_warm
from yomikomi.ui import theme
from yomikomi.ui.appearance import APPEARANCE
from yomikomi.ui.loading import Loading
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

# What the first picture of the window does not need: first what knows the record, then what the stations are made of.
_RECORD = ("sqlalchemy.orm", "yomikomi.core.ledger.record", "yomikomi.ui.upkeep")
# (numpy.ma: what draws curves asks for it in the middle of the first one).
_STATIONS = ("numpy.ma", "scipy.interpolate", "yomikomi.ui.reckoner.window", *(f"yomikomi.ui.{key}.station" for key in MAKERS))
# What the desktop's own scale was before ours, and where the window was when it opened anew.
_OWN_SCALE, _WHERE = "YOMIKOMI_DESKTOP_SCALE", "YOMIKOMI_WHERE"
# How :func:`run_window` says that the program is to be begun anew.
REOPEN = 75


def first_window(workspace: Workspace) -> MainWindow:
    """The window with the shelf, from what plain SQL tells; the application must exist. :func:`settle` makes it whole."""
    window = MainWindow(AppState(workspace), MAKERS)
    window.show_station("shelf")
    return window


def settle(window: MainWindow) -> Iterator[None]:
    """Open the record behind a first window, and begin what an earlier end of the program left to do; in pieces, as stations are built."""
    state = window.state
    state.record.store.open()
    yield
    while state.record.store.read_ahead():
        yield
    state.reload()  # the first list gives way to the record's own, which may correct it
    yield
    interrupted = state.record.copies.requeue_cut_off()
    state.upkeep.begin()
    if interrupted:
        words = "1 copy was" if interrupted == 1 else f"{interrupted} copies were"
        state.tell(Weight.LOOK, f"{words} interrupted when the program ended, and waits in the run.", "Go to Run to go on.")
    if state.workspace.read_only:
        state.tell(Weight.LOOK, READ_ONLY_WORDS, READ_ONLY_REMEDY)


def build_window(workspace: Workspace) -> MainWindow:
    """The window over an open workspace, at once; its stations are made when they are first shown."""
    window = first_window(workspace)
    for _ in settle(window):
        pass
    return window


class Opening:
    """What goes on after the first picture, in pieces: the record, then all stations, then workers that start at once."""

    def __init__(self, window: MainWindow, on_ready: Callable[[AppState], object] | None = None, also: Sequence[str] = ()) -> None:
        self._window, self._on_ready, self._also = window, on_ready, also
        self._settling = settle(window)
        self.loading = Loading(_RECORD, self._settle, window)

    @property
    def done(self) -> bool:
        return self.loading.done and self._window.whole

    def _settle(self) -> None:
        try:
            next(self._settling)
        except StopIteration:
            self.loading = Loading((*_STATIONS, *self._also), self._make_rest, self._window)
        except YomikomiError as error:
            self._window.state.tell_error(error)
            self.loading = Loading((*_STATIONS, *self._also), self._make_rest, self._window)
        else:
            QTimer.singleShot(0, self._window, self._settle)

    def _make_rest(self) -> None:
        self._window.make_rest_idly()
        keep_warm(LOADED)
        if self._on_ready is not None:
            self._on_ready(self._window.state)
        else:
            self._window.read_left()


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


def run_window(
    folder: Path, *, on_ready: Callable[[AppState], object] | None = None, also: Sequence[str] = (), trust: bool = False
) -> int:
    """Open the window and run until it is closed; ``on_ready`` is called once all of it is loaded, the modules ``also`` with it.
    ``trust``: see :class:`Workspace`.

    Returns the exit code, or ``REOPEN``. Raises WorkspaceError before anything is shown.
    """
    gc.disable()  # nothing that is loaded now becomes garbage; the window collects again once it is whole
    workspace = Workspace(folder, trust=trust)
    app = application()
    if workspace.read_only and asks_for_trust(workspace.folder):
        workspace.close()
        workspace = Workspace(folder, trust=True)
    try:
        window = first_window(workspace)
        sys.excepthook = partial(_on_uncaught, window.state)
        _go_back(window)
        _fit(app, window)
        window.show()
        opening = Opening(window, on_ready, also)
        signal.signal(signal.SIGINT, lambda *_: window.close())  # Ctrl+C in the terminal: as closing the window
        code = int(app.exec())
        opening.loading.finish()
        if window.reopens:
            current = window.state.chosen
            os.environ[_WHERE] = f"{window.current_key}:{current.id if current else 0}"
            return REOPEN
        return code
    finally:
        workspace.close()
