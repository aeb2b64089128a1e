"""A person's own threshold: found by blind comparisons, kept for all workspaces."""

from __future__ import annotations

import contextlib
import shutil
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PySide6.QtWidgets import QProgressBar, QWidget

from yomikomi.core.balance.loops import LoopsProgress, LoopsRequest, hardest_segment, levels_between, render_loops
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.threshold import Threshold
from yomikomi.core.balance.viewing import FidelityStep, own_step
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.balance.blind_box import BlindBox
from yomikomi.ui.balance.scratch import scratch_folder
from yomikomi.ui.kept import keep, read_kept
from yomikomi.ui.state import AppState

_SUBJECT = "eyes"
# Fewer copies than this leave nothing to choose from.
_FEWEST_COPIES = 3


def own_threshold() -> FidelityStep | None:
    """The step from which on this person sees nothing, as they found it last; None where they never did."""
    kept = read_kept(_SUBJECT).get("detail_db")
    return own_step(float(kept)) if isinstance(kept, int | float) and 0 < kept <= 60 else None


class Eyes:
    """Makes the loops in a worker, then asks. ``on_kept`` is called when there is a new threshold."""

    def __init__(self, state: AppState, parent: QWidget, bar: QProgressBar, on_kept: Callable[[], None]) -> None:
        self._state, self._parent, self._bar, self._on_kept = state, parent, bar, on_kept
        self.job: Job | None = None
        self.box: BlindBox | None = None

    def begin(self, view: CarrierView | None, trials: TrialSet | None, codec: str) -> None:
        """Of a codec that was tried."""
        if view is None or view.take is None or view.judged is None or view.treatment is None or trials is None:
            return
        if self.job is not None or self.box is not None:
            return
        recipes = levels_between(trials, codec)
        if len(recipes) < _FEWEST_COPIES:
            self._state.tell(Weight.LOOK, "There are no copies to compare yet.", "Run the trials first.")
            return
        folder = scratch_folder(self._state, "blind")
        if folder is None:
            return
        request = LoopsRequest(view.take.path, view.judged, view.treatment, hardest_segment(trials, view.judged), recipes, folder)
        self.job = self._state.jobs.start(
            render_loops, request, name="blind comparison", resource="processor", on_progress=self._on_progress,
            on_end=lambda job: self._on_end(job, folder),
        )  # fmt: skip
        self._bar.setValue(0)
        self._bar.setFormat("preparing the comparison")
        self._bar.show()

    def _on_progress(self, job: Job) -> None:
        progress: LoopsProgress = job.progress
        self._bar.setValue(round(1000 * progress.part))

    def _on_end(self, job: Job, folder: Path) -> None:
        self.job = None
        self._bar.hide()
        if job.state is not JobState.DONE or len(job.result.copies) < _FEWEST_COPIES:
            shutil.rmtree(folder, ignore_errors=True)
            self._state.tell_end(job)
            return
        try:
            self.box = BlindBox(job.result, self._parent)
        except YomikomiError as error:
            shutil.rmtree(folder, ignore_errors=True)
            self._state.tell_error(error)
            return
        self.box.found.connect(self._keep)
        self.box.finished.connect(lambda _how: self._forget(folder))
        self.box.open()

    def _keep(self, found: Threshold) -> None:
        document: dict[str, object] = {
            "detail_db": round(found.detail_db, 2), "low": round(found.low, 2), "high": round(found.high, 2), "rounds": found.rounds,
            "found_at": datetime.now(UTC).isoformat(timespec="seconds"),
        }  # fmt: skip
        try:
            keep(_SUBJECT, document)
        except YomikomiError as error:
            self._state.tell_error(error)
            return
        self._on_kept()

    def _forget(self, folder: Path) -> None:
        with contextlib.suppress(OSError):
            shutil.rmtree(folder)
        self.box = None
