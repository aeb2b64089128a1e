"""What copies would cost, and the choice among them."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from yomikomi.core.balance.choice import choices, smallest_possible
from yomikomi.core.balance.curves import PlanePoint, plane_points
from yomikomi.core.balance.leaving import WATCHED, as_it_is
from yomikomi.core.balance.models import TrialPoint, TrialSet
from yomikomi.core.balance.sentences import TRIALS_STOPPED, before_trials, headline, none_fits, none_smaller, untouched_headline
from yomikomi.core.balance.trials import TrialProgress, TrialRequest, run_trials, segments_for
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.trials import Ground
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.codecs import EFFORTS
from yomikomi.core.recipes.recipe import effort_of, usual_recipes
from yomikomi.core.run.others import left_before
from yomikomi.core.treatment.format import source_format
from yomikomi.core.video.timecode import clock, frame_clock
from yomikomi.core.video.units import parse_size, size_text
from yomikomi.core.work import Job
from yomikomi.core.work.job import JobState
from yomikomi.core.work.notices import Weight
from yomikomi.ui.balance.cards import ChoiceCard, Crop
from yomikomi.ui.balance.plane import BalancePlane
from yomikomi.ui.balance.requirements import Requirements
from yomikomi.ui.kept import keep
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import CardColumn, button, label, restyle, row, side_panel
from yomikomi.ui.widgets.empty import EmptyNote


class BalanceStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.queue = CopyQueue.of(state)
        self.job: Job | None = None
        self._job_take = self._told = 0
        self._job_folder: Path | None = None
        self._view: CarrierView | None = None
        self._trials: TrialSet | None = None
        self._folder: Path | None = None
        self.plane_data: dict[str, list[PlanePoint]] = {}
        self.limit_bytes: float | None = None
        self.picked: PlanePoint | None = None
        self._picked_by_hand = False
        self._begun: set[int] = set()

    def build(self) -> Iterator[None]:
        left = QVBoxLayout()
        left.setSpacing(8)
        side, right = side_panel(340)
        self.lay_out(left, side)
        self.plane = BalancePlane()
        self.plane.setMinimumHeight(300)
        self.plane.picked.connect(self.pick)
        self.plane.limit_dragged.connect(self.set_limit)
        self.empty = EmptyNote("Size, fidelity and time of copies, measured on parts of this take before anything is encoded in full.")
        left.addWidget(self.empty, 1)
        left.addWidget(self.plane, 1)
        yield
        self.bar = QProgressBar()
        self.bar.setRange(0, 1000)
        self.bar.hide()
        self.crops_head = label(quiet=True)
        left.addWidget(self.bar)
        left.addWidget(self.crops_head)
        self.crops_row = QWidget()
        left.addWidget(self.crops_row)
        self.crops = [Crop() for _ in range(3)]
        self.crops_row.setLayout(row(*self.crops, spacing=10))
        yield
        self._fill_side(right)

    def _fill_side(self, right: QVBoxLayout) -> None:
        self.needs = Requirements()
        self.limit_line, self.effort, self.container = self.needs.limit_line, self.needs.effort, self.needs.container
        self.needs.limit_typed.connect(self._on_limit_typed)
        self.needs.judged_otherwise.connect(self._on_judged_otherwise)
        self.needs.container_chosen.connect(self._ask_left)
        self.left_words = label("", quiet=True, wrap=True)
        self.left_words.hide()
        self.cards_box = CardColumn()
        self.why = label(quiet=True, wrap=True)
        self.try_button = button("Run trials", self.try_recipes, tip="F7")
        self.send_button = button("Add to the run", self.primary, primary=True, tip="Ctrl+Return")
        self.send_button.setMinimumWidth(150)
        right.addWidget(label("Worth considering", name="section"))
        right.addLayout(self.cards_box)
        right.addWidget(self.why)
        right.addStretch(1)
        right.addWidget(self.needs)
        right.addWidget(self.left_words)
        right.addSpacing(4)
        right.addLayout(row(self.try_button, 1, self.send_button))

    @property
    def cards(self) -> list[ChoiceCard]:
        return self.cards_box.all_of(ChoiceCard)

    def show_carrier(self, view: CarrierView | None) -> None:
        same = view is not None and self._view is not None and view.id == self._view.id
        self._view = view
        if not same:
            self._picked_by_hand = False
            self.picked = None
        trials = view.trials if view else None
        if self.job is not None and view and view.take and view.take.id == self._job_take:
            trials = self._trials or trials
        self._put_trials(trials, view.trials_folder if view else None)
        self._ask_left()
        self._buttons()

    def primary(self) -> None:
        """Queue the picked copy; run the trials while there is nothing to pick."""
        view, picked = self._view, self.picked
        if picked is None and self._trials is None:
            self.try_recipes()
            return
        if view is None or view.take is None or view.treatment is None or picked is None:
            return
        if self.job is not None and self._job_take == view.take.id:  # whoever has seen enough need not wait for the rest
            self.state.jobs.cancel(self.job)
        recipe = picked.prediction.recipe
        if not recipe.untouched:
            container, sound = self.container.currentData()
            recipe = recipe.model_copy(update={"container": container, "sound_codec": sound})
        self.queue.ask(view, recipe, picked.prediction.model_copy(update={"recipe": recipe}))
        self.state.tell(Weight.FINE, f"{recipe.words} of {view.label} is in the run.")
        self.state.go.emit("run")

    @property
    def _ready(self) -> bool:
        """Trials can be run."""
        return self._view is not None and self._view.treatment is not None and self._view.reading is not None

    def entered(self) -> None:
        """Trials are the only next step of a treated take without them, unless it is best copied as it is: they begin by themselves, once;
        what a person stopped, stays."""
        take = self._view.take if self._view else None
        idle = self.job is None and not self.state.records  # never beside a recording
        wanted = self._ready and self._trials is None and self._as_it_is is None and self.state.starts_by_itself
        if take is not None and idle and wanted and take.id not in self._begun:
            self._begun.add(take.id)
            self.try_recipes()

    def act(self, key: str) -> None:
        if key == "try":
            self.try_recipes()

    def try_recipes(self) -> None:
        """Run the trials of the current take in a worker; the plane fills while they come in."""
        view = self._view
        if view is None or view.take is None or view.judged is None or view.treatment is None or self.job is not None:
            return
        colour = view.treatment.formats(source_format(view.judged))[-1].colour
        recipes = tuple(
            usual_recipes(
                fields=view.treatment.leaves_fields,
                effort=self.effort.currentData(),
                transfer=colour.transfer,
                bit_depth=view.judged.bit_depth,
            )
        )
        try:
            folder = self.state.record.trials.new_folder(view.take.id)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        parts, more = segments_for(view.judged.duration_seconds)
        request = TrialRequest(view.take.path, view.judged, view.treatment, recipes, segments=parts, more=more, folder=folder)
        self._trials, self._told, self._job_take, self._job_folder = None, 0, view.take.id, folder
        ground = self.state.record.trials.ground(view.take.id)
        self.job = self.state.jobs.start(
            run_trials, request, name="trials", resource="processor",
            on_progress=self._on_progress, on_end=partial(self._on_end, take_id=view.take.id, folder=folder, ground=ground),
        )  # fmt: skip
        self.bar.setValue(0)
        self.bar.setFormat("starting")
        self.bar.show()
        self._put_trials(None, None)
        self._buttons()

    def pick(self, point: PlanePoint) -> None:
        self.picked, self._picked_by_hand = point, True
        self._show_choice()

    def set_limit(self, limit_bytes: float | None) -> None:
        """A new size limit; what stands out is chosen anew."""
        self.limit_bytes = limit_bytes
        self.limit_line.setText(size_text(limit_bytes) if limit_bytes else "")
        self._picked_by_hand = False
        self._put_trials(self._trials, self._folder)

    def _on_limit_typed(self) -> None:
        words = self.limit_line.text().strip()
        typed = parse_size(words) if words else None
        if words and typed is None:
            self.state.tell(Weight.LOOK, f"{words!r} is no size.", "Write it as 4.7GB or 700 MB; empty for no limit.")
            return
        if words and self.limit_bytes and size_text(self.limit_bytes) == words:
            return
        self.set_limit(float(typed) if typed else None)

    def _on_judged_otherwise(self) -> None:
        """Another way of watching, or another difference that may be seen: what stands out is chosen anew."""
        self._picked_by_hand = False
        try:
            keep("balance", self.needs.document)
        except YomikomiError as error:
            self.state.tell_error(error)
        self._put_trials(self._trials, self._folder)

    def _on_progress(self, job: Job) -> None:
        progress: TrialProgress = job.progress
        self.bar.setValue(round(progress.part * 1000))
        left = f" · {clock(progress.seconds_left)} left" if progress.part > 0.02 else ""
        self.bar.setFormat(f"{progress.doing or 'estimating'}{left}")
        mine = self._view and self._view.take and self._view.take.id == self._job_take
        if progress.so_far is not None and mine and progress.told != self._told:
            self._told = progress.told
            self._put_trials(progress.so_far, self._job_folder)

    def _on_end(self, job: Job, take_id: int, folder: Path, ground: Ground) -> None:
        """What was measured is kept, also where a person stopped it."""
        self.job = None
        self.bar.hide()
        stopped_with = job.progress.so_far if job.state is JobState.CANCELLED and job.progress is not None else None
        found: TrialSet | None = job.result if job.state is JobState.DONE else stopped_with
        if found is not None:
            if not self.state.record.trials.save(take_id, found, folder, ground=ground):
                self._trials = None
                self.state.tell(
                    Weight.LOOK, "The reading changed while the trials ran, so their figures were not kept.",
                    "Run them again.",
                )  # fmt: skip
            elif stopped_with is not None:
                self.state.tell(Weight.LOOK, TRIALS_STOPPED)
            self.state.reload()
        else:
            self._trials = None
            self.state.tell_end(job)
        self.show_carrier(self.state.current)

    def _ask_left(self) -> None:
        """What the container that is chosen cannot hold of this take: said before anything is made."""
        view = self._view
        if view is None or view.take is None or view.treatment is None:
            self._say_left([])
            return
        path, treatment, container = view.take.path, view.treatment, self.container.currentData()[0]
        nothing = partial(self._say_left, [])  # of a file that went away more is said elsewhere
        self.state.calls.call("left out", lambda: left_before(path, treatment, container), self._say_left, lambda _error: nothing())

    def _say_left(self, left: list[str]) -> None:
        self.left_words.setText(f"Not in the copy: {'; '.join(left)}.")
        self.left_words.setVisible(bool(left))

    def _put_trials(self, trials: TrialSet | None, folder: Path | None) -> None:
        self._trials, self._folder = trials, folder
        codecs = {p.recipe.codec for p in trials.points} if trials else set()
        self.plane_data = plane_points(trials, self.needs.viewing) if trials and codecs else {}
        if trials is not None and self.limit_bytes is None:
            self.plane.show_limit(None)
        if trials is not None and self.job is None and trials.points and (effort := effort_of(trials.points[0].recipe)):
            self.effort.setCurrentIndex(list(EFFORTS).index(effort))
        self.plane.show_plane(self.plane_data)
        self._fill_choices()
        self._show_choice()

    def _fill_choices(self) -> None:
        self.cards_box.clear()
        found = choices(
            self.plane_data, limit_bytes=self.limit_bytes, wanted=self.needs.wanted, own_bytes=self._own_bytes, as_it_is=self._as_it_is,
            codec=self._codec_words,
        )  # fmt: skip
        for choice in found:
            card = ChoiceCard(choice)
            card.chosen.connect(lambda point=choice.point: self.pick(point))
            self.cards_box.addWidget(card)
        if self.plane_data:
            self.plane.show_limit(self.limit_bytes)
            self.plane.show_own(self._own_bytes)
        best = next((c.point for c in found if c.key == "best"), None)
        self.plane.show_best(best)
        offered = [p for curve in self.plane_data.values() for p in curve] + [choice.point for choice in found]
        known = {(p.prediction.recipe.codec, p.prediction.recipe.rate): p for p in offered}
        kept = self.picked.prediction.recipe if self.picked else None
        if self._picked_by_hand and kept and (kept.codec, kept.rate) in known:
            self.picked = known[kept.codec, kept.rate]
        else:
            self.picked = found[0].point if found else None

    def _show_choice(self) -> None:
        self.plane.show_chosen(self.picked)
        chosen = None
        for card in self.cards:
            fits = self.picked is not None and card.choice.point.prediction.recipe == self.picked.prediction.recipe
            card.mark_chosen(fits)
            chosen = card.choice if fits and chosen is None else chosen
        self.why.setText(chosen.why if chosen else "")
        self._say()
        self._show_crops()
        self._buttons()

    def _say(self) -> None:
        view, trials, picked = self._view, self._trials, self.picked
        if picked is not None and picked.prediction.recipe.untouched and self.job is None:
            self.sentence.say(*untouched_headline(self._codec_words, picked.size, tried=trials is not None))
        elif view is None or view.reading is None or view.treatment is None or trials is None:
            read, treated = view is not None and view.reading is not None, view is not None and view.treatment is not None
            self.sentence.say(*before_trials(read=read, treated=treated, running=self.job is not None))
        elif picked is not None:
            self.sentence.say(*headline(trials, picked, running=self.job is not None))
        elif self._own_bytes is not None and not choices(self.plane_data, limit_bytes=None, own_bytes=self._own_bytes):
            self.sentence.say(*none_smaller(self._own_bytes))
        elif self.limit_bytes is not None:
            self.sentence.say(*none_fits(self.limit_bytes, smallest_possible(self.plane_data)))

    def _show_crops(self) -> None:
        trials, folder = self._trials, self._folder
        measured = {(p.recipe.codec, p.recipe.level): p for p in trials.points if p.crop} if trials else {}
        if trials is None or folder is None or not measured or self.picked is None:
            self.crops_head.setText("")
            for crop in self.crops:
                crop.put(None, "", "")
            return
        recipe, size = self.picked.prediction.recipe, self.picked.size
        near = min(measured.values(), key=lambda p: (p.recipe.codec != recipe.codec, abs(p.size_bytes.expected - size)))
        others = [p for p in measured.values() if p is not near]
        other = min(
            others, key=lambda p: (p.recipe.codec == recipe.codec, abs(p.size_bytes.expected - near.size_bytes.expected)), default=near
        )
        hard = next((s for s in trials.segments if s.role in {"hardest", "whole"}), trials.segments[0])
        rate = Fraction(self._view.reading.rate.nominal) if self._view and self._view.reading else Fraction(30)
        self.crops_head.setText(f"Hardest moment, {frame_clock(hard.first_frame + hard.frames // 2, rate)} · same place, 1:1 pixels")
        self.crops[0].put(folder / (trials.source_crop or ""), "treated take", "")
        for crop, point in ((self.crops[1], near), (self.crops[2], other)):
            crop.put(folder / (point.crop or ""), f"{point.recipe.row.words} {point.recipe.level}", self._seen(point))

    @property
    def _as_it_is(self) -> PlanePoint | None:
        """A copy without an encode, where the take is watched as it is."""
        view = self._view
        if view is None or view.take is None or view.judged is None or view.treatment is None:
            return None
        return as_it_is(view.take.path, view.judged, view.treatment, self.needs.viewing)

    @property
    def _codec_words(self) -> str:
        codec = self._view.judged.codec if self._view is not None and self._view.judged is not None else ""
        return WATCHED.get(codec, codec)

    @property
    def _own_bytes(self) -> float | None:
        """Size of the take itself, of what the treatment keeps of it."""
        view, trials = self._view, self._trials
        if view is None or view.take is None or view.judged is None or trials is None or not view.take.size_bytes:
            return None
        return view.take.size_bytes * min(1.0, trials.duration_seconds / max(0.001, view.judged.duration_seconds))

    def _seen(self, point: TrialPoint) -> str:
        fidelity = point.fidelity(self.needs.viewing)
        return f"{fidelity.value:.1f} dB" if fidelity else ""

    def _buttons(self) -> None:
        ready, shows = self._ready, self._trials is not None
        self.try_button.setEnabled(ready and self.job is None)
        self.try_button.setText("Run trials again" if self._trials and self.job is None else "Run trials")
        for one in (self.plane, self.crops_head, self.crops_row):
            one.setVisible(shows)
        self.empty.setVisible(not shows)
        self.empty.say(self.sentence.text)
        # The next step of the work is the filled one.
        restyle(self.try_button, primary=self.picked is None)
        restyle(self.send_button, primary=self.picked is not None)
        self.send_button.setEnabled(ready and self.picked is not None)
