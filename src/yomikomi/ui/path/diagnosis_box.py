"""Where has it gone? What is seen and heard at the left, the causes with their probability in the middle, one question at a time."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QCheckBox, QDialog, QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.path.diagnosis import Diagnosis, Suspect
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.path.structure import Setup
from yomikomi.core.video.delivery import SYMPTOMS
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import Card, CardColumn, Sentence, button, label, row, scrolled

_SHOWN = 6  # causes listed


class _Likely(QWidget):
    """A probability as a bar, for the eye; the figure stands beside it."""

    def __init__(self, share: float) -> None:
        super().__init__()
        self._share = share
        self.setFixedSize(120, 10)
        self.setAccessibleName(f"Likely to {100 * share:.0f} %")

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(theme.LINE))
        painter.fillRect(QRectF(0, 0, self.width() * self._share, self.height()), QColor(theme.ACCENT))


class DiagnosisBox(QDialog):
    """Emits ``blamed`` with the Cause that the person found to be so."""

    blamed = Signal(object)

    def __init__(self, setup: Setup, sheet: PathSheet, parent: QWidget, *, seen: Iterable[str] = ()) -> None:
        super().__init__(parent)
        self._setup, self._sheet = setup, sheet
        self.diagnosis: Diagnosis | None = None
        self.setWindowTitle("Trace a fault")
        self.resize(980, 660)
        self.sentence = Sentence()
        self.boxes: dict[str, QCheckBox] = {}
        ticks = CardColumn()
        ticks.setSpacing(2)
        for key, symptom in SYMPTOMS.items():
            box = QCheckBox(symptom.words)
            box.setChecked(key in set(seen))
            box.toggled.connect(self._begin)
            self.boxes[key] = box
            ticks.addWidget(box)
        ticks.addStretch(1)
        left = QVBoxLayout()
        left.addWidget(label("Symptoms", name="section"))
        left.addWidget(scrolled(ticks), 1)
        self.causes = CardColumn()
        self.causes.setContentsMargins(0, 0, 12, 0)
        self.question = Card(choosable=False)
        self._ask, self._how = label(wrap=True), label(quiet=True, wrap=True)
        self._ask.setFont(theme.sans(theme.TITLE_PX))
        self.yes, self.no = button("Yes", lambda: self._answer("yes"), primary=True), button("No", lambda: self._answer("no"))
        self.skip = button("Don't know", self._skip, link=True)
        self.question.body.addWidget(self._ask)
        self.question.body.addWidget(self._how)
        self.question.body.addLayout(row(self.yes, self.no, self.skip, 1))
        right = QVBoxLayout()
        right.setSpacing(10)
        right.addWidget(self.question)
        right.addWidget(label("Possible causes", name="section"))
        right.addWidget(scrolled(self.causes), 1)
        body = QHBoxLayout()
        body.setSpacing(20)
        body.addLayout(left, 2)
        body.addLayout(right, 3)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(24, 16, 24, 16)
        layout.setSpacing(12)
        layout.addWidget(self.sentence)
        layout.addLayout(body, 1)
        layout.addLayout(row(button("Start over", self._begin, link=True), 1, button("Close", self.reject)))
        self._skipped: set[str] = set()
        self._begin()

    def _begin(self) -> None:
        seen = [key for key, box in self.boxes.items() if box.isChecked()]
        self._skipped = set()
        done = [item.knob for item in self._sheet.items if item.state == "done"]
        unsure = [item.knob for item in self._sheet.unsure]
        self.diagnosis = Diagnosis(self._setup, seen, verified=done, unsure=unsure) if seen else None
        self._show()

    def _answer(self, outcome: str) -> None:
        if self.diagnosis is not None and self._test is not None:
            self.diagnosis.answer(self._test.key, outcome)
            self._show()

    def _skip(self) -> None:
        if self._test is not None:
            self._skipped.add(self._test.key)
            self._show()

    def _show(self) -> None:
        hunt = self.diagnosis
        self._test = hunt.next_test(self._skipped) if hunt else None
        self.question.setVisible(self._test is not None)
        self.causes.clear()
        if hunt is None:
            self.sentence.say("Tick the symptoms.", "Everything on this path that can cause them is listed, most likely first")
            self.causes.addStretch(1)
            return
        suspects = hunt.suspects()
        sure = hunt.sure
        if sure is not None:
            self.sentence.say(sure.words, sure.remedy)
        elif self._test is not None:
            asked = len(hunt.answers)
            self.sentence.say(
                "Answer one question at a time, the most useful first.",
                f"{asked} answered · answers change the odds, none excludes a cause" if asked else "Every answer changes the odds",
            )
        else:
            self.sentence.say("No further question separates the causes.", "Try the remedies from the top")
        if self._test is not None:
            self._ask.setText(self._test.question)
            self._how.setText(f"{self._test.how}  About {_minutes(self._test.minutes)}.")
        for one in suspects[:_SHOWN]:
            self.causes.addWidget(self._cause_card(one))
        rest = sum(one.probability for one in suspects[_SHOWN:])
        if rest > 0.005:
            self.causes.addWidget(label(f"{len(suspects) - _SHOWN} others: {100 * rest:.0f} %", quiet=True))
        self.causes.addStretch(1)

    def _cause_card(self, suspect: Suspect) -> Card:
        card = Card(choosable=False)
        figure = label(f"{100 * suspect.probability:3.0f} %", figure=True)
        card.body.addLayout(row(_Likely(suspect.probability), figure, 1, button("That was it", lambda: self._blame(suspect), link=True)))
        card.body.addWidget(label(suspect.cause.words, wrap=True))
        card.body.addWidget(label(suspect.cause.remedy, quiet=True, wrap=True))
        card.setAccessibleName(f"{100 * suspect.probability:.0f} per cent: {suspect.cause.words} {suspect.cause.remedy}")
        return card

    def _blame(self, suspect: Suspect) -> None:
        self.accept()
        self.blamed.emit(suspect.cause)


def _minutes(minutes: float) -> str:
    return f"{60 * minutes:.0f} s" if minutes < 1 else f"{minutes:.0f} min"
