"""A set of copies as a form: its copies one under another, each with its name, outlets, pictures and complete recipe."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QDialog, QHBoxLayout, QLineEdit, QListWidget, QVBoxLayout, QWidget

from yomikomi.core.errors import YomikomiError
from yomikomi.core.recipes.recipe import recipe_for
from yomikomi.core.sets.model import CopySet, SetCopy, keep_set, key_for, shipped_sets
from yomikomi.core.sets.sentences import copy_line, set_trouble
from yomikomi.core.treatment.steps import Size
from yomikomi.core.work.text import what_is_wrong
from yomikomi.ui.balance.outlets_button import OutletsButton
from yomikomi.ui.balance.recipe_form import RecipeForm
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import button, form_body, label, row

_FIELDS = (("As treated", "treated"), ("Interlaced pictures stay so", "kept"))
_SIZES = (("As treated", 0), *((f"{lines} lines", lines) for lines in (2160, 1440, 1080, 720, 576, 480, 360)))


class SetEditor(QDialog):
    """``kept`` with the set, once it is written. ``taken``: keys of all sets; ``folder``: where own ones lie."""

    kept = Signal(object)

    def __init__(self, state: AppState, given: CopySet, folder: Path, taken: set[str], parent: QWidget) -> None:
        super().__init__(parent)
        self._state, self._given, self._folder, self._taken = state, given, folder, taken
        self.copies: list[SetCopy] = list(given.copies)
        self._filling = False
        body = form_body(self, "Edit a set of copies", width=880)
        self.words = QLineEdit(given.words)
        self.words.setMaxLength(80)
        self.words.setAccessibleName("Name of the set")
        self.list = QListWidget()
        self.list.setAccessibleName("Copies of the set")
        self.list.setFixedHeight(84)
        self.list.currentRowChanged.connect(self._show_copy)
        self.name = QLineEdit()
        self.name.setMaxLength(40)
        self.name.setAccessibleName("Name of the copy")
        self.name.setToolTip("Added to the file's name, so that copies of a set never meet")
        self.outlets = OutletsButton([])
        self.fields, self.lines = QComboBox(), QComboBox()
        for words, value in _FIELDS:
            self.fields.addItem(words, value)
        for words, lines in _SIZES:
            self.lines.addItem(words, lines)
        self.fields.setAccessibleName("Fields")
        self.lines.setAccessibleName("Picture size")
        self.form = RecipeForm(self.copies[0].recipe)
        self.wrong = label("", wrap=True)
        self.add_button = button("Add a copy", self.add_copy)
        self.remove_button = button("Remove this copy", self.remove_copy)
        self.keep_button = button("Keep this set", self.keep, primary=True)
        self._lay_out(body)
        self.words.textEdited.connect(lambda _text: self._check())
        self.name.textEdited.connect(lambda _text: self._on_changed())
        self.outlets.chosen.connect(self._on_changed)
        self.fields.currentIndexChanged.connect(self._on_changed)
        self.lines.currentIndexChanged.connect(self._on_changed)
        self.form.changed.connect(self._on_changed)
        self._list(0)

    def _lay_out(self, body: QVBoxLayout) -> None:
        body.addLayout(row(label("Set"), self.words))
        beside = QVBoxLayout()
        beside.addWidget(self.add_button)
        beside.addWidget(self.remove_button)
        beside.addStretch(1)
        copies = QHBoxLayout()
        copies.addWidget(self.list, 1)
        copies.addLayout(beside)
        body.addLayout(copies)
        body.addLayout(row(label("Copy"), self.name, label("Outlets"), self.outlets))
        body.addLayout(row(label("Fields"), self.fields, label("Size"), self.lines, 1))
        body.addWidget(self.form)
        body.addWidget(self.wrong)
        body.addLayout(row(1, button("Cancel", self.reject), self.keep_button))

    @property
    def edited(self) -> CopySet:
        """Raises ValidationError for what is no set: two copies of one name, a name that no file can have."""
        return CopySet.model_validate({"key": self._key, "words": self.words.text().strip(), "copies": [dict(one) for one in self.copies]})

    @property
    def _key(self) -> str:
        """An own set keeps its own; one that ships is never hidden by another of its key."""
        if self._given.key not in shipped_sets():
            return self._given.key
        return key_for(self.words.text(), self._taken)

    def add_copy(self) -> None:
        """Another one, like none of the others."""
        names = {one.name.casefold() for one in self.copies}
        name = next(f"copy {number}" for number in range(1, 99) if f"copy {number}" not in names)
        self.copies.append(SetCopy(name=name, recipe=recipe_for("h264", 20)))
        self._list(len(self.copies) - 1)

    def remove_copy(self) -> None:
        if len(self.copies) > 1:
            del self.copies[self.list.currentRow()]
            self._list(max(0, min(self.list.currentRow(), len(self.copies) - 1)))

    def keep(self) -> None:
        """Written, and told."""
        try:
            wanted = self.edited
            keep_set(wanted, self._folder / f"{wanted.key}.json")
        except ValidationError:
            return
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self.kept.emit(wanted)
        self.accept()

    def _list(self, chosen: int) -> None:
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([copy_line(one) for one in self.copies])
        self.list.setCurrentRow(chosen)
        self.list.blockSignals(False)
        self._show_copy(chosen)

    def _show_copy(self, line: int) -> None:
        if not 0 <= line < len(self.copies):
            return
        one = self.copies[line]
        size = next((step.height for step in one.steps if isinstance(step, Size)), 0)
        self._filling = True
        try:
            self.name.setText(one.name)
            self.outlets.choose(list(one.outlets))
            self.fields.setCurrentIndex(self.fields.findData(one.fields))
            self.lines.setCurrentIndex(max(0, self.lines.findData(size)))
            self.form.put(one.recipe)
        finally:
            self._filling = False
        self._check()

    def _on_changed(self) -> None:
        line = self.list.currentRow()
        if self._filling or line < 0:
            return
        before, lines = self.copies[line], self.lines.currentData()
        others = tuple(step for step in before.steps if not isinstance(step, Size))
        self.copies[line] = before.model_copy(
            update={
                "name": self.name.text().strip(), "outlets": tuple(one.key for one in self.outlets.outlets),
                "fields": self.fields.currentData(), "recipe": self.form.recipe,
                "steps": (*others, Size(height=lines)) if lines else others,
            }
        )  # fmt: skip
        self.list.item(line).setText(copy_line(self.copies[line]))
        self._check()

    def _check(self) -> None:
        """What stands in the way of keeping it is said, and the button waits."""
        wrong = set_trouble(self.words.text(), self.copies)
        try:
            for one in () if wrong else self.edited.copies:
                one.recipe.check()
        except ValidationError as error:
            wrong = what_is_wrong(error)
        except YomikomiError as error:
            wrong = f"{error} {error.remedy}"
        self.wrong.setText(wrong)
        self.wrong.setVisible(bool(wrong))
        self.keep_button.setEnabled(not wrong)
        self.remove_button.setEnabled(len(self.copies) > 1)
        self.add_button.setEnabled(len(self.copies) < 12)
