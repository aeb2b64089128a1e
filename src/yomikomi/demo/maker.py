"""Fills a new demo workspace in the background, two jobs at a time, while the window is in use."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QObject

from yomikomi.core.balance.choice import choices
from yomikomi.core.balance.curves import plane_points
from yomikomi.core.balance.models import Prediction, TrialSet
from yomikomi.core.balance.prediction import PredictRequest, predict
from yomikomi.core.balance.trials import TrialRequest, run_trials, segments_for
from yomikomi.core.balance.without_noise import noise_step
from yomikomi.core.capture.health import health_path
from yomikomi.core.capture.look import LookRequest, LookResult, look_at
from yomikomi.core.capture.proof import prove
from yomikomi.core.capture.result import CaptureResult
from yomikomi.core.capture.session import CaptureRequest, capture
from yomikomi.core.copying.making import CopyRequest, make_copy
from yomikomi.core.disc.finding import DiscFound, look_into
from yomikomi.core.disc.joining import JoinRequest, JoinResult, join_title
from yomikomi.core.ledger.run_queue import ask_copy, write_failed, write_made
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.ranking import rank_paths
from yomikomi.core.path.sheet import make_sheet, with_state
from yomikomi.core.path.structure import Task, Wishes
from yomikomi.core.reading.scanner import ReadRequest, read
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.recipes.recipe import recipe_for, usual_recipes
from yomikomi.core.treatment.advice import fields_treatment
from yomikomi.core.video.standards import STANDARDS
from yomikomi.core.work import Job
from yomikomi.core.work.notices import Weight
from yomikomi.demo import scenario
from yomikomi.demo.card_file import CardRequest, make_card_file
from yomikomi.demo.damage import cut_off, spoil
from yomikomi.demo.disc_file import DiscMade, DiscRequest, simulate_disc
from yomikomi.demo.lanes import Lanes
from yomikomi.demo.tape_file import SimulateRequest, simulate_to
from yomikomi.sim.faulty import Faults, FaultySpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.ui.shelf.bringing import titles_to_take_in
from yomikomi.ui.shelf.discs import TitlesChosen
from yomikomi.ui.state import AppState

_UNFINISHED = ".demo-unfinished"
# Copies that are made without trials.
_QUICK = recipe_for("h264", scenario.K004_QUALITY, speed="superfast")
# The dearest levels of each codec take longest: so many are not tried, one where nothing is said.
_DEAREST = {"hevc": 2}
# How far the copy of K-009 has come when its take changes under it.
_SPOILT_AFTER = 0.3

# A step's key, and what starts it under that key.
Step = tuple[str, Callable[[str], None]]


def fill(state: AppState) -> DemoMaker | None:
    """Begin in an empty workspace, or go on where an earlier start was cut off; None when there is nothing to do."""
    marker = state.workspace.folder / _UNFINISHED
    if state.carriers and not marker.exists():
        return None
    marker.touch()
    maker = DemoMaker(state, marker)
    maker.begin()
    return maker


class DemoMaker(QObject):
    """K-001 is played twice and goes through all stations; K-003 is copied from a disc; K-004 comes as a file and is copied; K-002 lost
    frames while it was captured; K-007 was cut off and is mended; the take of K-009 changes on its drive while it is copied, which the
    copy's checks find. The others wait.

    Every figure is computed on the way: nothing about it is stored beforehand. What is to be done next follows from what the record
    holds, so that a demo that was cut off goes on; a file gets its row only when it is whole.
    """

    def __init__(self, state: AppState, marker: Path) -> None:
        super().__init__(state)
        self._state, self._record, self._marker = state, state.record, marker
        self._lanes = Lanes(state, self.go_on)
        self._job = self._lanes.run
        self._spoilt = False
        self.done = False

    def begin(self) -> None:
        if not self._record.shelf.labels():
            self._put_on_shelf()
        words = "The demo fills itself in the background, in some minutes. Look around meanwhile."
        self._state.tell(Weight.FINE, words)
        self.go_on()

    def go_on(self) -> None:
        """Start what can be started, at most two steps at a time."""
        views = {view.label: view for view in self._record.carriers()}
        for key, start in self._steps(views):
            if self._lanes.full:
                return
            if self._lanes.take(key):
                start(key)
        if self._lanes.empty and not self.done:
            self._finish()

    def _steps(self, views: dict[str, CarrierView]) -> Iterator[Step]:
        """At most one for each carrier: the next one."""
        for label, next_of in (
            ("K-001", self._parade), ("K-004", self._card), ("K-002", self._kiln), ("K-007", self._aquarium), ("K-009", self._race),
        ):  # fmt: skip
            view = views.get(label)
            if view is None and label == "K-004":
                yield "K-004 is made", self._make_card
            elif view is not None and (step := next_of(view)) is not None:
                yield step
        if "K-003-1" not in views and not self._lanes.knows("K-003 is looked into"):
            yield "K-003 is made", self._make_disc
        for view in views.values():
            if view.kind == "disc" and view.source is not None and view.take is None:
                yield f"{view.label} is copied", partial(self._copy_title, view)

    # The carriers

    def _parade(self, view: CarrierView) -> Step | None:
        lengths, passes = scenario.LENGTHS, len(self._record.readings.of(view.id))
        if view.path is None:
            return "K-001 is proven", partial(self._plan, view)
        if view.takes == 0:
            return "K-001 is played", partial(self._play, view, replace(scenario.K001, seconds=lengths.first_pass))
        if passes == 0:
            return "K-001 is read", partial(self._read, view)
        if view.takes == 1:  # once more, in a deck with a time-base corrector
            again = replace(scenario.K001, seconds=lengths.second_pass, corrector=True)
            return "K-001 is played again", partial(self._play, view, again)
        if passes == 1:
            return "K-001 is read again", partial(self._read, view)
        if view.trials is None:
            return "K-001 is tried", partial(self._try_recipes, view)
        if len([copy for copy in view.copies if copy.ended_at]) < 2:
            return "K-001 is copied", partial(self._copy_best, view)
        good = next((copy for copy in view.copies if copy.state == "verified"), None)
        if good is not None and not self._record.looks.of(good.id) and self._record.looks.spots(good.id, 1):
            return "K-001 is looked at", partial(self._look, good.id)
        return None

    def _card(self, view: CarrierView) -> Step | None:
        if view.reading is None:
            return "K-004 is read", partial(self._read, view)
        if not view.copies:
            return "K-004 is predicted", partial(self._predict_and_copy, view)
        return self._copy_waiting(view)

    def _kiln(self, view: CarrierView) -> Step | None:
        if view.takes == 0:
            return "K-002 is captured", partial(self._capture_with_losses, view)
        return ("K-002 is read", partial(self._read, view)) if view.reading is None else None

    def _aquarium(self, view: CarrierView) -> Step | None:
        if view.takes == 0:
            spec = replace(scenario.K007, seconds=scenario.LENGTHS.cut_off)
            return "K-007 is played", partial(self._play, view, spec, ends=self._cut_off)
        if view.take is not None and view.take.state == "mended" and view.reading is None:
            return "K-007 is read", partial(self._read, view)
        return None

    def _race(self, view: CarrierView) -> Step | None:
        if view.takes == 0:
            return "K-009 is played", partial(self._play, view, replace(scenario.K009, seconds=scenario.LENGTHS.failing))
        if view.reading is None:
            return "K-009 is read", partial(self._read, view)
        if not view.copies:
            return "K-009 is asked for", partial(self._ask_unpredicted, view)
        return self._copy_waiting(view)

    # The steps

    def _put_on_shelf(self) -> None:
        self._record.settings.save_equipment(scenario.EQUIPMENT)
        backlog = scenario.backlog()
        intakes = [*(intake for intake, _ in scenario.SHELF), *backlog]
        self._record.shelf.put(intakes, [*(source for _, source in scenario.SHELF), *(None for _ in backlog)])
        self._state.reload()

    def _look(self, copy: int, key: str) -> None:
        """Two of the spots, as a volunteer of the archive saw them; the third is left to whoever tries it."""
        for spot, seen in zip(self._record.looks.spots(copy, 2), ("lanterns clean, no block edges", ""), strict=False):
            self._record.looks.add(copy, spot, "good", who="Mio", note=seen)
        self._state.reload()
        self._lanes.leave(key)

    def _plan(self, view: CarrierView, key: str) -> None:
        """The best path, looked at for a moment; what that shows is ticked."""
        best = rank_paths(self._record.settings.equipment(), Task.of(view.intake), Wishes.usual(view.intake))[0]
        sheet = make_sheet(best.trace, carrier=f"{view.label} {view.title}")
        source = OnPathSpec(replace(scenario.K001, seconds=None, real_time=False), sheet.delivery)

        def ended(look: LookResult) -> None:
            ticked = sheet
            for knob in prove(sheet, look, silent=False).proven:
                ticked = with_state(ticked, knob, "done")
            self._record.paths.save(view.id, ticked)

        self._job(key, look_at, LookRequest(source, 1.0), "proving the path of K-001", ended)

    def _play(
        self, view: CarrierView, spec: TapePlayerSpec, key: str, *, ends: Callable[[CarrierView, Path, int], None] | None = None
    ) -> None:
        spec = replace(spec, real_time=False)
        made = self._scratch(view)
        request = SimulateRequest(spec, made, spec.seconds)
        self._job(key, simulate_to, request, f"playing {view.label}", partial(ends or self._keep, view, made))

    def _keep(self, view: CarrierView, made: Path, frames: int) -> None:
        """What was played becomes the take."""
        take_id, path = self._record.takes.begin(view.id)
        made.rename(path)
        rate = _rate(view)
        self._record.takes.end(take_id, CaptureResult(path, frames, frames / rate, 0, 0, path.stat().st_size))

    def _cut_off(self, view: CarrierView, made: Path, _frames: int) -> None:
        """The power went while it was recorded: the row says so, and the file ends anywhere. The window mends it."""
        take_id, path = self._record.takes.begin(view.id)
        cut_off(made)
        made.rename(path)
        self._state.upkeep.mended.connect(self.go_on)
        self._state.upkeep.mend_takes(take_id)

    def _capture_with_losses(self, view: CarrierView, key: str) -> None:
        spec = replace(scenario.K002, seconds=scenario.LENGTHS.lossy, real_time=False)
        frames = int(scenario.LENGTHS.lossy * _rate(view))
        faults = Faults.scattered("lost", frames=frames, count=max(1, frames // 60), seed=2)
        faults = replace(faults, repeated=Faults.scattered("repeated", frames=frames, count=max(1, frames // 100), seed=5).repeated)
        made = self._scratch(view)

        def ended(result: CaptureResult) -> None:
            take_id, path = self._record.takes.begin(view.id)
            made.rename(path)
            if health_path(made).exists():
                health_path(made).rename(health_path(path))
            self._record.takes.end(take_id, replace(result, path=path, parts=(path,)))

        request = CaptureRequest(FaultySpec(spec, faults), made, patient=True)
        self._job(key, capture, request, "capturing K-002", ended)

    def _make_card(self, key: str) -> None:
        card = self._state.workspace.folder / "card K-004" / "bow-camera.mp4"

        def ended(_frames: int) -> None:
            self._record.takes.import_file(card, title=scenario.K004_TITLE, kind="card", label="K-004")

        if card.exists():  # an earlier start ended right after it
            ended(0)
            self._lanes.leave(key)
            return
        request = CardRequest(card, scenario.K004_SEED, scenario.LENGTHS.card)
        self._job(key, make_card_file, request, "making K-004", ended)

    def _make_disc(self, key: str) -> None:
        folder = self._state.workspace.folder / "disc K-003" / scenario.K003_TITLE
        shutil.rmtree(folder, ignore_errors=True)  # what an earlier start left unfinished
        folder.parent.mkdir(exist_ok=True)

        def looked(found: DiscFound) -> None:
            wanted = [one for one in found.judged if one.kind == "episode"]
            intakes, sources = titles_to_take_in(TitlesChosen(folder, "K-003", tuple(wanted)))
            note = "shortened for the demo: the disc's tables tell the real running time, its data hold some seconds"
            self._record.shelf.put([intake.model_copy(update={"note": note}) for intake in intakes], sources)

        def ended(_made: DiscMade) -> None:
            self._lanes.take("K-003 is looked into")
            self._job("K-003 is looked into", look_into, folder, "looking into K-003", looked)

        request = DiscRequest(scenario.ferry_school(scenario.LENGTHS), folder)
        self._job(key, simulate_disc, request, "making K-003", ended)

    def _copy_title(self, view: CarrierView, key: str) -> None:
        assert view.source is not None
        target = self._record.takes.name(view.id)

        def ended(done: JoinResult) -> None:
            self._record.takes.add_copied(view.id, target, seconds=done.seconds, frames=done.frames, words="title copied")

        request = JoinRequest(Path(view.source["path"]), int(view.source["title"]), target)
        self._job(key, join_title, request, f"copying {view.label}", ended)

    def _read(self, view: CarrierView, key: str) -> None:
        assert view.take is not None
        self._job(key, read, ReadRequest(view.take.path), f"reading {view.label}", partial(self._record.readings.save, view.take.id))

    def _try_recipes(self, view: CarrierView, key: str) -> None:
        assert view.take is not None
        assert view.judged is not None
        treatment = fields_treatment(view.judged)
        self._record.readings.choose_treatment(view.take.id, treatment)
        take_id, folder = view.take.id, self._record.trials.new_folder(view.take.id)
        usual = usual_recipes(fields=treatment.leaves_fields, effort="low", lines=view.judged.geometry.height)
        recipes = tuple(one for one in usual if one.level not in CODECS[one.codec].probes[: _DEAREST.get(one.codec, 1)])
        parts, more = segments_for(view.judged.duration_seconds)
        noise = noise_step(view.judged, treatment)
        request = TrialRequest(view.take.path, view.judged, treatment, recipes, segments=parts, more=more, folder=folder, noise=noise)

        def ended(trials: TrialSet) -> None:
            self._record.trials.save(take_id, trials, folder)
            self._ask_copies(self._record.carrier(view.id))

        self._job(key, run_trials, request, "trials of K-001", ended)

    def _ask_copies(self, view: CarrierView) -> None:
        """The choices that stand out, the first two to be made; the others wait in the run."""
        assert view.trials is not None
        plane = plane_points(view.trials)
        found = [one.point.prediction for one in choices(plane, limit_bytes=None)]
        usual = [point.prediction for curve in plane.values() for point in curve if point.prediction.measured]
        wanted: list[Prediction] = []
        for one in (*found, *usual):
            if one.recipe not in [other.recipe for other in wanted]:
                wanted.append(one)
        for one in wanted[:5]:
            ask_copy(self._record, view, one.recipe, one)

    def _copy_best(self, view: CarrierView, key: str) -> None:
        if not view.copies:  # a start ended between the trials and this
            self._ask_copies(view)
            view = self._record.carrier(view.id)
        step = self._copy_waiting(view)
        if step is None:
            self._lanes.leave(key)
        else:
            step[1](key)

    def _predict_and_copy(self, view: CarrierView, key: str) -> None:
        assert view.take is not None
        assert view.judged is not None
        treatment = fields_treatment(view.judged)

        def ended(prediction: Prediction) -> None:
            self._choose_and_ask(view, prediction)

        request = PredictRequest(view.take.path, view.judged, treatment, _QUICK)
        self._job(key, predict, request, "predicting K-004", ended)

    def _ask_unpredicted(self, view: CarrierView, key: str) -> None:
        self._choose_and_ask(view)
        self._lanes.leave(key)

    def _choose_and_ask(self, view: CarrierView, prediction: Prediction | None = None) -> None:
        assert view.take is not None
        assert view.judged is not None
        treatment = fields_treatment(view.judged)
        self._record.readings.choose_treatment(view.take.id, treatment)
        ask_copy(self._record, self._record.carrier(view.id), _QUICK, prediction)

    def _copy_waiting(self, view: CarrierView) -> Step | None:
        """The oldest waiting copy of a carrier."""
        waiting = next((copy for copy in view.copies if copy.state == "waiting"), None)
        if waiting is None:
            return None

        def start(key: str) -> None:
            work = self._record.copies.work(waiting.id)
            self._record.copies.start(waiting.id)
            request = CopyRequest(work.path, work.target, work.reading, work.treatment, work.recipe)

            def watch(job: Job) -> None:
                if view.label == "K-009" and not self._spoilt and getattr(job.progress, "part", 0) > _SPOILT_AFTER:
                    self._spoilt = True
                    spoil(work.path)  # its drive loses sectors

            self._job(
                key, make_copy, request, f"copy of {view.label}", lambda result: write_made(self._record, waiting, result), watch=watch,
                failed=lambda error: write_failed(self._record, waiting, error),
            )  # fmt: skip

        return f"{view.label} is copied", start

    def _finish(self) -> None:
        self._marker.unlink(missing_ok=True)
        self.done = True
        words = "The demo is ready: K-001 has been through all stations."
        self._state.tell(Weight.FINE, words, "Capture K-002 anew, read a lesson of K-003, or start the run.")

    def _scratch(self, view: CarrierView) -> Path:
        """Where a take grows that has no row yet: what an earlier start left there is overwritten."""
        made = self._state.workspace.folder / "takes" / f".demo-{view.label.lower()}.mkv"
        for old in (made, health_path(made)):
            old.unlink(missing_ok=True)
        return made


def _rate(view: CarrierView) -> float:
    """Frames a second of a tape."""
    return float(STANDARDS[view.standard or ""].rate)
