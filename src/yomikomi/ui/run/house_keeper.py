"""House rules that go by themselves, in the window."""

from __future__ import annotations

from collections.abc import Callable

from yomikomi.core.errors import YomikomiError
from yomikomi.core.house.rules import HouseRules, all_rules
from yomikomi.core.ledger.house import prepare, take_through
from yomikomi.core.video.units import counted
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState


class HouseKeeper:
    """Applies rules that go by themselves: to a carrier that is to be captured, and to one that was just read."""

    def __init__(self, state: AppState, goes_on: Callable[[], None] = lambda: None) -> None:
        self._state, self._goes_on = state, goes_on

    def chosen(self) -> None:
        """The current carrier, before its capture: the path and the codec that rules for its kind say."""
        spine = self._state.chosen
        if spine is None or spine.take is not None or spine.unfit or self._state.workspace.read_only or not self._state.starts_by_itself:
            return
        rules = self._rules_for(spine.kind, spine.standard)
        view = self._state.view_of(spine.id) if rules is not None and (rules.sheet or rules.record_as) else None
        if rules is None or view is None:
            return
        try:
            done = prepare(self._state.record, view, rules.sheet, rules.record_as)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        if done:
            self._state.tell(Weight.FINE, f"{view.label} goes by “{rules.words}”: {'; '.join(done)}.", "Set the devices as Path says.")
            self._state.reload()

    @staticmethod
    def _rules_for(kind: str, standard: str | None) -> HouseRules | None:
        return next((one for one in all_rules().values() if one.automatic and one.suits(kind, standard)), None)

    def read(self, carrier_id: int) -> bool:
        """Whether rules took it; with none that suit, nothing happens."""
        view = self._state.view_of(carrier_id)
        if view is None or view.take is None or view.reading is None or view.reading.mode != "full":
            return False
        if view.copies or view.treatment is not None:  # a person went ahead
            return False
        rules = self._rules_for(view.kind, view.standard)
        if rules is None or self._state.record.house.has(view.take.id):
            return False
        try:
            found = take_through(self._state.record, view, rules)
        except YomikomiError as error:
            self._state.tell_error(error)
            return False
        self._state.reload()
        if found:
            self._state.tell(Weight.LOOK, f"{view.label} waits for you: {found[0].words}.", "Answer it under House rules in Run.")
        else:
            made = counted(len(rules.copies), "copy", "copies")
            self._state.tell(Weight.FINE, f"{view.label} goes by “{rules.words}”: {made} in the run.")
            self._goes_on()
        return True
