"""How the run goes on: hours, how many at once, what happens at the end."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime, time, timedelta

from PySide6.QtCore import QTime
from PySide6.QtWidgets import QCheckBox, QComboBox, QDialog, QFormLayout, QLineEdit, QTimeEdit, QWidget

from yomikomi.core.run.hours import Hours
from yomikomi.core.run.rules import AtEnd, Beside, RunRules, Where
from yomikomi.ui import theme
from yomikomi.ui.widgets.basics import beside, button, form_body, label, number_box, row

_AT_END: dict[AtEnd, str] = {
    "nothing": "Nothing", "quit": "Close the program", "suspend": "Suspend the machine", "power off": "Power off the machine",
}  # fmt: skip
_BESIDE: dict[Beside, str] = {"beside": "Beside other work: one encoder, lowest priority", "all": "All of the machine"}
_WHERE: dict[Where, str] = {"here": "This machine", "cluster": "The workers of the cluster"}


class RulesBox(QDialog):
    """``done``: receives the rules as they were set; ``cluster``: whether this machine knows one."""

    def __init__(self, rules: RunRules, done: Callable[[RunRules], None], parent: QWidget, *, cluster: bool = False) -> None:
        super().__init__(parent)
        self._rules, self._done = rules, done
        layout = form_body(self, "How the run goes on", width=520)
        self.hours = QCheckBox("Only between")
        self.hours.setChecked(rules.hours is not None)
        self.begin = _time("From", rules.hours.begin if rules.hours else time(22))
        self.end = _time("to", rules.hours.end if rules.hours else time(6))
        self.deadline = QCheckBox("All done by")
        self.deadline.setChecked(rules.deadline is not None)
        self.by = _time("By", rules.deadline.time() if rules.deadline else time(7))
        self.beside = QComboBox()
        self.beside.setAccessibleName("How much of the machine")
        for beside_key, words in _BESIDE.items():
            self.beside.addItem(words, beside_key)
        self.beside.setCurrentIndex(list(_BESIDE).index(rules.beside))
        self.where = QComboBox()
        self.where.setAccessibleName("Which machines make the copies")
        for where_key, words in _WHERE.items():
            self.where.addItem(words, where_key)
        self.where.setCurrentIndex(list(_WHERE).index(rules.where))
        if not cluster and rules.where == "here":
            self.where.setEnabled(False)
            self.where.setToolTip("yomikomi cluster use tells this machine of a cluster (docs/cluster.md)")
        self.at_once = number_box("Encoders at once", 0, 64)
        self.at_once.setSpecialValueText("as many as fit")
        self.at_once.setValue(rules.at_once or 0)
        self.at_end = QComboBox()
        self.at_end.setAccessibleName("When nothing is left to make")
        for end_key, words in _AT_END.items():
            self.at_end.addItem(words, end_key)
        self.at_end.setCurrentIndex(list(_AT_END).index(rules.at_end))
        self.command = QLineEdit(rules.command)
        self.command.setAccessibleName("A command to run at the end")
        self.command.setPlaceholderText("none")
        form = QFormLayout()
        form.setVerticalSpacing(9)
        form.addRow("Hours", beside(self.hours, self.begin, label("and"), self.end, 1))
        form.addRow("Deadline", beside(self.deadline, self.by, 1))
        form.addRow("Made on", self.where)
        form.addRow("This machine", self.beside)
        form.addRow("Encoders at once", self.at_once)
        form.addRow("At the end", self.at_end)
        form.addRow("Command at the end", self.command)
        layout.addLayout(form)
        layout.addWidget(
            label(
                "Outside the hours what runs stands still, and goes on from there. Powering off and suspending begin with a countdown that "
                "can be stopped. The command runs with your rights; it is given nothing.", quiet=True, wrap=True,
            )
        )  # fmt: skip
        self.use = button("Use these rules", self.accept, primary=True)
        layout.addLayout(row(1, button("Cancel", self.reject), self.use))
        for box, fields in ((self.hours, (self.begin, self.end)), (self.deadline, (self.by,))):
            for field in fields:
                field.setEnabled(box.isChecked())
                box.toggled.connect(field.setEnabled)

    def accept(self) -> None:
        begin, end = _of(self.begin), _of(self.end)
        hours = Hours(begin=begin, end=end) if self.hours.isChecked() and begin != end else None
        at_end: AtEnd = self.at_end.currentData()
        beside_key: Beside = self.beside.currentData()
        where: Where = self.where.currentData()
        rules = self._rules.model_copy(update={
            "hours": hours, "where": where, "beside": beside_key, "at_once": self.at_once.value() or None, "at_end": at_end,
            "command": self.command.text().strip(), "deadline": next_time(_of(self.by)) if self.deadline.isChecked() else None,
        })  # fmt: skip
        self._done(rules)
        super().accept()


def next_time(at: time, now: datetime | None = None) -> datetime:
    """When the clock shows that next."""
    now = now or datetime.now().astimezone()
    found = now.replace(hour=at.hour, minute=at.minute, second=0, microsecond=0)
    return found if found > now else found + timedelta(days=1)


def _time(name: str, at: time) -> QTimeEdit:
    made = QTimeEdit(QTime(at.hour, at.minute))
    made.setDisplayFormat("HH:mm")
    made.setAccessibleName(name)
    made.setMinimumWidth(96)
    theme.inset(made)
    return made


def _of(field: QTimeEdit) -> time:
    return time(field.time().hour(), field.time().minute())
