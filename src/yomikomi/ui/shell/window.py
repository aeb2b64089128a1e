"""The window: rail, strip, stations made when first needed, notices, keys."""

from __future__ import annotations

import gc
from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QMessageBox, QStackedWidget, QVBoxLayout, QWidget

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.work.notices import Notice
from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.shell.carrier_strip import CarrierStrip
from yomikomi.ui.shell.goto import GoToBox, Target
from yomikomi.ui.shell.notice_bar import NoticeBar
from yomikomi.ui.shell.rail import Rail
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import ARMED, RECORDING, AppState
from yomikomi.ui.widgets.basics import label

if TYPE_CHECKING:
    from yomikomi.ui.reckoner.window import ReckonerWindow

Maker = Callable[[AppState], Station]


class MainWindow(QWidget):
    """Parameters
    ----------
    makers : how each station is made, by key; they are made when first shown, so that the window is there quickly.
    """

    def __init__(self, state: AppState, makers: dict[str, Maker]) -> None:
        super().__init__()
        self.state = state
        self._makers = makers
        self._stations: dict[str, Station] = {}
        self.current_key = ""
        self._reckoner: ReckonerWindow | None = None
        self.setWindowTitle("Yomikomi")
        self.resize(1280, 800)
        self.setMinimumSize(1024, 700)
        self.rail = Rail()
        self.strip = CarrierStrip(state)
        self._stack = QStackedWidget()
        right = QVBoxLayout()
        right.setContentsMargins(0, 0, 0, 0)
        right.setSpacing(0)
        right.addWidget(self.strip)
        right.addWidget(self._stack, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(self.rail)
        layout.addLayout(right, 1)
        self.notice_bar = NoticeBar(self)
        self._unlisten = state.notices.listen(self._on_notice)
        self.rail.chosen.connect(self.show_station)
        self.rail.asked.connect(self.do)
        state.go.connect(self.show_station)
        state.carrier_changed.connect(self._on_carrier)
        state.takes_ready.connect(self._on_takes)
        self._make_keys()

    def station(self, key: str) -> Station:
        """A station, made now if it was not yet."""
        if key not in self._stations:
            made = self._makers[key](self.state)
            self._stations[key] = made
            self._stack.addWidget(made)
        return self._stations[key]

    def show_station(self, key: str) -> None:
        if key not in self._makers:
            return
        before = self._stations.get(self.current_key)
        after = self.station(key)
        self.rail.show_station(key)
        if before is after:
            return
        if before is not None:
            before.left()
        self.current_key = key
        after.show_carrier(self.state.current)
        self._stack.setCurrentWidget(after)
        after.entered()

    def make_rest_idly(self) -> None:
        """Make the stations not yet made, one at a time while nothing else is to do."""
        rest = [key for key in self._makers if key not in self._stations]
        if rest:
            self.station(rest[0])
            QTimer.singleShot(40, self.make_rest_idly)
        else:
            gc.freeze()  # as in ui.app: all stations are there now

    def open_goto(self) -> GoToBox:
        box = GoToBox(self.state, self)
        box.chosen.connect(self._on_target)
        box.move(self.mapToGlobal(self.rect().center()) - box.rect().center())
        box.open()
        box.line.setFocus()
        return box

    def open_reckoner(self) -> ReckonerWindow:
        """The one Reckoner, brought to the front; it keeps what stands in it while the program runs."""
        from yomikomi.ui.reckoner.window import ReckonerWindow

        if self._reckoner is None:
            self._reckoner = ReckonerWindow(self.state, self)
        self._reckoner.show()
        self._reckoner.raise_()
        self._reckoner.activateWindow()
        return self._reckoner

    def do(self, key: str) -> None:
        """Perform a command of the table."""
        entry = next(action for action in ACTIONS if action.key == key)
        if key == "goto":
            self.open_goto()
        elif key == "keys":
            self._show_keys()
        elif key == "reckoner":
            self.open_reckoner()
        elif key == "quit":
            self.close()
        elif key == "primary":
            self.station(self.current_key).primary()
        else:
            self.show_station(entry.station)
            self.station(entry.station).act(key)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.notice_bar.isVisible():
            self.notice_bar.place()

    def closeEvent(self, event: QCloseEvent) -> None:
        recording = [job for job in self.state.jobs.jobs if job.kind in {RECORDING, ARMED}]
        if recording and self.isVisible() and not self._sure():
            event.ignore()
            return
        if self._reckoner is not None:
            self._reckoner.close()
        if self.current_key:
            self.station(self.current_key).left()
        self.state.jobs.stop_all()
        self.state.calls.wait()
        self._unlisten()
        event.accept()

    def _sure(self) -> bool:
        answer = QMessageBox.question(
            self,
            "A take is being recorded",
            "End the take in order and close?",
            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No,
        )
        return answer == QMessageBox.StandardButton.Yes

    def _make_keys(self) -> None:
        for entry in STATIONS:
            self._key(f"Ctrl+{entry.number}", partial(self.show_station, entry.key))
        for action in ACTIONS:
            self._key(action.shortcut, partial(self.do, action.key))

    def _key(self, keys: str, does: Callable[[], None]) -> None:
        made = QAction(self)
        made.setShortcut(QKeySequence(keys))
        made.triggered.connect(lambda _checked=False: does())
        self.addAction(made)

    def _on_carrier(self, view: CarrierView | None) -> None:
        if self.current_key:
            self._stations[self.current_key].show_carrier(view)

    def _on_takes(self, carriers: list[int]) -> None:
        """New takes are read without being asked for."""
        from yomikomi.ui.reading.work import ReadingWork  # what reads is loaded when first needed

        if self.state.starts_by_itself:
            ReadingWork.of(self.state).read_new(carriers)

    def _on_notice(self, notice: Notice) -> None:
        self.notice_bar.tell(notice)

    def _on_target(self, target: Target) -> None:
        if target.kind == "carrier":
            self.state.choose(int(target.key))
        elif target.kind == "station":
            self.show_station(target.key)
        else:
            self.do(target.key)

    def _show_keys(self) -> None:
        box = QDialog(self)
        box.setWindowTitle("Keys")
        grid = QGridLayout(box)
        grid.setContentsMargins(24, 20, 24, 20)
        grid.setHorizontalSpacing(32)
        lines = [(f"Ctrl+{s.number}", f"{s.words}: {s.purpose}") for s in STATIONS] + [(a.shortcut, a.words) for a in ACTIONS]
        for number, (keys, words) in enumerate(lines):
            grid.addWidget(label(keys, figure=True), number, 0)
            grid.addWidget(label(words), number, 1)
        box.open()
