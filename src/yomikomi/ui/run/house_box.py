"""House rules: which there are, which of them go by themselves, and the carriers that wait for a person, answered one key each."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QInputDialog, QListWidget, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.house.rules import HouseRules, all_rules, keep_rules
from yomikomi.core.ledger.house import accept, make_rules
from yomikomi.core.ledger.house_cases import Case
from yomikomi.core.video.units import counted
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, form_body, label, row


class _Cases(QListWidget):
    """One key each; a list would look for what begins with it otherwise."""

    _KEYS: ClassVar[dict[int, str]] = {Qt.Key.Key_A: "accepted", Qt.Key.Key_H: "by hand", Qt.Key.Key_L: "left out"}

    def __init__(self, answer: Callable[[str], None]) -> None:
        super().__init__()
        self._answer = answer

    def keyPressEvent(self, event: QKeyEvent) -> None:
        found = self._KEYS.get(event.key())
        if found is not None and not event.modifiers():
            self._answer(found)
        else:
            super().keyPressEvent(event)


class HouseBox(QDialog):
    """``goes_on``: called when copies were put into the run."""

    def __init__(self, state: AppState, goes_on: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._state, self._goes_on = state, goes_on
        self._cases: list[Case] = []
        layout = form_body(self, "House rules", width=720)
        layout.addWidget(
            label(
                "What was decided for one carrier, applied to the next of its kind. Those that differ in a way that matters wait here.",
                quiet=True, wrap=True,
            )
        )  # fmt: skip
        self.choice = QComboBox()
        self.choice.setAccessibleName("House rules")
        self.choice.currentIndexChanged.connect(self._show_rules)
        self.by_itself = QCheckBox("As soon as such a carrier is read")
        self.by_itself.clicked.connect(self._set_automatic)
        self.make_button = button("Make from this carrier…", self.make, tip="From the current carrier, which was done by hand")
        layout.addLayout(row(self.choice, self.by_itself, 1, self.make_button))
        self.summary = label(quiet=True, wrap=True)
        layout.addWidget(self.summary)
        self.proposal = button("", self._use_proposal, link=True)
        layout.addWidget(self.proposal)
        self.head = label(name="section")
        layout.addWidget(self.head)
        self.list = _Cases(self.answer)
        self.list.setAccessibleName("Carriers that wait for a person")
        self.list.setMinimumHeight(180)
        layout.addWidget(self.list)
        self.accept_button = button("Go on all the same", lambda: self.answer("accepted"), tip="A: as the rules say")
        self.hand_button = button("By hand", lambda: self.answer("by hand"), tip="H: goes to its reading; the rules leave it alone")
        self.leave_button = button("Leave out", lambda: self.answer("left out"), tip="L: no copies of it")
        self.close_button = button("Close", self.close, primary=True)
        layout.addLayout(row(self.accept_button, self.hand_button, self.leave_button, 1, self.close_button))
        self._rules: list[HouseRules] = []
        self._proposed: HouseRules | None = None
        self.show_all()
        self.list.setFocus()

    def show_all(self) -> None:
        chosen = self.choice.currentIndex()
        self._rules = list(all_rules().values())
        self.choice.blockSignals(True)
        self.choice.clear()
        self.choice.addItems([one.words for one in self._rules] or ["None yet"])
        self.choice.setCurrentIndex(min(max(0, chosen), max(0, len(self._rules) - 1)))
        self.choice.blockSignals(False)
        self._cases = self._state.record.house.cases("waiting")
        place = self.list.currentRow()
        self.list.clear()
        self.list.addItems([f"{case.label}   {case.words}" for case in self._cases])
        self.list.setCurrentRow(min(max(0, place), len(self._cases) - 1))
        waits = counted(len(self._cases), "carrier waits for you", "carriers wait for you")
        self.head.setText(waits if self._cases else "No carrier waits for you")
        for one in (self.accept_button, self.hand_button, self.leave_button):
            one.setEnabled(bool(self._cases))
        self._show_rules()

    @property
    def rules(self) -> HouseRules | None:
        place = self.choice.currentIndex()
        return self._rules[place] if 0 <= place < len(self._rules) else None

    def answer(self, state: str) -> None:
        """For the carrier that is selected; the next one is selected then."""
        place = self.list.currentRow()
        if not 0 <= place < len(self._cases):
            return
        case, house = self._cases[place], self._state.record.house
        try:
            if state == "accepted":
                accept(self._state.record, case)
                self._goes_on()
            else:
                house.answered(case.id, "by hand" if state == "by hand" else "left out")
        except YomikomiError as error:
            self._state.tell_error(error)
        self._state.reload()
        if state == "by hand":
            self._state.choose(case.carrier)
            self._state.go.emit("reading")
            self.close()
            return
        self.show_all()

    def make(self) -> None:
        """From the current carrier."""
        view = self._state.current
        if view is None:
            return
        words, sure = QInputDialog.getText(self, "House rules", "What are they for?", text=f"{view.kind} like {view.label}")
        if not sure:
            return
        try:
            keep_rules(make_rules(view, words, taken=[one.key for one in self._rules]))
        except YomikomiError as error:
            self._state.tell_error(error)
        self.show_all()
        self.choice.setCurrentIndex(max(0, next((n for n, one in enumerate(self._rules) if one.words == words.strip()), 0)))

    def _show_rules(self) -> None:
        rules = self.rules
        self.by_itself.setEnabled(rules is not None)
        self.by_itself.setChecked(rules is not None and rules.automatic)
        nothing = "Decide on a carrier's treatment and copies by hand, then make rules from it."
        self.summary.setText(rules.summary if rules is not None else nothing)
        told = self._state.record.house.proposals(rules) if rules is not None else []
        self._proposed = told[0].changed if told else None
        self.proposal.setText(told[0].words if told else "")
        self.proposal.setVisible(bool(told))

    def _set_automatic(self, on: bool) -> None:
        if self.rules is not None:
            self._keep(self.rules.model_copy(update={"automatic": on}))

    def _use_proposal(self) -> None:
        if self._proposed is not None:
            self._keep(self._proposed)

    def _keep(self, rules: HouseRules) -> None:
        try:
            keep_rules(rules)
        except YomikomiError as error:
            self._state.tell_error(error)
        self.show_all()
