"""Composition: opens the workspace, builds the shared state and the window, starts the event loop."""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication

from yomikomi.core.ledger.record import Record
from yomikomi.core.ledger.workspace import Workspace
from yomikomi.ui import theme
from yomikomi.ui.shell.station import Station
from yomikomi.ui.shell.window import MainWindow, Maker
from yomikomi.ui.state import AppState


def _shelf(state: AppState) -> Station:
    from yomikomi.ui.shelf.station import ShelfStation

    return ShelfStation(state)


def _capture(state: AppState) -> Station:
    from yomikomi.ui.capture.station import CaptureStation

    return CaptureStation(state)


def _reading(state: AppState) -> Station:
    from yomikomi.ui.reading.station import ReadingStation

    return ReadingStation(state)


def _treatment(state: AppState) -> Station:
    from yomikomi.ui.treatment.station import TreatmentStation

    return TreatmentStation(state)


def _balance(state: AppState) -> Station:
    from yomikomi.ui.balance.station import BalanceStation

    return BalanceStation(state)


def _run(state: AppState) -> Station:
    from yomikomi.ui.run.station import RunStation

    return RunStation(state)


def _ledger(state: AppState) -> Station:
    from yomikomi.ui.ledger.station import LedgerStation

    return LedgerStation(state)


MAKERS: dict[str, Maker] = {
    "shelf": _shelf,
    "capture": _capture,
    "reading": _reading,
    "treatment": _treatment,
    "balance": _balance,
    "run": _run,
    "ledger": _ledger,
}


def build_window(workspace: Workspace) -> MainWindow:
    """The window over an open workspace; the application must exist."""
    record = Record(workspace)
    record.end_cut_off_copies()
    state = AppState(record)
    window = MainWindow(state, MAKERS)
    window.show_station("shelf")
    state.mend_takes()
    return window


def application() -> QApplication:
    """The one application, with theme and fonts."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Yomikomi")
    theme.apply(made)
    return made


def run_window(folder: Path, *, on_ready: Callable[[AppState], object] | None = None) -> int:
    """Open the window and run until it is closed; ``on_ready`` is called once it is usable.

    Raises WorkspaceError before anything is shown.
    """
    workspace = Workspace(folder)
    app = application()
    try:
        window = build_window(workspace)
        window.show()
        QTimer.singleShot(150, window.make_rest_idly)
        if on_ready is not None:
            QTimer.singleShot(300, lambda: on_ready(window.state))
        return int(app.exec())
    finally:
        workspace.close()
