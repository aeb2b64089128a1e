"""A set of copies as a form: its copies one under another, each with its name, outlets, pictures and complete recipe."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QDialog, QFileDialog, QHBoxLayout, QLineEdit, QListWidget, QVBoxLayout, QWidget

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


class SetEditor(QDialog):
    """``kept`` with the set, once it is written. ``taken``: keys of all sets; ``folder``: where own ones lie."""

    kept = Signal(object)

    def __init__(self, state: AppState, given: CopySet, folder: Path, taken: set[str], parent: QWidget) -> None:
        super().__init__(parent)
        self._state, self._given, self._folder, self._taken = state, given, folder, taken
        self.copies: list[SetCopy] = [_sized_by_recipe(one) for one in given.copies]
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
        self.fields, self.target = QComboBox(), QLineEdit()
        for words, value in _FIELDS:
            self.fields.addItem(words, value)
        self.fields.setAccessibleName("Fields")
        self.target.setAccessibleName("Folder of the copy")
        self.target.setPlaceholderText("The workspace's copies")
        self.target.setToolTip("Where the copy is put; nothing there is written over")
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
        self.target.textEdited.connect(lambda _text: self._on_changed())
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
        pick = button("Choose…", self._choose_folder, link=True, tip="A folder for this copy")
        body.addLayout(row(label("Fields"), self.fields, label("Folder"), self.target, pick))
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
        self._filling = True
        try:
            self.name.setText(one.name)
            self.outlets.choose(list(one.outlets))
            self.fields.setCurrentIndex(self.fields.findData(one.fields))
            self.target.setText(one.folder)
            self.form.put(one.recipe)
        finally:
            self._filling = False
        self._check()

    def _on_changed(self) -> None:
        line = self.list.currentRow()
        if self._filling or line < 0:
            return
        self.copies[line] = self.copies[line].model_copy(
            update={
                "name": self.name.text().strip(), "outlets": tuple(one.key for one in self.outlets.outlets),
                "fields": self.fields.currentData(), "recipe": self.form.recipe, "folder": self.target.text().strip(),
            }
        )  # fmt: skip
        self.list.item(line).setText(copy_line(self.copies[line]))
        self._check()

    def _choose_folder(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Folder for this copy", self.target.text() or str(Path.home()))
        if folder:
            self.target.setText(folder)
            self._on_changed()

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


def _sized_by_recipe(one: SetCopy) -> SetCopy:
    """Sets of before say a size as a step of the treatment; the form has it in the recipe."""
    sizes = [step for step in one.steps if isinstance(step, Size)]
    if not sizes or sizes[0].width or not sizes[0].height:
        return one
    recipe = one.recipe.model_copy(update={"lines": sizes[0].height})
    return one.model_copy(update={"recipe": recipe, "steps": tuple(step for step in one.steps if not isinstance(step, Size))})
