"""Keeps the machine awake while something is made or recorded, and sees to what happens when nothing is left to make."""

from __future__ import annotations

import contextlib
import time
from datetime import datetime

from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QApplication, QDialog, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.run_report import make_report, write_report
from yomikomi.core.run.desktop.dbus import DBusDesktop
from yomikomi.core.run.desktop.face import Desktop, Release
from yomikomi.core.run.driver import Driver
from yomikomi.core.run.ending import Ending
from yomikomi.core.run.rules import AtEnd
from yomikomi.core.work.new_file import free_name
from yomikomi.core.work.notices import Notice, Weight
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, form_body, label, row

_WHY = "Copies are being made, or a recording is running"
_DEEDS: dict[AtEnd, str] = {"quit": "The program closes", "suspend": "The machine is suspended", "power off": "The machine powers off"}


class NightWatch(QObject):
    """``desktop``: asked in threads, since a service may take its time. One of its own for each window."""

    def __init__(self, state: AppState, driver: Driver, desktop: Desktop | None = None) -> None:
        super().__init__(state)
        self._state, self._driver = state, driver
        self.begun: datetime | None = None
        self._release: Release | None = None
        self._asked_awake = False
        self.box: EndingBox | None = None
        self._quits = False
        self._said = ""
        self._writes = False
        self.use(desktop or DBusDesktop())
        state.jobs.closes.connect(self._sleep)

    def use(self, desktop: Desktop) -> None:
        self.desktop = desktop
        self.ending = Ending(desktop, self._wish_to_quit, time.monotonic, lambda: not self._state.records)

    def look(self) -> None:
        """To be called now and then."""
        begun = self._driver.take_begun()
        runs = bool(self._driver.running) or begun is not None
        self.begun = self.begun or begun
        self._stay_awake(runs or self._state.records)
        idle = self._driver.on and not runs and self._driver.idle and not self._driver.rules.paused
        if runs:
            self.ending.tick(self._driver.rules, idle=False, running=True, report=("", ""))
            self._show(None)
        elif self.ending.worked and idle and not self.ending.over:
            if self.begun is not None:
                begun, self.begun, self._writes = self.begun, None, True
                self._state.calls.call("run report", lambda: self._write(begun), self._on_written, self._on_unwritten)
            if not self._writes:
                told = ("The run is done", self._said)
                self._state.calls.call("ending", lambda: self._tick(told), self._show)

    def stop(self) -> None:
        """A person is there."""
        self.ending.stop()
        self._show(None)

    def _tick(self, told: tuple[str, str]) -> float | None:
        self.ending.tick(self._driver.rules, idle=True, running=False, report=told)
        return self.ending.left_s

    def _show(self, left: float | None) -> None:
        if self.ending.trouble:
            self._state.tell(Weight.LOOK, self.ending.trouble, "The run is done all the same.")
            self.ending.trouble = ""
        if left is None and self.box is not None:
            self.box.close()
            self.box = None
        elif left is not None:
            if self.box is None:
                self.box = EndingBox(_DEEDS.get(self._driver.rules.at_end, ""), self.stop, QApplication.activeWindow())
                self.box.show()
            self.box.say(left)
        if self._quits:
            self._quits = False
            QApplication.closeAllWindows()

    def _write(self, begun: datetime) -> tuple[str, Notice | None]:
        """The report of what ended since then is kept in the workspace: its sentence, and what is to be told. A thread's work: of a long
        run it takes a second."""
        report = make_report(self._state.record.run_rows.since(begun), begun)
        if not report.lines:
            return "", None
        folder = self._state.workspace.folder / "reports"
        try:
            folder.mkdir(exist_ok=True)
            path = free_name(folder, f"run-{begun:%Y-%m-%d-%H%M}", ".html")
            write_report(report, path)
        except (YomikomiError, OSError) as error:
            trouble = f"The report of the run could not be written: {error}."
            return report.sentence, Notice(Weight.LOOK, trouble, "yomikomi run report tells it.")
        weight = Weight.LOOK if report.need_person else Weight.FINE
        told = Notice(weight, report.sentence, f"{report.next_step} The report lies in reports/{path.name}.")
        return report.sentence, told if len(report.lines) > 1 else None

    def _on_written(self, found: tuple[str, Notice | None]) -> None:
        self._writes = False
        self._said, notice = found
        if notice is not None:
            self._state.notices.pass_on(notice)

    def _on_unwritten(self, error: YomikomiError) -> None:
        self._writes = False
        self._state.tell_error(error)

    def _wish_to_quit(self) -> None:
        self._quits = True

    def _stay_awake(self, wanted: bool) -> None:
        if wanted and not self._asked_awake:
            self._asked_awake = True
            self._state.calls.call("stay awake", lambda: self.desktop.keep_awake(_WHY), self._on_awake, stale_allowed=True)
        elif not wanted and self._asked_awake:
            self._sleep()

    def _on_awake(self, release: Release | None) -> None:
        if not self._asked_awake and release is not None:
            release()
            return
        self._release = release

    def _sleep(self) -> None:
        self._asked_awake = False
        if self._release is not None:
            with contextlib.suppress(OSError):
                self._release()
            self._release = None


class EndingBox(QDialog):
    """The countdown, above whatever is shown; it stops by a key, a click, or by being closed."""

    def __init__(self, words: str, stop: object, parent: QWidget | None) -> None:
        super().__init__(parent)
        self._words, self._stop = words, stop
        self.setWindowFlag(Qt.WindowType.WindowStaysOnTopHint)
        layout = form_body(self, "The run is done", width=420)
        self.told = label(wrap=True)
        layout.addWidget(self.told)
        self.stop_button = button("Stop the countdown", self.reject, primary=True)
        layout.addLayout(row(1, self.stop_button))

    def say(self, left: float) -> None:
        self.told.setText(f"{self._words} in {left:.0f} s.")

    def reject(self) -> None:
        assert callable(self._stop)
        self._stop()
        super().reject()
