"""Copies being made and waiting."""

from __future__ import annotations

from datetime import datetime

from PySide6.QtWidgets import QProgressBar

from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.ledger.run_queue import plan
from yomikomi.core.ledger.sentences import run_headline
from yomikomi.core.ledger.views import CopyView
from yomikomi.core.video.timecode import clock, spoken
from yomikomi.core.video.units import size_text
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Card, CardColumn, ElidedLabel, MarkShape, button, label, row, scrolled

MARKS = {
    "verified": ("fine", "verified"), "doubtful": ("fault", "a check failed"), "failed": ("fault", "failed"),
    "kept": ("check", "kept, not verified"),
    "cancelled": ("check", "stopped"), "running": ("undetermined", "running"), "waiting": ("undetermined", "waiting"),
}  # fmt: skip


def mark_of(copy: CopyView) -> tuple[str, str]:
    """The mark and the word for a copy's state; one that is good but cannot be better than its source asks to be looked at."""
    if copy.state == "verified" and copy.result is not None and copy.result.reserves:
        return "check", "verified, see note"
    return MARKS[copy.state]


class CopyCard(Card):
    """One copy: its state, its prediction, a way to stop it."""

    def __init__(self, copy: CopyView, queue: CopyQueue, starts: datetime | None, ends: datetime | None) -> None:
        super().__init__(choosable=False)
        self.copy, self._queue = copy, queue
        mark, words = mark_of(copy)
        name = ElidedLabel(copy.file.name, middle=True)
        head = row(MarkShape(mark), label(copy.carrier, figure=True), name, label(words, quiet=True), spacing=12)
        head.setStretch(2, 1)
        self.body.addLayout(head)
        told = copy.predicted
        predicted = "no prediction"
        if told:
            seconds = told.encode_seconds
            span = f"{spoken(seconds.low)} – {spoken(seconds.high)}"
            predicted = f"predicted {size_text(told.size_bytes.expected)} in {spoken(seconds.expected)} ({span})"
        clock_words = ""
        if starts is not None and ends is not None:
            clock_words = f" · about {starts:%H:%M} to {ends:%H:%M}"
        actual = ""
        if copy.result:
            actual = f" · actual {size_text(copy.result.size_bytes)} in {spoken(copy.result.encode_seconds)}"
        trouble = f" · {copy.trouble}" if copy.trouble else ""
        if copy.result and not copy.result.verified:
            trouble = " · " + "; ".join(f"{check.name}: {check.found}" for check in copy.result.checks if not check.passed) + trouble
        detail = label(f"{copy.recipe.words} · {predicted}{clock_words}{actual}{trouble}", quiet=True, wrap=True)
        detail.setContentsMargins(26, 0, 0, 0)
        self.body.addWidget(detail)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        if copy.state == "running":
            self.stop_button = button("Stop", queue.stop, tip="The unfinished copy is removed; the take is untouched")
            foot = row(self.bar, self.stop_button)
            foot.setStretch(0, 1)
            self.body.addLayout(foot)
        elif copy.state == "waiting":
            self.body.addLayout(row(1, button("Remove", lambda: queue.forget(copy.id))))
        elif copy.state == "doubtful" and copy.result is not None:
            tip = f"Renames {copy.file.name} to {copy.path.name}; it stays marked as not verified"
            self.keep_button = button("Keep anyway", lambda: queue.keep(copy.id), tip=tip)
            self.body.addLayout(row(1, self.keep_button))

    def show_progress(self, progress: CopyProgress) -> None:
        self.bar.setValue(round(progress.part * 1000))
        left = f" · {clock(progress.seconds_left)} left" if progress.seconds_left else ""
        self.bar.setFormat(
            f"{progress.step} {progress.part * 100:.0f} % · {progress.frames} frames · {size_text(progress.bytes_written)}{left}"
        )


class RunStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.queue = CopyQueue.of(state)
        self._shown: list[tuple[int, str]] = []
        self.cards_box = CardColumn()
        self.page.addWidget(scrolled(self.cards_box), 1)
        self.ledger_button = button("Open the ledger", self.primary, primary=True, tip="Ctrl+Return")
        self.ledger_button.setMinimumWidth(150)
        self.page.addLayout(
            row(label("Every finished copy is decoded in full and checked.", quiet=True), 1, self.ledger_button)
        )
        self.queue.changed.connect(self.refresh)

    @property
    def cards(self) -> list[CopyCard]:
        return self.cards_box.all_of(CopyCard)

    def entered(self) -> None:
        self.queue.start_next()

    def primary(self) -> None:
        self.state.go.emit("ledger")

    def refresh(self) -> None:
        """Cards anew when the list changed, else only the progress."""
        progress = self.queue.job.progress if self.queue.job else None
        if self._list_changed():
            self._fill()
        if isinstance(progress, CopyProgress):
            for card in self.cards:
                if card.copy.state == "running":
                    card.show_progress(progress)

    def _list_changed(self) -> bool:
        now = [(copy.id, copy.state) for view in self.state.carriers for copy in view.copies]
        changed = now != self._shown or not self.cards_box.count()
        self._shown = now
        return changed

    def _fill(self) -> None:
        self.cards_box.clear()
        copies = self.state.record.copies.all()
        ended = [c for c in reversed(copies) if c.state not in {"running", "waiting"}]
        live = plan(copies, datetime.now().astimezone())
        for one in live:
            self.cards_box.addWidget(CopyCard(one.copy, self.queue, one.starts, one.ends))
        for copy in ended[:30]:
            self.cards_box.addWidget(CopyCard(copy, self.queue, None, None))
        self.cards_box.addStretch(1)
        self.sentence.say(*run_headline(live, ended))

