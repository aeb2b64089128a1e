"""Fifteen seconds of the take as several copies would show them, moving, with sound, in a window of their own."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QInputDialog, QLineEdit, QProgressBar, QWidget

from yomikomi.core.balance.curves import PlanePoint, nearest_in_size
from yomikomi.core.balance.offer import Offer
from yomikomi.core.balance.sentences import compared_copy
from yomikomi.core.copying.stretches import STRETCH_S, Stretches, StretchProgress, StretchRequest, render_stretches, stretch_at
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.rates import AverageRate, TargetSize
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.video.units import parse_time
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.balance.scratch import scratch_folder
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import menu_button

_Now = tuple[CarrierView | None, Offer, PlanePoint | None]
# Pictures beside the take's own: more are too small to be judged.
MOST = 3


class Comparing:
    """``marked``: points that are compared with the picked one; ``now``: carrier, offer and picked point; ``on_changed`` when other points
    are marked, or a comparison began or ended."""

    def __init__(
        self, state: AppState, parent: QWidget, bar: QProgressBar, now: Callable[[], _Now], on_changed: Callable[[], None]
    ) -> None:
        self._state, self._parent, self._bar, self._now, self._on_changed = state, parent, bar, now, on_changed
        self.button = menu_button(
            f"Compare {STRETCH_S:.0f} s",
            (("Of the hardest part", self.begin), ("From a time of the take…", self.ask_when), ("Stop preparing", self.stop)),
        )
        self.button.setToolTip("Moving, with sound, beside the treated take. Ctrl+click marks more points to compare")
        self.job: Job | None = None
        self.marked: list[PlanePoint] = []
        self.windows: dict[Path, QWidget] = {}

    def mark(self, point: PlanePoint) -> None:
        """One more to compare, or one less."""
        known = [one for one in self.marked if one.makes != point.makes]
        self.marked = known if len(known) < len(self.marked) else [*known, point][-(MOST - 1) :]
        self._on_changed()

    def marked_in(self, offer: Offer) -> list[PlanePoint]:
        """Those marked that are offered still."""
        return [found for one in self.marked if (found := offer.same(one)) is not None]

    def points(self, offer: Offer, picked: PlanePoint | None) -> list[PlanePoint]:
        """What is compared: the picked one and those marked; not what another treatment makes."""
        points = [*([picked] if picked is not None else []), *self.marked_in(offer)]
        kept: dict[Recipe, PlanePoint] = {
            point.prediction.recipe: point for point in points if not (point.prediction.recipe.untouched or point.of_another_treatment)
        }
        return list(kept.values())[:MOST]

    def ask_when(self) -> None:
        """From a moment that a person types."""
        words, wanted = QInputDialog.getText(
            self._parent, f"Compare {STRETCH_S:.0f} s", "From this time of the take (h:mm:ss):", QLineEdit.EchoMode.Normal, "0:00:00"
        )
        if not wanted:
            return
        typed = parse_time(words, bare="s") if words.strip() not in {"0", "0:00", "0:00:00"} else 0
        if typed is None:
            self._state.tell(Weight.LOOK, f"{words!r} is no time.", "Write it as 0:12:30.")
            return
        self.begin(float(typed) + STRETCH_S / 2)

    def begin(self, middle: float | None = None) -> None:
        """``middle``: second of the take around which it is compared; None: of the hardest part."""
        view, offer, picked = self._now()
        trials, points = offer.trials, self.points(offer, picked)
        if self.job is not None or view is None or view.take is None or view.judged is None or view.treatment is None or not points:
            return
        reading = view.judged
        if middle is None:
            hard = trials.hardest if trials is not None else None
            middle = (hard.first_frame + hard.frames / 2) / float(reading.rate.by_stamps) if hard is not None else 0.0
        folder = scratch_folder(self._state, "compare", live=list(self.windows))
        if folder is None:
            return
        at, seconds = stretch_at(middle, reading.duration_seconds)
        recipes = tuple(_as_constant(point, offer) for point in points)
        request = StretchRequest(view.take.path, reading, view.treatment, at, seconds, recipes, folder)
        names = [compared_copy(point) for point in points]
        self.job = self._state.jobs.start(
            render_stretches, request, name="comparison", resource="processor", on_progress=self._on_progress,
            on_end=lambda job: self._on_end(job, folder, names, view.label),
        )  # fmt: skip
        self._bar.setValue(0)
        self._bar.setFormat(f"preparing {seconds:.0f} s to compare")
        self._bar.show()
        self._on_changed()

    def stop(self) -> None:
        if self.job is not None:
            self._state.jobs.cancel(self.job)

    def _on_progress(self, job: Job) -> None:
        progress: StretchProgress = job.progress
        self._bar.setValue(round(1000 * progress.part))

    def _on_end(self, job: Job, folder: Path, names: Sequence[str], title: str) -> None:
        self.job = None
        self._bar.hide()
        self._on_changed()
        if job.state is not JobState.DONE:
            shutil.rmtree(folder, ignore_errors=True)
            self._state.tell_end(job)
            return
        from yomikomi.core.playing.sources import FileSource  # what plays is loaded when first needed
        from yomikomi.ui.playing.deck import Named
        from yomikomi.ui.playing.window import PlayerWindow

        found: Stretches = job.result
        files = [("treated take", found.source), *zip(names, found.copies, strict=True)]
        window = PlayerWindow(tuple(Named(words, FileSource(one.file)) for words, one in files), f"{title}: comparison", self._parent)
        self.windows[folder] = window
        window.destroyed.connect(partial(self._forget, folder))
        window.show()

    def _forget(self, folder: Path, _window: object = None) -> None:
        self.windows.pop(folder, None)
        shutil.rmtree(folder, ignore_errors=True)


def _as_constant(point: PlanePoint, offer: Offer) -> Recipe:
    """A size or an average of the whole take says nothing of a part: the constant quality that comes nearest to it shows how it looks."""
    recipe = point.prediction.recipe
    if not isinstance(recipe.rate, AverageRate | TargetSize):
        return recipe
    curve = [one for one in offer.raw.get(recipe.curve, []) if one.prediction.recipe.quality is not None]
    if not curve:
        return recipe
    return recipe.with_quality(nearest_in_size(curve, point.size).prediction.recipe.level)
