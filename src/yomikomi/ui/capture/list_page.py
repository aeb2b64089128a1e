"""The list of an unattended session: carriers in order, prompts, expected ends."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from yomikomi.core.capture.session_list import CaptureList, expected_words
from yomikomi.core.ledger.views import CarrierView
from yomikomi.ui.widgets.basics import Card, button, label, menu_button, row

_STATE_WORDS = {
    "waiting": "waits", "recording": "is being recorded", "done": "recorded",
    "troubled": "look at it", "skipped": "left out",
}  # fmt: skip


class ListPage(QWidget):
    """``added`` carries the carrier's id; ``confirmed`` says that the carrier asked for was inserted."""

    added = Signal(int)
    removed = Signal(int)
    moved = Signal(int, int)
    confirmed = Signal()
    skipped = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.shown = CaptureList()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(8)
        self.prompt_card = Card(choosable=False)
        self.prompt = label(name="section", wrap=True)
        self.confirm_button = button("It is in: record", self.confirmed.emit, tip="Ctrl+Shift+N")
        self.skip_button = button("Leave it out", self.skipped.emit, link=True)
        self.prompt_card.body.addWidget(self.prompt)
        self.prompt_card.body.addLayout(row(self.confirm_button, self.skip_button, 1))
        layout.addWidget(self.prompt_card)
        layout.addWidget(label("Carriers to record, one after another", quiet=True, wrap=True))
        self.list = QListWidget()
        self.list.setAccessibleName("Capture list")
        layout.addWidget(self.list, 1)
        self._add_menu = menu_button("Add", [])
        self.up_button = button("Earlier", lambda: self._move(-1), link=True)
        self.down_button = button("Later", lambda: self._move(1), link=True)
        self.remove_button = button("Take off", self._remove, link=True)
        layout.addLayout(row(self._add_menu, 1, self.up_button, self.down_button, self.remove_button))
        self.ends = label(quiet=True, wrap=True)
        layout.addWidget(self.ends)

    def show_list(self, captures: CaptureList, carriers: Sequence[CarrierView], *, now: datetime, running_s: float) -> None:
        self.shown = captures
        chosen = self.list.currentRow()
        self.list.clear()
        ends = captures.ends(now, running_s=running_s)
        for entry, end in zip(captures.entries, ends, strict=True):
            when = f", until {end:%H:%M}" if end is not None else ""
            note = f" · {entry.note}" if entry.note else ""
            item = QListWidgetItem(f"{entry.label}  {entry.title}\n{_STATE_WORDS[entry.state]}, {expected_words(entry)}{when}{note}")
            item.setData(Qt.ItemDataRole.UserRole, entry.carrier_id)
            self.list.addItem(item)
        self.list.setCurrentRow(min(chosen, len(captures.entries) - 1))
        self.prompt.setText(
            captures.prompt or ("A pass is running." if captures.entries else "The list is empty: add the carriers of this session.")
        )
        waiting = captures.current is not None and captures.current.state == "waiting"
        self.confirm_button.setEnabled(waiting)
        self.skip_button.setEnabled(waiting)
        last = next((end for end in reversed(ends) if end is not None), None)
        self.ends.setText(f"All of it until {last:%H:%M}, with four minutes for each change." if last is not None else "")
        self._fill_menu(carriers, captures)

    def _fill_menu(self, carriers: Sequence[CarrierView], captures: CaptureList) -> None:
        menu = self._add_menu.menu()
        menu.clear()
        listed = {entry.carrier_id for entry in captures.entries}
        for view in carriers:
            if view.has_player and not view.unfit and view.id not in listed:
                menu.addAction(f"{view.label}  {view.title}", partial(self.added.emit, view.id))
        self._add_menu.setEnabled(bool(menu.actions()))

    def _chosen(self) -> int | None:
        item = self.list.currentItem()
        return None if item is None else int(item.data(Qt.ItemDataRole.UserRole))

    def _move(self, by: int) -> None:
        if (chosen := self._chosen()) is not None:
            self.list.setCurrentRow(max(0, self.list.currentRow() + by))
            self.moved.emit(chosen, by)

    def _remove(self) -> None:
        if (chosen := self._chosen()) is not None:
            self.removed.emit(chosen)
