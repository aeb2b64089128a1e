"""Fills an empty demo workspace in the background, one job after another, while the window is in use."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any

from PySide6.QtCore import QObject

from yomikomi.core.balance.choice import choices
from yomikomi.core.balance.curves import plane_points
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.balance.recipes import usual_recipes
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.capture.session import CaptureResult
from yomikomi.core.ledger.record import CarrierView
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.run.copying import CopyRequest, make_copy
from yomikomi.core.treatment.chain import recommended
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.demo import scenario
from yomikomi.demo.card_file import CardRequest, make_card_file
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.ui.state import AppState


def fill(state: AppState) -> DemoMaker | None:
    """Begin, if the workspace is still empty."""
    if state.carriers:
        return None
    maker = DemoMaker(state)
    maker.begin()
    return maker


class DemoMaker(QObject):
    """K-001 goes through all stations; K-002 waits to be captured; K-004 comes as a file.

    Every figure is computed on the way: nothing about it is stored beforehand.
    """

    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self._state, self._record = state, state.record
        self._take_id = 0
        self.done = False

    def begin(self) -> None:
        self._k001 = self._add("K-001", "vhs", "525i", 118 * 60.0, scenario.K001.to_json())
        self._add("K-002", "video8", "625i", 42 * 60.0, scenario.K002.to_json())
        self._state.reload()
        self._state.choose(self._k001)
        self._take_id, path = self._record.begin_take(self._k001)
        spec = replace(scenario.K001, seconds=scenario.EXCERPT_S, real_time=False)
        self._job(simulate_to, SimulateRequest(spec, path), "playing K-001", self._captured)

    @property
    def _view(self) -> CarrierView:
        return self._record.carrier(self._k001)

    def _add(self, label: str, kind: str, standard: str, seconds: float, source: dict[str, Any]) -> int:
        return self._record.add_carrier(
            label=label,
            title=scenario.TITLES[label],
            kind=kind,
            standard=standard,
            nominal_seconds=seconds,
            source=source,
            note=scenario.NOTES[label],
        )

    def _job(self, function: Callable[[Any, Reporter], Any], request: Any, name: str, then: Callable[[Any], None]) -> None:
        def ended(job: Job) -> None:
            if job.state is JobState.DONE:
                then(job.result)
                self._state.reload()
            else:
                self._state.tell_end(job)

        self._state.jobs.start(function, request, name=name, resource="processor", on_end=ended)

    def _captured(self, frames: int) -> None:
        path = self._view.take.path if self._view.take else None
        size = path.stat().st_size if path else 0
        rate = 30000 / 1001
        self._record.end_take(self._take_id, CaptureResult(path, frames, frames / rate, 0, 0, size))
        self._job(read, ReadRequest(self._path), "reading K-001", self._read)
        card = self._record.workspace.folder / "card K-004" / "bow-camera.mp4"
        request = CardRequest(card, scenario.K004_SEED, scenario.K004_SECONDS)
        self._job(make_card_file, request, "making K-004", lambda _frames: self._import_card(card))

    @property
    def _path(self) -> Any:
        take = self._view.take
        assert take is not None
        return take.path

    def _import_card(self, card: Any) -> None:
        self._record.import_file(card, title=scenario.TITLES["K-004"], kind="card", label="K-004")

    def _read(self, reading: Any) -> None:
        self._record.save_reading(self._take_id, reading)
        treatment, _why = recommended(reading)
        self._record.choose_treatment(self._take_id, treatment)
        folder = self._record.workspace.folder / "trials" / f"take-{self._take_id}"
        recipes = tuple(usual_recipes(fields=treatment.leaves_fields, pace="quick"))
        request = TrialRequest(self._path, reading, treatment, recipes, folder=folder)
        self._job(run_trials, request, "trials of K-001", lambda trials: self._tried(trials, folder))

    def _tried(self, trials: TrialSet, folder: Any) -> None:
        self._record.save_trials(self._take_id, trials, folder)
        view = self._view
        assert view.judged is not None
        assert view.treatment is not None
        picked: Prediction = choices(plane_points(trials), limit_bytes=None)[0].point.prediction
        target = self._record.workspace.folder / "copies" / f"k-001-lantern-parade-1993-{picked.recipe.codec}-{picked.recipe.quality}.mp4"
        copy_id = self._record.ask_copy(self._take_id, picked.recipe, view.treatment, picked, target)
        self._record.start_copy(copy_id)
        request = CopyRequest(self._path, target, view.judged, view.treatment, picked.recipe)
        self._job(make_copy, request, "copy of K-001", partial(self._copied, copy_id))

    def _copied(self, copy_id: int, result: Any) -> None:
        self._record.end_copy(copy_id, result=result)
        self.done = True
        self._state.tell(Weight.FINE, "The demo is ready: K-001 has been through all stations; capture K-002, or read K-004.")
