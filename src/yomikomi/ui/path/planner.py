"""What the Path station knows and decides, without a widget: paths found, the one chosen, how its devices are set."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.known import known_options
from yomikomi.core.path.plan import plan
from yomikomi.core.path.ranking import Ranked
from yomikomi.core.path.searching import PathRequest, PathsFound
from yomikomi.core.path.sheet import PathSheet, State, make_sheet, with_state
from yomikomi.core.path.structure import Knob, Setup, Task, Wishes
from yomikomi.core.path.trace import Trace, trace


class Planner:
    """One carrier's path on the way to a settings sheet."""

    def __init__(self) -> None:
        self.view: CarrierView | None = None
        self.found: PathsFound | None = None
        self.ranked: Ranked | None = None
        self.traced: Trace | None = None
        self.sheet: PathSheet | None = None
        self.wishes = Wishes()
        self.lost_path = ""
        self.followed = ""  # key of the path that a choice of two schools wants, until a search has found it

    def begin(self, view: CarrierView) -> None:
        """Another carrier: start from its sheet where it has one."""
        self.view, self.found, self.ranked, self.traced = view, None, None, None
        self.sheet, self.lost_path, self.followed = view.path, "", ""
        self.wishes = view.path.wishes if view.path else Wishes.usual(view.intake)

    def request(self, equipment: Equipment, task: Task) -> PathRequest:
        assert self.view is not None
        return PathRequest(self.view.id, equipment, task, self.wishes, self.sheet.path if self.sheet else None)

    def apply(self, found: PathsFound) -> bool:
        """Take in a search's answer. False when it was asked for another carrier."""
        if self.view is None or found.request.carrier_id != self.view.id:
            return False
        self.found = found
        wanted = self.sheet.path.key if self.sheet else ""
        kept = next((one for key in (self.followed, wanted) for one in found.ranked if one.path.key == key), None)
        self.followed = ""
        self.lost_path = self.sheet.route if self.sheet and kept is None else ""
        first = found.ranked[0] if found.ranked else None
        if kept is not None:
            self._use(kept, self.sheet.options if self.sheet else {})
        elif first is not None:
            self.choose(first)
        else:
            self.ranked = self.traced = None
        return True

    def choose(self, one: Ranked) -> None:
        """Another path: its devices are set as planned, but for what is known to be wrong."""
        assert self.view is not None
        self._use(one, known_options(one.trace.setup, self.view.details.condition.ticked))

    def set_option(self, knob: Knob, option: str) -> None:
        """A knob is at something; at what is planned, it is no longer told apart."""
        assert self.traced is not None
        setup = self.traced.setup
        options = {**setup.options, knob: option}
        self._retrace(replace(setup, options=options))

    def tick(self, knob: Knob, state: State) -> bool:
        """Done means: it is as the sheet says. True when that changes how the path is set."""
        assert self.traced is not None
        assert self.sheet is not None
        setup = self.traced.setup
        mended = state == "done" and knob in setup.options
        if mended:
            self._retrace(replace(setup, options={key: value for key, value in setup.options.items() if key != knob}))
        self.sheet = with_state(self.sheet, knob, state)
        return mended

    def tick_all(self, knobs: Iterable[Knob]) -> int:
        """Tick what a proof has shown; how many were open before."""
        assert self.sheet is not None
        shown = set(knobs)
        new = [item.knob for item in self.sheet.items if item.knob in shown and item.state != "done"]
        for knob in new:
            self.tick(knob, "done")
        return len(new)

    def bring_back(self, last: PathSheet) -> bool:
        """As last time: its path, wishes and settings, to be ticked anew. False when its path is not possible now."""
        self.wishes = last.wishes
        found = self.found.ranked if self.found else ()
        one = next((one for one in found if one.path.key == last.path.key), None)
        if one is None:
            return False
        self._use(one, last.options)
        return True

    def _use(self, one: Ranked, options: dict[Knob, str]) -> None:
        self.ranked = one
        self._retrace(replace(one.trace.setup, options=options))

    def _retrace(self, setup: Setup) -> None:
        """Knobs that are at what is planned, or matter no more, are left out."""
        planned = plan(replace(setup, options={}))
        kept = {knob: option for knob, option in setup.options.items() if knob in planned and planned[knob].option != option}
        self.traced = trace(replace(setup, options=kept))
        assert self.view is not None
        self.sheet = make_sheet(self.traced, carrier=f"{self.view.label} {self.view.title}".strip(), before=self.sheet)
