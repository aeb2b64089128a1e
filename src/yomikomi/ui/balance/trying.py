"""The trials of a take, as a job in a worker: begun, heard of, ended and written down."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtWidgets import QProgressBar

from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.sentences import TRIALS_STOPPED
from yomikomi.core.balance.trials import TrialProgress, TrialRequest, run_trials, segments_for
from yomikomi.core.balance.without_noise import noise_step
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.trials import Ground
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.video.timecode import clock
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.state import AppState


class Trying:
    """One set of trials at a time. ``so_far``: its newest estimates; ``folder``: where its pictures lie; ``take_id``: whose they are. What
    was begun of itself once (``begun``) is not begun so again: what a person stopped, stays."""

    def __init__(self, state: AppState, bar: QProgressBar, *, on_news: Callable[[], None], on_end: Callable[[], None]) -> None:
        self._state, self._bar = state, bar
        self._on_news, self._on_end_of_all = on_news, on_end
        self.job: Job | None = None
        self.take_id = 0
        self.so_far: TrialSet | None = None
        self.folder: Path | None = None
        self.begun: set[tuple[int, str, str]] = set()
        self._told = 0

    def is_of(self, take_id: int | None) -> bool:
        """Trials of this take run now."""
        return self.job is not None and self.take_id == take_id

    def begin(self, view: CarrierView, recipes: tuple[Recipe, ...]) -> bool:
        """False where they could not; a person was told."""
        assert view.take is not None
        assert view.judged is not None
        assert view.treatment is not None
        take_id = view.take.id
        try:
            folder = self._state.record.trials.new_folder(take_id)
        except YomikomiError as error:
            self._state.tell_error(error)
            return False
        parts, more = segments_for(view.judged.duration_seconds)
        request = TrialRequest(
            view.take.path, view.judged, view.treatment, recipes, segments=parts, more=more, folder=folder,
            noise=noise_step(view.judged, view.treatment),
        )  # fmt: skip
        self.so_far, self._told, self.take_id, self.folder = None, 0, take_id, folder
        ground = self._state.record.trials.ground(take_id)
        self.job = self._state.jobs.start(
            run_trials, request, name="trials", resource="processor",
            on_progress=self._on_progress, on_end=lambda job: self.end(job, take_id, folder, ground),
        )  # fmt: skip
        self._bar.setValue(0)
        self._bar.setFormat("starting")
        self._bar.show()
        return True

    def stop(self) -> None:
        if self.job is not None:
            self._state.jobs.cancel(self.job)

    def _on_progress(self, job: Job) -> None:
        progress: TrialProgress = job.progress
        self._bar.setValue(round(progress.part * 1000))
        left = f" · {clock(progress.seconds_left)} left" if progress.part > 0.02 else ""
        self._bar.setFormat(f"{progress.doing or 'estimating'}{left}")
        if progress.so_far is not None and progress.told != self._told:
            self._told, self.so_far = progress.told, progress.so_far
            self._on_news()

    def end(self, job: Job, take_id: int, folder: Path, ground: Ground) -> None:
        """What was measured is kept, also where a person stopped it."""
        self.job = None
        self._bar.hide()
        stopped_with = job.progress.so_far if job.state is JobState.CANCELLED and job.progress is not None else None
        found: TrialSet | None = job.result if job.state is JobState.DONE else stopped_with
        if found is None:
            self._state.tell_end(job)
        else:
            if not self._state.record.trials.save(take_id, found, folder, ground=ground):
                self._state.tell(
                    Weight.LOOK, "The reading changed while the trials ran, so their figures were not kept.",
                    "Run them again.",
                )  # fmt: skip
            elif stopped_with is not None:
                self._state.tell(Weight.LOOK, TRIALS_STOPPED)
            self._state.reload()
        self._on_end_of_all()
