"""The condition check: questions of a kind of carrier, and the caution the moment one is answered with yes."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from yomikomi.core.planning.carriers import CAUTIONS, CHECKS, kind_of
from yomikomi.core.planning.intake import Condition
from yomikomi.core.work.text import capital
from yomikomi.ui.widgets.basics import MarkShape, label

MARKS = {"fine": "fine", "care": "check", "unfit": "fault", "not checked": "undetermined"}


class ConditionCheck(QWidget):
    """Emits ``changed`` when an answer did."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._boxes: dict[str, QCheckBox] = {}
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(4)
        self.mark, self.words = MarkShape("undetermined"), label(wrap=True)
        head = QHBoxLayout()
        head.setSpacing(8)
        head.addWidget(self.mark)
        head.addWidget(self.words, 1)
        self._layout.addLayout(head)
        self.looked = QCheckBox("I have looked at it")
        self.looked.toggled.connect(self._tell)
        self._layout.addWidget(self.looked)
        self._questions = QVBoxLayout()
        self._questions.setSpacing(4)
        self._layout.addLayout(self._questions)
        self.caution = label(wrap=True)
        self._layout.addWidget(self.caution)
        self._kind = ""

    def show_kind(self, kind: str) -> None:
        """Ask what is asked of this kind; answers to questions that both kinds share stay."""
        if kind == self._kind:
            return
        kept = self.condition
        self._kind = kind
        for box in self._boxes.values():
            box.hide()
            box.deleteLater()
        self._boxes = {}
        for key in kind_of(kind).checks:
            box = QCheckBox(CHECKS[key].question)
            box.setMinimumWidth(40)
            box.setToolTip(CHECKS[key].question)
            box.toggled.connect(self._tell)
            self._questions.addWidget(box)
            self._boxes[key] = box
        self.show_condition(kept)

    def show_condition(self, condition: Condition) -> None:
        for widget in (self.looked, *self._boxes.values()):
            widget.blockSignals(True)
        self.looked.setChecked(condition.looked)
        for key, box in self._boxes.items():
            box.setChecked(key in condition.ticked)
        for widget in (self.looked, *self._boxes.values()):
            widget.blockSignals(False)
        self._show()

    def box(self, key: str) -> QCheckBox:
        return self._boxes[key]

    @property
    def condition(self) -> Condition:
        return Condition(looked=self.looked.isChecked(), ticked=tuple(key for key, box in self._boxes.items() if box.isChecked()))

    def _tell(self) -> None:
        self._show()
        self.changed.emit()

    def _show(self) -> None:
        condition = self.condition
        self.mark.show_mark(MARKS[condition.verdict])
        words = condition.words
        self.words.setText(capital(words))
        cautions = dict.fromkeys(CAUTIONS[caution].words for key in condition.ticked if (caution := CHECKS[key].caution))
        self.caution.setText("\n".join(cautions))
        self.caution.setVisible(bool(cautions))
