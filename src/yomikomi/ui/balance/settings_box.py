"""All settings of a copy: the complete recipe, and what it comes to on this footage as it is changed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QDialog, QFileDialog, QGridLayout, QProgressBar, QWidget

from yomikomi.core.balance import sentences
from yomikomi.core.balance.by_hand import ByHand, notches, told_by_hand
from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.offer import Offer
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.documents import read_recipe, write_recipe
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.ui.balance.recipe_form import RecipeForm
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import CardColumn, Sentence, button, form_body, label, restyle, row

_FILES = "Recipes (*.json)"


class SettingsBox(QDialog):
    """``chosen`` with a Prediction that a person wants."""

    chosen = Signal(object)

    def __init__(self, state: AppState, view: CarrierView, offer: Offer, recipe: Recipe, parent: QWidget) -> None:
        super().__init__(parent)
        self._state, self._view, self._offer = state, view, offer
        self._measured: dict[Recipe, Prediction] = {}
        self.job: Job | None = None
        body = form_body(self, "All settings of the copy", width=820)
        self.sentence = Sentence()
        self.form = RecipeForm(recipe)
        self.form.changed.connect(self._tell)
        self.remarks = CardColumn()
        self.notches = QGridLayout()
        self.notches.setVerticalSpacing(2)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.hide()
        self.try_button = button("Run a trial of it", self.run_trial)
        self.use_button = button("Use these settings", self._use, primary=True)
        body.addWidget(self.sentence)
        body.addWidget(self.form)
        body.addLayout(self.remarks)
        body.addLayout(self.notches)
        body.addWidget(self.bar)
        open_button = button("Open a recipe…", self._open, link=True, tip="A recipe that was saved, from a JSON file")
        save_button = button("Save this recipe…", self._save, link=True, tip="As a JSON file; the command line takes it with --recipe")
        body.addLayout(row(open_button, save_button, 1, button("Cancel", self.reject), self.try_button, self.use_button))
        self.finished.connect(lambda _how: self._stop())
        self._tell()

    @property
    def told(self) -> ByHand:
        """What the settings come to."""
        return self._told

    def run_trial(self) -> None:
        """Of these settings alone, in a worker."""
        view, recipe = self._view, self.form.recipe
        if self.job is not None or view.take is None or view.judged is None or view.treatment is None:
            return
        request = PredictRequest(view.take.path, view.judged, view.treatment, recipe, viewing=self._offer.wanted.viewing)
        self.job = self._state.jobs.start(
            predict, request, name="trial of one recipe", resource="processor", on_progress=self._on_progress,
            on_end=lambda job: self._on_end(job, recipe),
        )  # fmt: skip
        self.bar.setValue(0)
        self.bar.show()
        self._buttons()

    def _on_progress(self, job: Job) -> None:
        self.bar.setValue(round(1000 * job.progress.part))

    def _on_end(self, job: Job, recipe: Recipe) -> None:
        if job is not self.job:
            return
        self.job = None
        self.bar.hide()
        if job.state is JobState.DONE:
            self._measured[recipe] = job.result
        elif job.state is not JobState.CANCELLED:
            self._state.tell_end(job)
        self._tell()

    def _tell(self) -> None:
        """The settings were changed: what they come to, at once."""
        recipe = self.form.recipe
        told = told_by_hand(self._offer, recipe)
        measured = self._measured.get(recipe)
        self._told = ByHand(recipe, measured, remarks=told.remarks) if measured is not None and not told.wrong else told
        told = self._told
        self.sentence.say(*sentences.by_hand_headline(told.prediction, reason=told.reason, wrong=told.wrong))
        self.remarks.clear()
        for words in told.remarks:
            self.remarks.addWidget(label(words, wrap=True))
        self._show_notches(recipe)
        self._buttons()

    def _show_notches(self, recipe: Recipe) -> None:
        while (item := self.notches.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        for line, notch in enumerate(notches(self._offer, recipe)):
            head, means = sentences.notch_words(notch.words, notch.recipe, notch.told)
            take = button(head, self._setter(notch.recipe), link=True, tip="Take this setting")
            self.notches.addWidget(take, line, 0, Qt.AlignmentFlag.AlignLeft)
            self.notches.addWidget(label(means, quiet=True), line, 1)
        self.notches.setColumnStretch(1, 1)

    def _setter(self, recipe: Recipe) -> Callable[[], None]:
        return lambda: self.form.put(recipe)

    def _buttons(self) -> None:
        known, unknown = self._told.prediction is not None, self._told.prediction is None and not self._told.wrong
        self.try_button.setVisible(unknown)
        self.try_button.setEnabled(self.job is None)
        self.use_button.setEnabled(known)
        restyle(self.try_button, primary=unknown)
        restyle(self.use_button, primary=not unknown)

    def _use(self) -> None:
        prediction = self._told.prediction
        if prediction is not None:
            self.chosen.emit(prediction)
            self.accept()

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a recipe", str(Path.home()), _FILES)
        if name:
            self.open_file(Path(name))

    def open_file(self, path: Path) -> None:
        """Settings out of a file."""
        try:
            self.form.put(read_recipe(path))
        except YomikomiError as error:
            self._state.tell_error(error)

    def _save(self) -> None:
        suggested = Path.home() / f"{self.form.recipe.file_words}.json"
        name, _ = QFileDialog.getSaveFileName(self, "Save this recipe", str(suggested), _FILES)
        if name:
            self.save_file(Path(name))

    def save_file(self, path: Path) -> None:
        """The settings as a file; a person was asked before one is replaced."""
        try:
            write_recipe(path, self.form.recipe)
        except YomikomiError as error:
            self._state.tell_error(error)

    def _stop(self) -> None:
        job, self.job = self.job, None
        if job is not None:
            self._state.jobs.cancel(job)
