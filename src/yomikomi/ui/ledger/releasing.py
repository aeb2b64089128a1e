"""Releasing raw takes from the window: read again, judged, asked once more with the list to sign, moved."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtWidgets import QDialog, QListWidget, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.video.units import counted
from yomikomi.core.work.notices import Weight
from yomikomi.ui.ledger.keeper import LedgerKeeper
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, form_body, label, row


class SignBox(QDialog):
    """The list of takes that will go, to be signed by the one who works here."""

    def __init__(self, lines: Sequence[str], who: str, way: str, days: float, sign: Callable[[], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._sign = sign
        count = counted(len(lines), "raw take", "raw takes")
        layout = form_body(self, f"Release {count}", width=620)
        where = "the desktop's trash" if way == "trash" else "the folder released/ of the workspace"
        words = f"Their copies were just read again, and every rule holds. They go to {where}, which frees no room yet, and can be brought"
        layout.addWidget(label(f"{words} back for {days:g} days. Keep the original carriers.", wrap=True))
        self.list = QListWidget()
        self.list.setAccessibleName("Takes that will go")
        self.list.addItems(list(lines))
        self.list.setMinimumHeight(150)
        layout.addWidget(self.list)
        self.sign_button = button(f"Release as {who}", self.sign, primary=True)
        layout.addLayout(row(1, button("Keep them", self.reject), self.sign_button))

    def sign(self) -> None:
        self.accept()
        self._sign()


class Releasing:
    """``shown``: called when the ledger is to be shown anew."""

    def __init__(self, state: AppState, keeper: LedgerKeeper, parent: QWidget, shown: Callable[[], None]) -> None:
        self._state, self._keeper, self._parent, self._shown = state, keeper, parent, shown
        self.box: SignBox | None = None

    def release(self, takes: list[int]) -> None:
        """First everything is read again."""
        if self._state.may_write():
            self._keeper.hash_all(lambda: self._check(takes))

    def _check(self, takes: list[int]) -> None:
        files = [one for take in takes for one in self._state.record.files.of_take(take)]
        self._keeper.check(files, told=False, then=lambda: self._ask(takes))

    def _ask(self, takes: list[int]) -> None:
        judged = {take: self._state.record.releases.judge(take) for take in takes}
        may = [take for take, one in judged.items() if one.may]
        held = [one for one in judged.values() if not one.may]
        if held:
            first = held[0].results[0]
            words = f"{counted(len(held), 'take stays', 'takes stay')}: {held[0].label}, {first.rule}: {first.found}."
            self._state.tell(Weight.LOOK, words, first.needed)
        self._shown()
        if not may:
            return
        rules = self._state.record.releases.rules()
        lines = [f"{judged[take].label}: all {len(judged[take].results)} rules hold" for take in may]
        self.box = SignBox(lines, rules.who, rules.release.way, rules.release.term_days, lambda: self._go(may), self._parent)
        self.box.open()

    def _go(self, takes: list[int]) -> None:
        gone = 0
        for take in takes:
            try:
                self._state.record.releases.release(take)
                gone += 1
            except YomikomiError as error:
                self._state.tell_error(error)
        if gone:
            self._state.tell(Weight.FINE, f"{counted(gone, 'raw take', 'raw takes')} released.", "They can be brought back in the Ledger.")
        self._state.reload()
        self._shown()

    def undo(self, number: int) -> None:
        self._do(lambda: self._state.record.releases.undo(number), "The raw take is back.")

    def end(self, number: int) -> None:
        """Its copies are read again first."""
        takes = [one.take_id for one in self._state.record.releases.all() if one.id == number]
        files = [one for take in takes for one in self._state.record.files.of_take(take)]
        goes = self._state.record.releases.end_term
        self._keeper.check(files, told=False, then=lambda: self._do(lambda: goes(number), "The raw take is gone; its record stays."))

    def _do(self, what: Callable[[], object], words: str) -> None:
        try:
            what()
        except YomikomiError as error:
            self._state.tell_error(error)
        else:
            self._state.tell(Weight.FINE, words)
        self._state.reload()
        self._shown()
