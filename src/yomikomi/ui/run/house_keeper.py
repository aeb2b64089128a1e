"""House rules that go by themselves, in the window."""

from __future__ import annotations

from collections.abc import Callable

from yomikomi.core.errors import YomikomiError
from yomikomi.core.house.rules import all_rules
from yomikomi.core.ledger.house import take_through
from yomikomi.core.video.units import counted
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState


class HouseKeeper:
    """Applies rules that go by themselves to a carrier that was just read."""

    def __init__(self, state: AppState, goes_on: Callable[[], None]) -> None:
        self._state, self._goes_on = state, goes_on

    def read(self, carrier_id: int) -> bool:
        """Whether rules took it; with none that suit, nothing happens."""
        view = self._state.view_of(carrier_id)
        if view is None or view.take is None or view.reading is None or view.reading.mode != "full":
            return False
        if view.copies or view.treatment is not None:  # a person went ahead
            return False
        rules = next((one for one in all_rules().values() if one.automatic and one.suits(view.kind, view.standard)), None)
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
