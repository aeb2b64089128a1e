"""Raw takes: whether each may go, which rule holds it back, and those that were let go and can be brought back."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFormLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.ledger.releases import Release
from yomikomi.core.release.judging import Judgement
from yomikomi.core.video.units import size_text
from yomikomi.ui.widgets.basics import Card, MarkShape, button, label, row, scrolled_widget

_KEPT = int(Qt.ItemDataRole.UserRole)
_STATES = {
    "held": "held", "undone": "brought back", "gone": "gone", "moving": "being moved", "undoing": "being brought back",
    "elsewhere": "held elsewhere",
}  # fmt: skip


class ReleasePage(QWidget):
    """``chosen``: of a take, to be judged; ``releases``: of takes that are ticked; ``undoes`` and ``ends``: a release by its number."""

    chosen = Signal(int)
    releases = Signal(list)
    undoes = Signal(int)
    ends = Signal(int)
    sets_rules = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.takes = QListWidget()
        self.takes.setAccessibleName("Takes that have verified copies; tick those that are to go")
        self.takes.setUniformItemSizes(True)
        self.takes.currentItemChanged.connect(self._choose)
        self.takes.itemChanged.connect(lambda _item: self._offer())
        self.card = Card(choosable=False)
        self.head = label("Choose a take to see whether it may go", name="section", wrap=True)
        self.form = QFormLayout()
        self.form.setVerticalSpacing(6)
        holder = QWidget()
        inside = QVBoxLayout(holder)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addLayout(self.form)
        inside.addStretch(1)
        self.card.body.setContentsMargins(18, 12, 18, 12)
        self.card.body.addWidget(self.head)
        self.card.body.addWidget(scrolled_widget(holder), 1)
        self.rules_button = button("Rules…", self.sets_rules.emit, tip="How many copies, on how many drives, looked at how often, how old")
        tip = "Those that are ticked, if all rules hold after their copies were read again"
        self.release_button = button("Release raw takes…", self._release, tip=tip)
        self.held = QListWidget()
        self.held.setAccessibleName("Takes that were released")
        self.held.currentItemChanged.connect(lambda _now, _before: self._offer())
        self.undo_button = button("Bring it back", self._undo)
        self.end_button = button("Remove for good…", self._end, tip="Once its term is over")
        left = QVBoxLayout()
        left.setSpacing(8)
        left.addWidget(label("Raw takes with verified copies", name="section"))
        left.addWidget(self.takes, 1)
        left.addLayout(row(self.rules_button, 1, self.release_button))
        upper = row(spacing=20)
        upper.addLayout(left, 2)
        upper.addWidget(self.card, 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(12)
        layout.addLayout(upper, 5)
        layout.addLayout(row(label("Released", name="section"), 1, self.end_button, self.undo_button))
        layout.addWidget(self.held, 2)
        self._offer()

    def show_takes(self, takes: list[tuple[int, str]], released: list[Release]) -> None:
        """``takes``: number and words of each that has a verified copy and is there."""
        ticked, before = set(self.ticked), self._take
        self.takes.blockSignals(True)
        self.takes.clear()
        for take, words in takes:
            item = QListWidgetItem(words)
            item.setData(_KEPT, take)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if take in ticked else Qt.CheckState.Unchecked)
            self.takes.addItem(item)
        self.takes.blockSignals(False)
        place = next((number for number, (take, _) in enumerate(takes) if take == before), 0)
        self.takes.setCurrentRow(place if takes else -1)
        if not takes:
            self.show_judgement(None)
        self.held.clear()
        for one in released:
            until = f" until {one.until[:10]}" if one.state == "held" else ""
            over = ", its term is over" if one.state == "held" and one.over else ""
            item = QListWidgetItem(f"{one.label}   {one.file}, {size_text(one.bytes)}: {_STATES.get(one.state, one.state)}{until}{over}")
            item.setData(_KEPT, one)
            self.held.addItem(item)
        self.held.setCurrentRow(0 if released else -1)
        self._offer()

    def show_judgement(self, judged: Judgement | None) -> None:
        while self.form.rowCount():
            self.form.removeRow(0)
        if judged is None:
            self.head.setText("No raw take has a verified copy yet")
            return
        failed = sum(not one.held for one in judged.results)
        fails = f"{judged.label} may not go: {failed} of {len(judged.results)} rules fail."
        self.head.setText(f"{judged.label} may go: every rule holds." if judged.may else fails)
        for one in judged.results:
            words = one.found + (f"\n{one.needed}" if one.needed else "")
            name = QWidget()
            name.setLayout(row(MarkShape("fine" if one.held else "fault"), label(one.rule), 1))
            name.setMinimumWidth(150)
            self.form.addRow(name, label(words, wrap=True))

    @property
    def ticked(self) -> list[int]:
        items = (self.takes.item(number) for number in range(self.takes.count()))
        return [item.data(_KEPT) for item in items if item.checkState() is Qt.CheckState.Checked]

    @property
    def _take(self) -> int | None:
        item = self.takes.currentItem()
        return item.data(_KEPT) if item is not None else None

    @property
    def _held(self) -> Release | None:
        item = self.held.currentItem()
        return item.data(_KEPT) if item is not None else None

    def _offer(self) -> None:
        held = self._held
        self.release_button.setEnabled(bool(self.ticked))
        self.undo_button.setEnabled(held is not None and held.can_undo)
        self.end_button.setEnabled(held is not None and held.can_undo and held.over and held.way == "holding")

    def _choose(self, now: QListWidgetItem | None, _before: object) -> None:
        if now is not None:
            self.chosen.emit(now.data(_KEPT))

    def _release(self) -> None:
        if self.ticked:
            self.releases.emit(self.ticked)

    def _undo(self) -> None:
        if self._held is not None:
            self.undoes.emit(self._held.id)

    def _end(self) -> None:
        if self._held is not None:
            self.ends.emit(self._held.id)
