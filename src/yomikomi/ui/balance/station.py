"""What copies would cost, and the choice among them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from yomikomi.core.balance import sentences
from yomikomi.core.balance.curves import PlanePoint
from yomikomi.core.balance.learning import Lesson
from yomikomi.core.balance.models import TrialSet
from yomikomi.core.balance.offer import Offer, Wanted
from yomikomi.core.balance.serving import Footage
from yomikomi.core.errors import YomikomiError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.recipes.codecs import EFFORTS
from yomikomi.core.recipes.recipe import effort_of
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.work import Job
from yomikomi.core.work.notices import Weight
from yomikomi.ui.balance.as_it_is import AsItIs
from yomikomi.ui.balance.by_hand import SettingsByHand
from yomikomi.ui.balance.cards import ChoiceCard
from yomikomi.ui.balance.comparing import Comparing
from yomikomi.ui.balance.crops import Crops
from yomikomi.ui.balance.eyes import Eyes
from yomikomi.ui.balance.left_out import LeftOut
from yomikomi.ui.balance.plane import BalancePlane
from yomikomi.ui.balance.requirements import Requirements
from yomikomi.ui.balance.scale_menu import ScaleMenu
from yomikomi.ui.balance.set_box import SetBox
from yomikomi.ui.balance.trying import Trying
from yomikomi.ui.run.queue import CopyQueue
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.widgets.basics import CardColumn, button, label, restyle, row, scrolled_widget, side_panel
from yomikomi.ui.widgets.empty import EmptyNote


class BalanceStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self.queue = CopyQueue.of(state)
        self._view: CarrierView | None = None
        self._folder: Path | None = None
        self.offer = Offer(Wanted())
        self._lessons: dict[str, Lesson] = {}
        self.picked: PlanePoint | None = None
        self._picked_by_hand = False
        self.as_it_is = AsItIs(state, self._on_known)
        self.by_hand = SettingsByHand(state, self, self._make_offer, self.pick)

    def build(self) -> Iterator[None]:
        left = QVBoxLayout()
        left.setSpacing(8)
        side, right = side_panel(340)
        self.lay_out(left, side)
        self.plane = BalancePlane()
        self.plane.setMinimumHeight(300)
        self.plane.picked.connect(self.pick)
        self.plane.limit_dragged.connect(self.set_limit)
        self.scale = ScaleMenu(self.state, self.plane)
        self.empty = EmptyNote("Size, fidelity and time of copies, measured on parts of this take before anything is encoded in full.")
        left.addWidget(self.empty, 1)
        left.addWidget(self.plane, 1)
        yield
        bar = QProgressBar()
        bar.setRange(0, 1000)
        bar.hide()
        self.trying = Trying(self.state, bar, on_news=self._on_news, on_end=self._on_end)
        self.comparing = Comparing(self.state, self, bar, lambda: (self._view, self.offer, self.picked), on_changed=self._show_choice)
        self.crops = Crops(self.comparing.button)
        self.plane.marked.connect(self.comparing.mark)
        left.addWidget(bar)
        left.addWidget(self.crops)
        yield
        self._fill_side(right, bar)

    def _fill_side(self, right: QVBoxLayout, bar: QProgressBar) -> None:
        self.needs = Requirements(self.state)
        self.eyes = Eyes(self.state, self, bar, on_kept=self.needs.take_own)
        self.limit_line, self.effort, self.container = self.needs.limit_line, self.needs.effort, self.needs.container
        self.needs.changed.connect(self._on_needs)
        self.needs.eyes_wanted.connect(self.find_threshold)
        self.needs.outlets_chosen.connect(self.entered, Qt.ConnectionType.QueuedConnection)
        self.left_out = LeftOut(self.state)
        self.cards_box = CardColumn()
        self.why = label(quiet=True, wrap=True)
        self.try_button = button("Run trials", self.try_recipes, tip="F7")
        self.send_button = button("Add to the run", self.primary, primary=True, tip="Ctrl+Return")
        self.send_button.setMinimumWidth(150)
        right.addWidget(label("Worth considering", name="section"))
        # What stands out scrolls where it is more than fits: what is asked for, and the buttons, stay where they are.
        holder = QWidget()
        choices = QVBoxLayout(holder)
        choices.setContentsMargins(0, 0, 0, 0)
        choices.addLayout(self.cards_box)
        choices.addStretch(1)
        self._scroll = scrolled_widget(holder)
        self._scroll.setMinimumHeight(150)
        right.addWidget(self._scroll, 1)
        self.why.setMinimumHeight(3 * self.why.fontMetrics().lineSpacing())  # what is above stays where it is, whichever is picked
        self.why.setAlignment(Qt.AlignmentFlag.AlignTop)
        right.addWidget(self.why)
        right.addWidget(self.needs)
        right.addWidget(self.left_out)
        right.addSpacing(4)
        self.set_button = button("Several copies…", self.ask_set, link=True, tip="A set of copies, predicted and made together")
        self.settings_button = button("All settings…", self.ask_settings, link=True, tip="The complete recipe, and what it comes to")
        right.addLayout(row(self.settings_button, self.set_button, 1))
        right.addLayout(row(self.try_button, 1, self.send_button))

    @property
    def job(self) -> Job | None:
        """The trials that run."""
        return self.trying.job

    @property
    def cards(self) -> list[ChoiceCard]:
        return self.cards_box.all_of(ChoiceCard)

    @property
    def plane_data(self) -> dict[str, list[PlanePoint]]:
        return self.offer.served.plane

    def show_carrier(self, view: CarrierView | None) -> None:
        same = view is not None and self._view is not None and view.id == self._view.id
        self._view = view
        if not same:
            self._picked_by_hand = False
            self.picked = None
        self._make_offer()
        self._ask_left()
        if view is not None and view.trials is not None:
            lessons, kind = self.state.record.lessons, view.kind
            self.state.calls.call("lessons", lambda: lessons.of(kind), self._learn)

    def _learn(self, lessons: dict[str, Lesson]) -> None:
        """What earlier copies say came out of the record, in a thread: it may be some hundred documents."""
        if lessons != self._lessons:
            self._lessons = lessons
            self._make_offer()

    def _newest(self) -> tuple[TrialSet | None, Path | None]:
        """Of trials that run now, what they found so far."""
        view = self._view
        if view is not None and view.take is not None and self.trying.is_of(view.take.id):
            return self.trying.so_far, self.trying.folder
        return (view.trials, view.trials_folder) if view is not None else (None, None)

    def primary(self) -> None:
        """What comes next: pictures that do not fit are made to, noise is taken out, trials are run, the picked copy is put into the
        run."""
        view, picked = self._view, self.picked
        if self.offer.reshaped is not None and picked is None:
            self._treat(self.offer.reshaped)
        elif picked is not None and picked.of_another_treatment:
            self._treat(self.offer.quieter)
        elif picked is None and self.offer.trials is None:
            self.try_recipes()
        elif view is not None and view.take is not None and view.treatment is not None and picked is not None:
            if self.trying.is_of(view.take.id):  # whoever has seen enough need not wait for the rest
                self.trying.stop()
            recipe = picked.prediction.recipe
            self.queue.ask(view, recipe, picked.prediction, self.offer.served.outlet)
            self.by_hand.remember(recipe)
            self.state.tell(Weight.FINE, f"{recipe.words} of {view.label} is in the run.")
            self.state.go.emit("run")

    def ask_set(self) -> None:
        """Several copies of the take at once."""
        view = self._view
        if view is not None and view.take is not None and view.judged is not None and view.treatment is not None:
            SetBox(self.state, view, partial(self.queue.ask_set, view), self).open()

    def ask_settings(self) -> None:
        """The complete recipe, to be changed by hand."""
        self.by_hand.open(self._view, self.offer, self.picked)

    def _treat(self, treatment: Treatment | None) -> None:
        """Another treatment, which is tried next: pictures that an outlet does not take are made to fit, or noise is taken out."""
        view = self._view
        if view is None or view.take is None or treatment is None:
            return
        if self.trying.is_of(view.take.id):
            self.trying.stop()
        try:
            self.state.record.readings.choose_treatment(view.take.id, treatment)
        except YomikomiError as error:
            self.state.tell_error(error)
            return
        self._picked_by_hand = False
        self.state.reload()
        self.entered()

    def entered(self) -> None:
        """Trials are the only next step of a treated take without them, unless it is best copied as it is or does not fit: they begin by
        themselves, once; what a person stopped, stays."""
        view, offer = self._view, self.offer
        # Never beside a recording, nor before it is known whether any are needed.
        idle = self.job is None and not self.state.records and not self.as_it_is.asks(view)
        wanted = offer.can_try and not offer.served.plane and offer.own is None and offer.reshaped is None
        if idle and wanted and self.state.starts_by_itself and self._once not in self.trying.begun:
            self.try_recipes()

    @property
    def _once(self) -> tuple[int, str, str]:
        """What trials are begun for by themselves once: a take as it is treated, for outlets."""
        view, outlet = self._view, self.offer.outlet
        take, treatment = (view.take, view.treatment) if view is not None else (None, None)
        return take.id if take else 0, treatment.digest if treatment else "", outlet.key if outlet else ""

    def act(self, key: str) -> None:
        if key == "try":
            self.try_recipes()

    def try_recipes(self) -> None:
        """Run the trials of the current take in a worker; the plane fills while they come in."""
        view, footage = self._view, self.offer.footage
        if view is None or view.take is None or footage is None or self.job is not None:
            return
        self.trying.begun.add(self._once)
        recipes = footage.recipes(self.effort.currentData(), self.offer.outlet)
        if recipes and self.trying.begin(view, recipes):
            self._make_offer()

    def find_threshold(self) -> None:
        """Blind comparisons, with the codec of the picked point."""
        codec = self.picked.prediction.recipe.codec if self.picked is not None else ""
        self.eyes.begin(self._view, self.offer.trials, codec)

    def pick(self, point: PlanePoint) -> None:
        self.picked, self._picked_by_hand = point, True
        self._show_choice()

    def set_limit(self, limit_bytes: float | None) -> None:
        """A new size limit; what stands out is chosen anew."""
        self.needs.put_limit(limit_bytes)
        self._on_needs()

    def _on_needs(self) -> None:
        """Something else is asked of the copy: what stands out is chosen anew."""
        self._picked_by_hand = False
        self._make_offer()
        self._ask_left()

    def _on_news(self) -> None:
        take = self._view.take if self._view else None
        if take is not None and self.trying.is_of(take.id):
            self._make_offer()

    def _on_known(self) -> None:
        """It is known now where the take's own streams play."""
        self._make_offer()
        if self.isVisible():
            self.entered()

    def _on_end(self) -> None:
        self.show_carrier(self.state.current)
        if self.isVisible():  # another outlet may have been chosen meanwhile
            self.entered()

    def _ask_left(self) -> None:
        view = self._view
        if view is None or view.take is None or view.treatment is None:
            self.left_out.say([])
        else:
            self.left_out.ask(view.take.path, view.treatment, self.container.currentData()[0])

    def _make_offer(self) -> None:
        view, wanted = self._view, self.needs.wanted
        trials, self._folder = self._newest()
        footage = Footage(view.judged, view.treatment) if view and view.take and view.judged and view.treatment else None
        offer = Offer(wanted, footage, trials, read=view is not None and view.reading is not None)
        own = self.as_it_is.point(view, wanted.viewing, offer.outlet, of_several=bool(wanted.outlets))
        self.offer = replace(
            offer, own=own, take_bytes=view.take.size_bytes if view and view.take else None, lessons=self._lessons,
            by_hand=self.by_hand.made_for(view), last_recipe=self.by_hand.last,
        )  # fmt: skip
        if trials is not None and self.job is None and trials.points and (effort := effort_of(trials.points[0].recipe)):
            self.effort.setCurrentIndex(list(EFFORTS).index(effort))
        self._fill()

    def _fill(self) -> None:
        """The plane, the cards, and which of the points is picked."""
        offer = self.offer
        outside = {key: offer.raw[key] for key in offer.served.outside}
        self.plane.show_plane(offer.served.plane, outside, offer.curve_names, offer.beside)
        self.plane.show_limit(offer.limit_bytes)
        own = offer.own_bytes if offer.served.plane else None
        self.plane.show_rules(own, self.needs.own.least if self.needs.own is not None else None)
        self.cards_box.clear()
        for choice in offer.choices:
            card = ChoiceCard(choice)
            card.chosen.connect(lambda point=choice.point: self.pick(point))
            self.cards_box.addWidget(card)
        self.plane.show_best(next((c.point for c in offer.choices if c.key == "best"), None))
        kept = offer.same(self.picked) if self._picked_by_hand else None
        self.picked = kept or next((choice.point for choice in offer.choices if choice.key != "by hand"), None)
        self._show_choice()

    def _show_choice(self) -> None:
        self.plane.show_chosen(self.picked, beside=self.comparing.marked_in(self.offer))
        chosen = None
        for card in self.cards:
            fits = self.picked is not None and card.choice.point.makes == self.picked.makes
            card.mark_chosen(fits)
            if fits and self._picked_by_hand:
                self._scroll.ensureWidgetVisible(card)
            chosen = card.choice if fits and chosen is None else chosen
        view, outlet = self._view, self.offer.served.outlet
        wrong = self.as_it_is.wrong(view, outlet) if outlet is not None else ()
        refused = sentences.not_as_it_is(outlet.words, wrong) if outlet is not None and wrong else ""
        self.why.setText(" ".join(words for words in (chosen.why if chosen else "", refused) if words))
        self.sentence.say(*self.offer.words(self.picked, running=self.job is not None))
        rate = Fraction(view.reading.rate.nominal) if view and view.reading else Fraction(30)
        self.crops.show_of(self.offer.trials, self._folder, self.picked, rate=rate, viewing=self.needs.viewing)
        self._buttons()

    def _buttons(self) -> None:
        offer, idle, picked = self.offer, self.job is None, self.picked is not None
        ready, makes_fit = offer.footage is not None, offer.reshaped is not None and not picked
        shows = bool(offer.served.plane or offer.served.outside)
        self.try_button.setEnabled(offer.can_try and idle)
        self.set_button.setEnabled(ready)
        self.comparing.button.setEnabled(ready and bool(self.comparing.points(offer, self.picked)))
        self.settings_button.setEnabled(ready)
        self.needs.eyes_button.setEnabled(picked and idle and offer.trials is not None)
        self.try_button.setText("Run trials again" if offer.trials and idle else "Run trials")
        self.plane.setVisible(shows)
        self.crops.setVisible(shows and picked)
        self.empty.setVisible(not shows)
        self.empty.say(self.sentence.text)
        # The next step of the work is the filled one.
        quieter = self.picked is not None and self.picked.of_another_treatment
        words = "Make the pictures fit" if makes_fit else "Take the noise out" if quieter else "Add to the run"
        self.send_button.setText(words)
        restyle(self.try_button, primary=offer.can_try and not picked and not makes_fit)
        restyle(self.send_button, primary=picked or makes_fit)
        self.send_button.setEnabled(ready and (picked or makes_fit))
