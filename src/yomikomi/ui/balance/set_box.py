"""Several copies at once: a set is chosen, what each would cost is predicted, and all are put into the run."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QComboBox, QDialog, QFileDialog, QHeaderView, QProgressBar, QTableWidget, QTableWidgetItem, QWidget

from yomikomi.core.balance.models import Prediction
from yomikomi.core.balance.sentences import seen_words
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.sets.model import CopySet, all_sets, keep_set, key_for, read_set, sets_folder
from yomikomi.core.sets.planning import PlannedCopy, SetProgress, SetRequest, plan_set, predict_set
from yomikomi.core.sets.sentences import SET_HEADINGS, set_headline, set_row
from yomikomi.core.work import Job
from yomikomi.core.work.drive import free_bytes
from yomikomi.core.work.job import JobState
from yomikomi.ui.balance.set_editor import SetEditor
from yomikomi.ui.kept import keep, read_kept
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import Sentence, button, form_body, label, row

_SUBJECT = "sets"
_FILES = "Sets of copies (*.json)"


class SetBox(QDialog):
    """``ask``: puts planned copies with their predictions into the run."""

    def __init__(
        self, state: AppState, view: CarrierView, ask: Callable[[list[PlannedCopy], list[Prediction | None]], object], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._state, self._view, self._ask = state, view, ask
        self._folder = sets_folder()
        self._sets: list[CopySet] = list(all_sets(self._folder).values())
        self.editor: SetEditor | None = None
        self.planned: list[PlannedCopy] = []
        self.predicted: list[Prediction | None] = []
        self.job: Job | None = None
        body = form_body(self, "Several copies at once", width=900)
        self.sentence = Sentence()
        self.choice = QComboBox()
        self.choice.setAccessibleName("Set of copies")
        self.choice.currentIndexChanged.connect(self._plan)
        self.table = QTableWidget(0, len(SET_HEADINGS))
        self.table.setHorizontalHeaderLabels(list(SET_HEADINGS))
        self.table.verticalHeader().hide()
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionMode(QTableWidget.SelectionMode.NoSelection)
        self.table.setShowGrid(False)
        self.table.setWordWrap(True)
        self.table.setAccessibleName("Copies of the set")
        head = self.table.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(len(SET_HEADINGS) - 1, QHeaderView.ResizeMode.Stretch)
        self.table.setMinimumHeight(210)
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.predict_button = button("Predict all", self.predict)
        self.add_button = button("Add to the run", self._add, primary=True)
        body.addWidget(self.sentence)
        self.edit_button = button("Edit this set…", self.edit, link=True, tip="Its copies, outlets and recipes; kept as one of your own")
        open_button = button("Open a set…", self._open, link=True, tip="From a JSON file")
        save_button = button("Save a copy of it…", self._save, link=True, tip="As a JSON file, for another machine or the command line")
        body.addLayout(row(label("Set"), self.choice, 1))
        body.addLayout(row(self.edit_button, open_button, save_button, 1))
        body.addWidget(self.table)
        body.addWidget(self.bar)
        body.addLayout(row(button("Cancel", self.reject), 1, self.predict_button, self.add_button))
        self.finished.connect(lambda _how: self._stop())
        self._take_sets(str(read_kept(_SUBJECT).get("last")))

    def edit(self) -> None:
        """The chosen set in a form."""
        chosen = self._sets[self.choice.currentIndex()]
        self.editor = SetEditor(self._state, chosen, self._folder, {one.key for one in self._sets}, self)
        self.editor.kept.connect(lambda kept: self._take_sets(kept.key))
        self.editor.open()

    def _take_sets(self, key: str) -> None:
        """There are others now; the one of that key is chosen."""
        self._sets = list(all_sets(self._folder).values())
        self.choice.blockSignals(True)
        self.choice.clear()
        for one in self._sets:
            self.choice.addItem(one.words, one.key)
        self.choice.setCurrentIndex(max(0, self.choice.findData(key)))
        self.choice.blockSignals(False)
        self._plan()

    def open_file(self, path: Path) -> None:
        """A set out of a file becomes one of a person's own."""
        try:
            found = read_set(path)
            if found.key in {one.key for one in self._sets}:
                found = found.model_copy(update={"key": key_for(found.words, {one.key for one in self._sets})})
            keep_set(found, self._folder / f"{found.key}.json")
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self._take_sets(found.key)

    def save_file(self, path: Path) -> None:
        try:
            keep_set(self._sets[self.choice.currentIndex()], path)
        except YomikomiError as error:
            self._state.tell_error(error)

    def _open(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a set", str(Path.home()), _FILES)
        if name:
            self.open_file(Path(name))

    def _save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save a copy", str(Path.home() / f"{self.choice.currentData()}.json"), _FILES)
        if name:
            self.save_file(Path(name))

    def predict(self) -> None:
        """Trials of every copy, one after another."""
        view = self._view
        if self.job is not None or view.take is None or view.judged is None:
            return
        self.job = self._state.jobs.start(
            predict_set, SetRequest(view.take.path, view.judged, tuple(self.planned)), name="set of copies", resource="processor",
            on_progress=self._on_progress, on_end=self._on_end,
        )  # fmt: skip
        self.bar.show()
        self._buttons()

    def _plan(self) -> None:
        self._stop()
        view, chosen = self._view, self._sets[self.choice.currentIndex()]
        assert view.judged is not None
        assert view.treatment is not None
        self.planned = plan_set(chosen, view.judged, view.treatment)
        self.predicted = [None] * len(self.planned)
        self._show()

    def _on_progress(self, job: Job) -> None:
        progress: SetProgress = job.progress
        self.bar.setValue(round(1000 * progress.part))
        if len(progress.so_far) > sum(one is not None for one in self.predicted):
            self._take(progress.so_far)

    def _on_end(self, job: Job) -> None:
        if job is not self.job:
            return  # another set was chosen meanwhile
        self.job = None
        if job.state is JobState.DONE:
            self._take(job.result)
        elif job.state is not JobState.CANCELLED:
            self._state.tell_end(job)
        self._show()

    def _take(self, found: tuple[Prediction | None, ...]) -> None:
        self.predicted = [*found, *[None] * (len(self.planned) - len(found))]
        self._show()

    def _show(self) -> None:
        usual = self._state.workspace.folder
        self.sentence.say(*set_headline(self.planned, self.predicted, free=lambda folder: free_bytes(folder or usual)))
        self.table.setRowCount(len(self.planned))
        for line, (one, told) in enumerate(zip(self.planned, self.predicted, strict=True)):
            for column, words in enumerate(set_row(one, told, seen_words(told.fidelity) if told is not None else "")):
                self.table.setItem(line, column, QTableWidgetItem(words))
        self.table.resizeRowsToContents()
        self.bar.setVisible(self.job is not None)
        self._buttons()

    def _buttons(self) -> None:
        can = [one for one in self.planned if not one.wrong]
        self.predict_button.setEnabled(self.job is None and bool(can))
        self.add_button.setText(f"Add {len(can)} to the run")
        self.add_button.setEnabled(bool(can))

    def _add(self) -> None:
        self._stop()
        try:
            keep(_SUBJECT, {"last": self.choice.currentData()})
        except YomikomiError as error:
            self._state.tell_error(error)
        try:
            self._ask(self.planned, self.predicted)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self.accept()

    def _stop(self) -> None:
        job, self.job = self.job, None
        if job is not None:
            self._state.jobs.cancel(job)
