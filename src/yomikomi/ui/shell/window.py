"""The window: rail, strip, stations made when first needed, notices, keys."""

from __future__ import annotations

import gc
from collections.abc import Callable, Iterator
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QAction, QCloseEvent, QKeySequence, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from yomikomi.core.errors import YomikomiError
from yomikomi.core.work.notices import Notice, Weight
from yomikomi.ui.actions import ACTIONS, STATIONS
from yomikomi.ui.appearance import APPEARANCE, Appearance, keep_appearance
from yomikomi.ui.shell.carrier_strip import CarrierStrip
from yomikomi.ui.shell.focus import FocusKeeper
from yomikomi.ui.shell.goto import GoToBox, Target
from yomikomi.ui.shell.keys_box import KeysBox
from yomikomi.ui.shell.notice_bar import NoticeBar
from yomikomi.ui.shell.page import StationPage
from yomikomi.ui.shell.rail import Rail
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState

if TYPE_CHECKING:
    from yomikomi.ui.reckoner.window import ReckonerWindow

Maker = Callable[[AppState], Station]

_USUAL_SIZE, _LEAST_SIZE = QSize(1280, 800), QSize(720, 420)
# From the last press of a key that changes how everything looks until the window opens anew.
_APPEAR_MS = 700
# Between two pieces of stations that are made while nothing else is to do.
_PIECE_MS = 10


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
        self._building: dict[str, Iterator[None]] = {}
        self.current_key = ""
        self._reckoner: ReckonerWindow | None = None
        self.setWindowTitle("Yomikomi")
        self.resize(_USUAL_SIZE)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        self.setMinimumSize(_LEAST_SIZE)
        self.reopens = self.whole = False
        self._appearance = APPEARANCE
        self._appear = QTimer(self)
        self._appear.setSingleShot(True)
        self._appear.setInterval(_APPEAR_MS)
        self._appear.timeout.connect(self._reopen)
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
        self._focus = FocusKeeper(self)

    def station(self, key: str) -> Station:
        """A station, made now if it was not yet."""
        if key not in self._stations:
            self._begin_station(key)
        for _ in self._building.pop(key, ()):
            pass
        return self._stations[key]

    def _begin_station(self, key: str) -> None:
        made = self._makers[key](self.state)
        self._stations[key] = made
        self._stack.addWidget(StationPage(made))
        self._building[key] = made.build()

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
        after.refresh()
        self._stack.setCurrentIndex(list(self._stations).index(key))
        after.entered()
        if key in {"path", "capture"} and self.state.starts_by_itself:
            from yomikomi.ui.run.house_keeper import HouseKeeper  # loaded with what copies need

            HouseKeeper(self.state).chosen()

    def make_rest_idly(self) -> None:
        """Make the stations not yet made, a piece at a time while nothing else is to do. One that cannot be made is made when it is asked
        for, and says so then too."""
        try:
            more = self._make_piece()
        except YomikomiError as error:
            self.state.tell_error(error)
            more = False
        if more:
            QTimer.singleShot(_PIECE_MS, self.make_rest_idly)
            return
        self.whole = True
        # What is there now stays: the collector need not walk through it again. Its full rounds took up to 120 ms (docs/science.md).
        gc.freeze()
        gc.enable()

    def _make_piece(self) -> bool:
        if self._building:
            key, building = next(iter(self._building.items()))
            if next(building, self) is self:
                self._building.pop(key, None)
            return True
        rest = [key for key in self._makers if key not in self._stations]
        if rest:
            self._begin_station(rest[0])
        return bool(rest)

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
            self.open_keys()
        elif key == "reckoner":
            self.open_reckoner()
        elif key in {"larger", "smaller", "usual_size", "form"}:
            self._change_appearance(key)
        elif key == "quit":
            self.close()
        elif key in {"primary", "player"}:
            station = self.station(self.current_key)
            (station.primary if key == "primary" else station.open_player)()
        else:
            self.show_station(entry.station)
            self.station(entry.station).act(key)

    def _change_appearance(self, key: str) -> None:
        """Kept at once; the window opens anew for it a moment after the last press, unless something runs."""
        old = self._appearance
        new = {
            "larger": old.larger(1), "smaller": old.larger(-1), "usual_size": Appearance(old.form), "form": old.next_form()
        }[key]  # fmt: skip
        if new == old:
            return
        try:
            keep_appearance(new)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self._appearance = new
        if self.state.jobs.jobs:
            self.state.tell(Weight.FINE, f"{new.words}: from the next start, since work is running.")
        else:
            self.state.tell(Weight.FINE, f"{new.words} …")
            self._appear.start()

    def _reopen(self) -> None:
        if not self.state.jobs.jobs and self._appearance != APPEARANCE:
            self.reopens = True
            self.close()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.notice_bar.isVisible():
            self.notice_bar.place()

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.state.records and self.isVisible() and not self._sure():
            event.ignore()
            return
        for one in self.findChildren(QWidget):
            if one.isWindow() and one.isVisible():
                one.close()  # players give their devices back
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

    def _on_carrier(self) -> None:
        if self.current_key:
            self._stations[self.current_key].refresh()

    def _on_takes(self, carriers: list[int]) -> None:
        """New takes are read without being asked for."""
        from yomikomi.ui.reading.work import ReadingWork  # what reads is loaded when first needed

        if self.state.starts_by_itself:
            ReadingWork.of(self.state).read_new(carriers)

    def read_left(self) -> None:
        """What earlier sessions left unread is read without being asked for, too."""
        from yomikomi.ui.reading.work import ReadingWork

        if self.state.starts_by_itself and not self.state.workspace.read_only:
            ReadingWork.of(self.state).read_left()

    def _on_notice(self, notice: Notice) -> None:
        self.notice_bar.tell(notice)

    def _on_target(self, target: Target) -> None:
        if target.kind == "carrier":
            self.state.choose(int(target.key))
        elif target.kind == "station":
            self.show_station(target.key)
        else:
            self.do(target.key)

    def open_keys(self) -> KeysBox:
        box = KeysBox(self)
        box.open()
        box.line.setFocus()
        return box
