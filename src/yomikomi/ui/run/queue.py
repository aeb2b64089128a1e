"""The run behind the window: one for all stations."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cached_property

from PySide6.QtCore import QObject, QTimer, Signal

from yomikomi.core.balance.models import Prediction
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.run_queue import ask_copy, ask_set
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.outlets.model import Outlet
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.run.driver import Driver
from yomikomi.core.run.executors.choice import ChosenExecutor
from yomikomi.core.run.rules import RunRules, Where
from yomikomi.core.sets.planning import PlannedCopy
from yomikomi.core.video.units import counted
from yomikomi.core.work.notices import Weight
from yomikomi.ui.run.executor import WindowExecutor
from yomikomi.ui.run.night_watch import NightWatch
from yomikomi.ui.state import AppState

_POLL_MS = 500


class CopyQueue(QObject):
    """What is asked for is written down and made in its turn. ``changed`` when anything did, ``moved`` when a job came further."""

    changed = Signal()
    moved = Signal()
    _said = Signal(str, str)  # by threads that talk with other machines

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.setObjectName("copy queue")
        self._state = state
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self._poll)

    @classmethod
    def of(cls, state: AppState) -> CopyQueue:
        """The one queue of a window."""
        found = state.findChild(cls, "copy queue")
        return found if found is not None else cls(state)

    @cached_property
    def driver(self) -> Driver:
        """Begun when first asked for: the record is opened by then."""
        self._said.connect(lambda words, remedy: self._state.tell(Weight.LOOK, words, remedy))
        self.executor = ChosenExecutor(WindowExecutor(self._state.jobs, self.moved.emit), self._said.emit)
        driver = Driver(
            self._state.record.jobs, self.executor, told=self._state.notices.pass_on, aside=self._aside, ended=self._reload,
        )  # fmt: skip
        self._choose_machines(driver.rules.where)
        self._state.jobs.closes.connect(self.executor.close)
        self._state.jobs.closes.connect(driver.close)
        self._timer.start()
        self.watch = NightWatch(self._state, driver)
        return driver

    def ask(self, view: CarrierView, recipe: Recipe, predicted: Prediction | None, outlet: Outlet | None = None) -> int:
        """Put a copy of a carrier's take into the run, which goes on with it."""
        copy_id = ask_copy(self._state.record, view, recipe, predicted, outlet)
        self.start_next()
        return copy_id

    def ask_set(self, view: CarrierView, planned: Sequence[PlannedCopy], predicted: Sequence[Prediction | None]) -> None:
        """Put all copies of a set into the run, which goes on with them."""
        asked = ask_set(self._state.record, view, planned, predicted)
        self._state.tell(Weight.FINE, f"{counted(len(asked), 'copy', 'copies')} of {view.label} in the run.")
        self.start_next()

    def start_next(self) -> None:
        """Go on with what waits."""
        if self._state.jobs.closing or self._state.workspace.read_only:
            return
        self.do(lambda driver: driver.go())

    def do(self, what: Callable[[Driver], object]) -> None:
        """Something that a person wants of the run; what cannot be written down is told."""
        if not self._state.may_write():
            return
        try:
            what(self.driver)
        except YomikomiError as error:
            self._state.tell_error(error)
        self._reload()

    def set_rules(self, rules: RunRules) -> None:
        self.do(lambda driver: driver.set_rules(rules))
        self._choose_machines(rules.where)

    def _choose_machines(self, where: Where) -> None:
        try:
            self.executor.use(where)
        except YomikomiError as error:
            self._state.tell(Weight.LOOK, f"{error.message} Copies are made on this machine.", error.remedy)

    def stop(self, copies: Iterable[int]) -> None:
        self.do(lambda driver: driver.cancel(copies))

    def keep(self, copy_id: int) -> None:
        """A copy that failed a check gets its name all the same, since a person says so."""
        try:
            kept = self._state.record.copies.keep(copy_id)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self._state.tell(Weight.LOOK, f"{kept.name} is kept; it stays marked as not verified.")
        self._reload()

    def _reload(self) -> None:
        """The station that is shown hears of it by that."""
        self._state.reload()

    def _poll(self) -> None:
        if self._state.jobs.closing:
            self._timer.stop()
        else:
            if self.driver.poll():
                self.changed.emit()
            self.watch.look()

    def _aside(self, work: Callable[[], None]) -> None:
        self._state.calls.call("clearing up", work, lambda _answer: None, stale_allowed=True)
