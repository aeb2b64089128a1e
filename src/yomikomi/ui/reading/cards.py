"""Verdict cards: the finding in a line, what to do, and the reason while it is looked at."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from yomikomi.core.reading.cards.finding import Finding, Mark
from yomikomi.ui.widgets.basics import Card, CardColumn, MarkShape, label, row, scrolled

# Cards made in one turn of the event loop, so that the window stays quick while many are made.
_AT_A_TIME = 2


class FindingCard(Card):
    """One verdict: mark, title, certainty, what to do; the reason under it while it is chosen."""

    def __init__(self, finding: Finding) -> None:
        super().__init__()
        self.finding = finding
        self.body.setSpacing(2)
        title = label(finding.title, wrap=True)
        head = row(MarkShape(finding.mark.value), title, label(finding.certainty, figure=True, quiet=True), spacing=10)
        head.setStretch(1, 1)
        self.body.addLayout(head)
        more = f"{len(finding.frames)} places: N for the next, P for the one before" if len(finding.frames) > 1 else ""
        self._lines = [label(words, quiet=True, wrap=True) for words in (finding.advice, finding.reason, more)]
        for line in self._lines:
            line.setContentsMargins(24, 0, 0, 0)
            self.body.addWidget(line)
        self.setAccessibleName(f"{finding.mark.value}: {finding.title}, {finding.certainty}. {finding.reason}. {finding.advice}")
        self.mark_chosen(False)

    def mark_chosen(self, on: bool) -> None:
        super().mark_chosen(on)
        advice, reason, more = self._lines
        advice.setVisible(on or self.finding.mark is not Mark.FINE)
        reason.setVisible(on)
        more.setVisible(on and bool(more.text()))


class FindingList(QWidget):
    """All cards of a reading; says which one was chosen."""

    card_chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._column = CardColumn()
        self._column.setSpacing(6)
        self._waiting: list[Finding] = []
        self._chosen: Finding | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(scrolled(self._column))

    @property
    def cards(self) -> list[FindingCard]:
        """All of them, those still waiting made at once."""
        while self._waiting:
            self._add_some()
        return self._column.all_of(FindingCard)

    @property
    def chosen(self) -> Finding | None:
        return self._chosen

    def show_findings(self, findings: list[Finding], *, topic: str = "") -> None:
        """Put these in place of what is there; the first of ``topic`` is chosen."""
        self._column.clear()
        self._waiting = list(findings)
        self._chosen = next((one for one in findings if one.topic == topic), None)
        self._column.addStretch(1)
        self._add_some()

    def choose(self, finding: Finding) -> None:
        self._chosen = finding
        for card in self.cards:
            card.mark_chosen(card.finding is finding)
        self.card_chosen.emit(finding)

    def _add_some(self) -> None:
        for finding in self._waiting[:_AT_A_TIME]:
            card = FindingCard(finding)
            card.mark_chosen(finding is self._chosen)
            card.chosen.connect(lambda one=finding: self.choose(one))
            self._column.insertWidget(self._column.count() - 1, card)
        del self._waiting[:_AT_A_TIME]
        if self._waiting:
            QTimer.singleShot(0, self, self._add_some)
