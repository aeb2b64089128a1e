"""Fills a new demo workspace in the background, one job after another, while the window is in use."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject

from yomikomi.core.balance.choice import choices
from yomikomi.core.balance.curves import plane_points
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.recipes import usual_recipes
from yomikomi.core.balance.trials import TrialRequest, run_trials
from yomikomi.core.capture.look import LookRequest, LookResult, look_at
from yomikomi.core.capture.proof import prove
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.disc.contents import read_contents
from yomikomi.core.disc.joining import JoinRequest, JoinResult, join_title
from yomikomi.core.disc.titles import judge_titles
from yomikomi.core.ledger.naming import copy_stem
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.sheet import make_sheet, with_state
from yomikomi.core.path.structure import Task, Wishes
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.run.copying import CopyRequest, make_copy
from yomikomi.core.treatment.chain import recommended
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.work import Job, Reporter
from yomikomi.core.work.job import JobState
from yomikomi.core.work.new_file import free_name
from yomikomi.core.work.notices import Weight
from yomikomi.demo import scenario
from yomikomi.demo.card_file import CardRequest, make_card_file
from yomikomi.demo.disc_file import DiscMade, DiscRequest, simulate_disc
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.ui.shelf.bringing import titles_to_take_in
from yomikomi.ui.shelf.discs import TitlesChosen
from yomikomi.ui.state import AppState

_UNFINISHED = ".demo-unfinished"


def fill(state: AppState) -> DemoMaker | None:
    """Begin in an empty workspace, or go on where an earlier start was cut off; None when there is nothing to do."""
    marker = state.record.workspace.folder / _UNFINISHED
    if state.carriers and not marker.exists():
        return None
    marker.touch()
    maker = DemoMaker(state, marker)
    maker.go_on()
    return maker


class DemoMaker(QObject):
    """K-001 goes through all stations; K-003 is copied from a disc; K-004 comes as a file; the others wait.

    Every figure is computed on the way: nothing about it is stored beforehand. The next step follows from what the record
    holds, so that a demo that was cut off goes on.
    """

    def __init__(self, state: AppState, marker: Path) -> None:
        super().__init__(state)
        self._state, self._record, self._marker = state, state.record, marker
        self.done = False

    def go_on(self) -> None:
        labels = {view.label: view.id for view in self._record.carriers()}
        if "K-001" not in labels:
            self._put_on_shelf()
            labels = {view.label: view.id for view in self._record.carriers()}
        view = self._record.carrier(labels["K-001"])
        if view.path is None:
            self._plan(view)
        elif view.take is None or view.take.state == "recording":
            self._play(view)
        elif "K-004" not in labels:
            self._make_card()
        elif "K-003-1" not in labels:
            self._make_disc()
        elif waiting := [one for one in self._record.carriers() if one.kind == "disc" and one.take is None]:
            self._copy_title(waiting[0])
        elif view.reading is None:
            self._read(view)
        elif view.trials is None:
            self._try_recipes(view)
        elif not view.copies:
            self._copy(view)
        else:
            self._finish()

    def _put_on_shelf(self) -> None:
        self._record.settings.save_equipment(scenario.EQUIPMENT)
        self._record.shelf.put([intake for intake, _ in scenario.SHELF], [source for _, source in scenario.SHELF])
        self._state.reload()

    def _plan(self, view: CarrierView) -> None:
        """The best path, looked at for a moment; what that shows is ticked."""
        best = rank_paths(self._record.settings.equipment(), Task.of(view.intake), Wishes.usual(view.intake))[0]
        sheet = make_sheet(best.trace, carrier=f"{view.label} {view.title}")
        source = OnPathSpec(replace(scenario.K001, seconds=None, real_time=False), sheet.delivery)

        def ended(look: LookResult) -> None:
            ticked = sheet
            for knob in prove(sheet, look, silent=False).proven:
                ticked = with_state(ticked, knob, "done")
            self._record.paths.save(view.id, ticked)

        self._job(look_at, LookRequest(source, 1.0), "proving the path of K-001", ended)

    def _play(self, view: CarrierView) -> None:
        take_id, path = self._record.takes.begin(view.id)
        spec = replace(scenario.K001, seconds=scenario.EXCERPT_S, real_time=False)
        rate = STANDARDS[spec.standard].rate

        def ended(frames: int) -> None:
            self._record.takes.end(take_id, CaptureResult(path, frames, float(frames / rate), 0, 0, path.stat().st_size))

        self._job(simulate_to, SimulateRequest(spec, path), "playing K-001", ended)

    def _make_card(self) -> None:
        card = self._record.workspace.folder / "card K-004" / "bow-camera.mp4"

        def ended(_frames: int) -> None:
            self._record.takes.import_file(card, title=scenario.K004_TITLE, kind="card", label="K-004")

        self._job(make_card_file, CardRequest(card, scenario.K004_SEED, scenario.K004_SECONDS), "making K-004", ended)

    def _make_disc(self) -> None:
        folder = self._record.workspace.folder / "disc K-003" / scenario.K003_TITLE
        shutil.rmtree(folder, ignore_errors=True)  # what an earlier start left unfinished
        folder.parent.mkdir(exist_ok=True)

        def ended(_made: DiscMade) -> None:
            wanted = [one for one in judge_titles(read_contents(folder).titles) if one.kind == "episode"]
            intakes, sources = titles_to_take_in(TitlesChosen(folder, "K-003", tuple(wanted)))
            self._record.shelf.put(intakes, sources)

        self._job(simulate_disc, DiscRequest(scenario.K003, folder), "making K-003", ended)

    def _copy_title(self, view: CarrierView) -> None:
        assert view.source is not None
        target = self._record.takes.name(view.id)

        def ended(done: JoinResult) -> None:
            self._record.takes.add_copied(view.id, target, seconds=done.seconds, frames=done.frames, words="title copied")

        request = JoinRequest(Path(view.source["path"]), int(view.source["title"]), target)
        self._job(join_title, request, f"copying {view.label}", ended)

    def _read(self, view: CarrierView) -> None:
        assert view.take is not None
        self._job(read, ReadRequest(view.take.path), "reading K-001", partial(self._record.readings.save, view.take.id))

    def _try_recipes(self, view: CarrierView) -> None:
        assert view.take is not None
        assert view.judged is not None
        treatment, _why = recommended(view.judged)
        self._record.readings.choose_treatment(view.take.id, treatment)
        take_id, folder = view.take.id, self._record.trials.new_folder(view.take.id)
        recipes = tuple(usual_recipes(fields=treatment.leaves_fields, effort="low"))
        request = TrialRequest(view.take.path, view.judged, treatment, recipes, folder=folder)

        def ended(trials: TrialSet) -> None:
            self._record.trials.save(take_id, trials, folder)

        self._job(run_trials, request, "trials of K-001", ended)

    def _copy(self, view: CarrierView) -> None:
        assert view.take is not None
        assert view.judged is not None
        assert view.treatment is not None
        assert view.trials is not None
        picked = choices(plane_points(view.trials), limit_bytes=None, height=view.judged.geometry.height)[0].point.prediction
        target = free_name(self._record.workspace.folder / "copies", copy_stem(view, picked.recipe), ".mp4")
        copy_id = self._record.copies.ask(view.take.id, picked.recipe, view.treatment, picked, target)
        self._record.copies.start(copy_id)
        request = CopyRequest(view.take.path, target, view.judged, view.treatment, picked.recipe)
        self._job(make_copy, request, "copy of K-001", lambda result: self._record.copies.end(copy_id, result=result))

    def _finish(self) -> None:
        self._marker.unlink(missing_ok=True)
        self.done = True
        self._state.tell(Weight.FINE, "The demo is ready: K-001 has been through all stations; capture K-002, or read K-004.")

    def _job(self, function: Callable[[Any, Reporter], Any], request: Any, name: str, then: Callable[[Any], None]) -> None:
        def ended(job: Job) -> None:
            if job.state is JobState.DONE:
                then(job.result)
                self._state.reload()
                self.go_on()
            else:
                self._state.tell_end(job)

        self._state.jobs.start(function, request, name=name, resource="processor", on_end=ended)
