"""Running a list of carriers without somebody at the desk: prompts, passes that end by themselves, and a word when one is over."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any, Protocol

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication, QWidget

from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.session_list import CaptureList, Entry
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.structure import Task
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.work.notices import Weight
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.stand_ins import stand_in
from yomikomi.ui.capture.list_page import ListPage
from yomikomi.ui.state import AppState

_SHOW_EVERY_S = 5.0


class Desk(Protocol):
    """What the runner needs of the station."""

    @property
    def recording(self) -> bool: ...

    def begin(self) -> None: ...


class SessionRunner(QObject):
    def __init__(self, state: AppState, page: ListPage, desk: Desk) -> None:
        super().__init__(page)
        self._state, self._page, self._desk = state, page, desk
        self.list = CaptureList()
        self._shown_at = -_SHOW_EVERY_S
        page.added.connect(self.add)
        page.removed.connect(lambda carrier: self._put(self.list.without(carrier)))
        page.moved.connect(lambda carrier, by: self._put(self.list.moved(carrier, by)))
        page.confirmed.connect(self.confirm)
        page.skipped.connect(self._skip)

    def show(self, running_s: float = 0.0) -> None:
        now = datetime.now(UTC).astimezone()
        self._page.show_list(self.list, self._state.carriers, now=now, running_s=running_s)

    def tick(self, running_s: float) -> None:
        if self.list.entries and abs(running_s - self._shown_at) >= _SHOW_EVERY_S:
            self._shown_at = running_s
            self.show(running_s)

    def add(self, carrier_id: int) -> None:
        view = self._state.view_of(carrier_id)
        if view is not None:
            self._put(self.list.with_carrier(Entry(view.id, view.label, view.title, view.nominal_seconds)))

    def confirm(self) -> None:
        """The carrier that was asked for lies in the player: record it."""
        entry = self.list.current
        if entry is None or entry.state != "waiting" or self._desk.recording:
            return
        self._state.choose(entry.carrier_id)
        self._put(self.list.marked(entry.carrier_id, "recording"))
        self._desk.begin()
        if not self._desk.recording:
            self._put(self.list.marked(entry.carrier_id, "troubled", "could not be begun"))

    def ended(self, result: CaptureResult | None) -> None:
        """A pass is over; the next carrier is asked for."""
        entry = next((one for one in self.list.entries if one.state == "recording"), None)
        if entry is None:
            return
        good = result is not None and not result.trouble
        note = result.ended or result.trouble if result is not None else "the recording was cut off"
        self._put(self.list.marked(entry.carrier_id, "done" if good else "troubled", note))
        self._state.tell(Weight.FINE if good else Weight.LOOK, f"{entry.label} is over. {self.list.prompt}")
        # In whatever program the person is: the window asks for them, and is heard.
        window = self._page.window()
        if isinstance(window, QWidget):
            QApplication.alert(window)
        QApplication.beep()

    def use_source(self, view: CarrierView, document: dict[str, Any] | None) -> None:
        """Write down where the carrier's pictures come from; None: the simulation."""
        source = document or simulation_of(view)
        if source is not None:
            self._state.record.shelf.change(view.id, view.intake, source=source)
            self._state.reload()

    def _skip(self) -> None:
        if (entry := self.list.current) is not None and entry.state == "waiting":
            self._put(self.list.marked(entry.carrier_id, "skipped"))

    def _put(self, captures: CaptureList) -> None:
        self.list = captures
        self.show()


def simulation_of(view: CarrierView) -> dict[str, Any] | None:
    """The simulated player or camera that stands in for a carrier."""
    if kind_of(view.kind).way != "live":
        return stand_in(view.kind, view.standard, seed=view.id, seconds=view.nominal_seconds)
    row = FORMATS[Task.of(view.intake).picture_format]
    return FeedSpec(row.width, row.height, row.rate, row.interlaced, seed=view.id).to_json()
