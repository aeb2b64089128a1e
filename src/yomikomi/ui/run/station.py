"""Copies being made and waiting: the night on a clock, the list in its order, one copy in detail."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import datetime

from PySide6.QtCore import QModelIndex, Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QAbstractItemView, QComboBox, QHeaderView, QTableView

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.run_before import Line, before_start
from yomikomi.core.ledger.run_outlook import RunList
from yomikomi.core.ledger.run_rows import RunRow
from yomikomi.core.ledger.sentences import run_headline
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.run.executors.local import THIS_MACHINE
from yomikomi.core.run.rules import RunRules
from yomikomi.ui.run.before_box import BeforeBox
from yomikomi.ui.run.clock import NightClock
from yomikomi.ui.run.details import CopyDetails
from yomikomi.ui.run.house_box import HouseBox
from yomikomi.ui.run.model import ROW_ROLE, RunModel, Shown, StateDelegate
from yomikomi.ui.run.picture import PictureWatch
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.run.rules_box import RulesBox
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import ElidedLabel, button, row
from yomikomi.ui.widgets.empty import EmptyNote

_FILTERS: dict[Shown, str] = {"all": "All copies", "to make": "To make", "attention": "Need a person", "done": "Ended"}
# What runs is looked at so often while nothing else happens.
_LOOK_MS = 1000


class RunStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.queue = CopyQueue.of(state)
        self._list = RunList()
        self.outlook = self._list.look({}, rules=RunRules(), slots=1, now=datetime.now().astimezone())
        self._shown: RunRow | None = None
        self._speed: dict[int, tuple[int, float, float | None]] = {}
        self.clock = NightClock()
        self.model = RunModel()
        self.table = QTableView()
        purpose = "Copies are made here, one after another, also overnight."
        self.empty = EmptyNote(purpose, "Choose a copy in Balance and add it to the run.")
        self.page.addWidget(self.empty, 1)
        self.page.addWidget(self.clock)

    def build(self) -> Iterator[None]:
        yield
        self._set_table()
        self.table.setMinimumHeight(96)
        self.page.addWidget(self.table, 5)
        yield
        self.details = CopyDetails(self._does)
        self._pictures = PictureWatch(self.state, self.details.show_picture)
        self.page.addWidget(self.details, 2)
        self.filter = QComboBox()
        self.filter.setAccessibleName("Which copies are shown")
        for key, words in _FILTERS.items():
            self.filter.addItem(words, key)
        self.filter.currentIndexChanged.connect(self._filter)
        self.rules_button = button("Hours and end…", self.open_rules, tip="When it may run, how many at once, what happens at the end")
        self.pause_button = button("Pause the run", self.toggle_pause)
        self.next_button = button("Start the run", self.primary, primary=True, tip="Ctrl+Return")
        self.next_button.setMinimumWidth(150)
        self.note = ElidedLabel()
        self.before_button = button("Check the run…", self.look_ahead, tip="Room, names, sound, time, power: before it is left alone")
        self.house_button = button("House rules…", self.open_house, tip="What goes through by itself, and the carriers that wait for you")
        foot = row(
            self.filter, self.note, self.house_button, self.before_button, self.rules_button, self.pause_button, self.next_button
        )
        foot.setStretch(1, 1)
        self.page.addLayout(foot)
        for keys, what in (("Alt+Up", "sooner"), ("Alt+Down", "later"), ("Delete", "stop")):
            QShortcut(QKeySequence(keys), self.table, lambda what=what: self._does(what), context=Qt.ShortcutContext.WidgetShortcut)
        self.clock.chosen.connect(self.choose)
        self.queue.changed.connect(self._on_change)
        self.queue.moved.connect(self._on_progress)
        self._ticks = QTimer(self)
        self._ticks.setInterval(_LOOK_MS)
        self._ticks.timeout.connect(self._on_progress)

    def _set_table(self) -> None:
        self.table.setModel(self.model)
        self.table.setItemDelegateForColumn(0, StateDelegate(self.table))
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.table.setDragDropOverwriteMode(False)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(30)
        self.table.setShowGrid(False)
        self.table.setWordWrap(False)
        self.table.setAccessibleName("Copies of the run, in their order")
        head = self.table.horizontalHeader()
        head.setHighlightSections(False)
        for column, width in enumerate((190, 96, 0, 170, 150, 150)):
            if width:
                self.table.setColumnWidth(column, width)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.model.dropped.connect(lambda copy, before: self.queue.do(lambda driver: driver.place_before(copy, before or None)))
        self.table.selectionModel().currentRowChanged.connect(lambda _now, _before: self._show_details())

    # What is so

    def show_carrier(self, _view: CarrierView | None) -> None:
        """All of the run, whatever carrier is current. Rows are read anew where something about them changed."""
        rows = self.state.record.run_rows
        self._list.put(rows.changed())
        if rows.has_more:  # thousands are read in pieces, and shown when all are
            QTimer.singleShot(0, self.refresh)
        else:
            self._show()

    @property
    def progress(self) -> dict[int, CopyProgress]:
        """Of copies that have a process, begun or about to be."""
        found = {}
        for running in self.queue.driver.running.values():
            told = running.handle.progress
            step = "encoding" if running.work.kind == "encode" else "verifying"
            found[running.work.copy] = told if isinstance(told, CopyProgress) else CopyProgress(step, 0.0, 0, 0, 0.0)
        return found

    @property
    def _workers(self) -> dict[int, str]:
        """Which machines make which copy; of this one alone nothing is said."""
        running = self.queue.driver.running.values()
        return {one.work.copy: one.handle.worker for one in running if one.handle.worker != THIS_MACHINE}

    def _look(self) -> None:
        """What moves by itself: bars, parts, times."""
        progress, driver = self.progress, self.queue.driver
        now = datetime.now().astimezone()
        self.outlook = self._list.look(progress, rules=driver.rules, slots=driver.scheduler.slots, now=now)
        self.model.put(self.outlook, progress)
        self.clock.show_night(self.outlook, driver.rules, self.selected, self._workers)

    def _show(self) -> None:
        self._look()
        if not self.table.currentIndex().isValid() and self.model.rows:
            self.table.selectRow(0)
        driver, some = self.queue.driver, bool(self.outlook.by_copy)
        self.sentence.say(*run_headline(self.outlook, on=driver.on, rules=driver.rules, away=driver.away))
        for widget in (self.clock, self.table, self.details):
            widget.setVisible(some)
        self.empty.setVisible(not some)
        self.filter.setVisible(some)
        self._show_details()
        self._show_next()

    def _show_next(self) -> None:
        driver, waits = self.queue.driver, bool(self.outlook.live)
        stands = waits and (not driver.on or driver.rules.paused)
        stands_words = "Resume the run" if driver.rules.paused else "Start the run"
        self.next_button.setText(stands_words if stands else "Open the ledger" if self.outlook.by_copy else "Go to Balance")
        cases = self.state.record.house.count("waiting")
        self.house_button.setText(f"House rules ({cases})…" if cases else "House rules…")
        self.before_button.setVisible(waits)
        self.pause_button.setVisible(waits and driver.on and not driver.rules.paused)
        end = {"nothing": "", "quit": "then closes", "suspend": "then suspends the machine", "power off": "then powers off the machine"}
        hours = f"runs {driver.rules.hours.words}" if driver.rules.hours else ""
        self.note.say(" · ".join(part for part in (hours, self.queue.executor.words, end[driver.rules.at_end]) if part))

    def _show_details(self) -> None:
        """The record is asked only where something about the copy changed: what happened to it is a line of its row's job."""
        one = self._selected_row
        if one is None or one is not self._shown:
            copy = self.state.record.copies.one(one.copy) if one is not None and not one.live else None
            self.details.show_copy(one, copy, self.state.record.jobs.views(one.copy) if one is not None else [])
            self._shown = one
        if one is not None:
            self.details.show_end(one, self.outlook.bars.get(one.copy))
        self._show_speed()

    def _show_speed(self) -> None:
        one, progress = self._selected_row, self.progress.get(self.selected)
        self._pictures.look(self.queue.driver.running.values(), self.selected, progress)
        if one is None or progress is None:
            return
        frames, at, speed = self._speed.get(one.copy, (progress.frames, time.monotonic(), None))
        now = time.monotonic()
        if progress.frames < frames:
            frames, at, speed = progress.frames, now, None
        elif now - at > 1.0:
            fresh = (progress.frames - frames) / (now - at)
            speed = fresh if speed is None else 0.6 * speed + 0.4 * fresh
            frames, at = progress.frames, now
        self._speed[one.copy] = frames, at, speed
        self.details.show_progress(
            one, progress, self.outlook.bars.get(one.copy), speed=speed, stopped=one.paused or one.held,
            worker=self._workers.get(one.copy, ""),
        )  # fmt: skip

    def _on_change(self) -> None:
        if self.isVisible():
            self.refresh()

    def _on_progress(self) -> None:
        if self.isVisible():
            self._look()
            self._show_speed()

    @property
    def selected(self) -> int:
        """The copy that is, 0: none."""
        index: QModelIndex = self.table.currentIndex()
        one: RunRow | None = index.data(ROW_ROLE) if index.isValid() else None
        return one.copy if one is not None else 0

    @property
    def _selected_row(self) -> RunRow | None:
        return self.outlook.by_copy.get(self.selected)

    # What a person wants

    def entered(self) -> None:
        self.queue.start_next()
        self._ticks.start()
        self.table.setFocus()

    def left(self) -> None:
        self._ticks.stop()

    def choose(self, copy: int) -> None:
        place = self.model.row_of(copy)
        if place >= 0:
            self.table.selectRow(place)

    def primary(self) -> None:
        driver = self.queue.driver
        if not self.outlook.by_copy:
            self.state.go.emit("balance")
        elif not self.outlook.live or (driver.on and not driver.rules.paused):
            self.state.go.emit("ledger")
        elif driver.rules.paused:
            self.toggle_pause()
        else:
            self.queue.start_next()

    def toggle_pause(self) -> None:
        rules = self.queue.driver.rules
        self._use(rules.model_copy(update={"paused": not rules.paused}))

    def open_rules(self) -> None:
        RulesBox(self.queue.driver.rules, self._use, self, cluster=self.queue.executor.can_use_cluster).open()

    def open_house(self) -> None:
        HouseBox(self.state, self.queue.start_next, self).open()

    def look_ahead(self) -> None:
        """In a thread: it takes half a second, and drives may be slow."""
        outlook, rules, record = self.outlook, self.queue.driver.rules, self.state.record
        desktop = self.queue.watch.desktop
        self.before_button.setEnabled(False)
        self.state.calls.call("before", lambda: before_start(record.copies, outlook, rules, desktop), self._show_before, self._no_before)

    def _show_before(self, lines: list[Line]) -> None:
        self.before_button.setEnabled(True)
        BeforeBox(lines, self).open()

    def _no_before(self, error: YomikomiError) -> None:
        self.before_button.setEnabled(True)
        self.state.tell_error(error)

    def _use(self, rules: RunRules) -> None:
        self.queue.set_rules(rules)
        if not rules.paused:
            self.queue.start_next()

    def _filter(self, _place: int) -> None:
        self.model.shown = self.filter.currentData()
        self._show()

    def _does(self, what: str) -> None:
        """With the copy that is selected."""
        one = self._selected_row
        if one is None:
            return
        copy = one.copy
        if what == "keep":
            self.queue.keep(copy)
        elif what in {"sooner", "later"}:
            self._move(one, -1 if what == "sooner" else 1)
        elif what == "stop" and one.live:
            self.queue.stop([copy])
        elif what == "retry":
            self.queue.do(lambda driver: driver.retry([copy]))
            self.queue.start_next()
        elif what == "hold":
            self.queue.do(lambda driver: driver.hold([copy]))
        elif what == "release":
            self.queue.do(lambda driver: driver.release([copy]))
        self.choose(copy)

    def _move(self, one: RunRow, by: int) -> None:
        waiting = [row.copy for row in self.outlook.live if row.state == "waiting"]
        if one.copy not in waiting:
            return
        rest = [copy for copy in waiting if copy != one.copy]
        place = max(0, min(len(rest), waiting.index(one.copy) + by))
        before = rest[place] if place < len(rest) else None
        self.queue.do(lambda driver: driver.place_before(one.copy, before))
