"""The chain of corrections: what is suggested, with its alternatives, and before and after on the most combed second."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QVBoxLayout, QWidget

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.playing.sources import TreatedSource
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.sentences import findings
from yomikomi.core.treatment.advice import advise, usual_of
from yomikomi.core.treatment.alike import like
from yomikomi.core.treatment.audio_steps import AnyAudioStep, AudioStep
from yomikomi.core.treatment.effects import Effect
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.sentences import headline
from yomikomi.core.treatment.steps import AnyStep, CutOut, Fields, Film, Levels, Reframe, Trim
from yomikomi.core.treatment.timing import Timing, length_of
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import number_text
from yomikomi.core.work.text import capital
from yomikomi.ui.playing.deck import Named
from yomikomi.ui.shell.station import Played, Station
from yomikomi.ui.state import AppState
from yomikomi.ui.treatment.by_hand import KINDS, Kind, StepForm
from yomikomi.ui.treatment.cards import HandCard, NoteCard, StepCard, taking
from yomikomi.ui.treatment.from_files import FromFiles
from yomikomi.ui.treatment.history import History
from yomikomi.ui.treatment.looking import Looking
from yomikomi.ui.treatment.reframe_form import Looked, ReframeForm
from yomikomi.ui.widgets.basics import CardColumn, button, label, menu_button, row, scrolled_widget, side_panel
from yomikomi.ui.widgets.empty import EmptyNote


class TreatmentStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self._view: CarrierView | None = None
        self._suggested = Treatment()
        self.history = History()
        self.files = FromFiles(state, self, self._standing, self.choose)
        self.looking = Looking(state)
        self.looking.measured.connect(self._take_effects)
        self.looking.strip.changed.connect(self.choose)
        self.looking.player.before.waveform.chosen.connect(self.set_points)
        self.looking.watch_button.clicked.connect(self.open_player)
        self.empty = EmptyNote("What is done to the picture before a copy is made: each correction with its reason, before and after.")
        self.cards_box = CardColumn()
        self.result = label(quiet=True, wrap=True)
        self.use_button = button("Use this treatment", self.primary, primary=True, tip="Ctrl+Return")
        self.use_button.setMinimumWidth(150)
        self.undo_button = button("Undo", lambda: self.act("undo"), tip="Ctrl+Z")
        self.suggested_button = button("As suggested", lambda: self.act("as_suggested"), tip="All that is suggested, nothing else")
        self._lay_out()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addWidget(self.empty, 1)
        left.addWidget(self.looking, 1)
        side, right = side_panel(340)
        self.hand_box = CardColumn()
        chain, steps = QWidget(), QVBoxLayout()
        chain.setLayout(steps)
        steps.setContentsMargins(0, 0, 6, 0)
        steps.addLayout(self.cards_box)
        steps.addLayout(self.hand_box)
        offered = [(f"{kind.words}…", partial(self.ask_by_hand, kind)) for kind in KINDS]
        self.like_button = menu_button("Like another take", [])
        self.like_button.menu().aboutToShow.connect(self._offer_likes)
        self.add_button = menu_button("Add a step", [*offered, *self._from_files()])
        steps.addLayout(row(self.add_button, self.like_button, 1))
        self.asked_head = label("Not yet done by this program", name="section")
        self.asked = label(quiet=True, wrap=True)
        steps.addWidget(self.asked_head)
        steps.addWidget(self.asked)
        steps.addStretch(1)
        scroll = scrolled_widget(chain)
        scroll.setMinimumHeight(190)
        right.addWidget(scroll, 1)  # the button stays where it is, however long the chain
        right.addWidget(self.result)
        right.addLayout(row(self.undo_button, self.suggested_button, 1, self.use_button))
        self.lay_out(left, side)

    def _from_files(self) -> list[tuple[str, Callable[[], None]]]:
        return [
            ("Colour table…", self.files.ask_table), ("Tracks…", self.files.ask_tracks),
            ("Separately recorded sound…", self.files.ask_sound), ("Burn in subtitles…", self.files.ask_burn_in),
        ]  # fmt: skip

    @property
    def chosen(self) -> Treatment | None:
        return self.history.now

    @property
    def cards(self) -> list[StepCard]:
        return self.cards_box.all_of(StepCard)

    def show_carrier(self, view: CarrierView | None) -> None:
        before, self._view = self._view, view
        reading = view.judged if view else None
        self.cards_box.clear()
        self.use_button.setEnabled(reading is not None)
        self.empty.setVisible(reading is None)
        for part in (self.looking, self.undo_button, self.suggested_button, self.add_button, self.like_button):
            part.setVisible(reading is not None)
        if view is None or reading is None or view.take is None:
            self.sentence.say("Read the take first.", "The treatment follows from the reading")
            self.asked.setText("")
            self.asked_head.hide()
            self.result.setText("")
            self.looking.clear()
            self.history.clear()
            self.hand_box.clear()
            self._buttons()
            return
        cards = findings(reading, view.origin)
        advised = advise(reading, cards)
        self._suggested = usual_of(advised)
        same = before is not None and before.id == view.id and before.judged == reading and before.treatment == view.treatment
        if not same or self.history.now is None:
            self.history.begin(view.treatment or self._suggested)
        done = {one.topic for one in advised}
        wanted = [one.words for one in proposals(reading, cards) if one.topic not in done]
        self.asked_head.setVisible(bool(wanted))
        self.asked.setText("\n".join(f"– {words}" for words in wanted))
        for one in advised:
            card = StepCard(one)
            card.picked.connect(lambda advice, number: self.choose(taking(self._now, advice, advice.ways[number].step)))
            self.cards_box.addWidget(card)
        self._show_choice()

    @property
    def _now(self) -> Treatment:
        return self.history.now or Treatment()

    def entered(self) -> None:
        self.looking.player.run(True)

    def left(self) -> None:
        self.looking.player.run(False)

    def choose(self, treatment: Treatment) -> None:
        """Another chain; what was chosen before can be had back."""
        self.history.add(treatment)
        self._show_choice()

    def set_points(self, black: float, white: float) -> None:
        """Black and white as they were set on the waveform; all else about levels stays."""
        old = self._now.get(Levels)
        step = old.model_copy(update={"black": black, "white": white}) if old is not None else Levels(black=black, white=white)
        self.choose(self._now.lacking(step) if step == Levels(black=16, white=235) else self._now.having(step))

    def ask_by_hand(self, kind: Kind) -> StepForm | ReframeForm | None:
        """A step of a kind: as it stands, or as it begins."""
        view = self._view
        if view is None or view.judged is None or self.chosen is None:
            return None
        begins = kind.begin(self._given(kind.begin(source_format(view.judged))))
        return self._open_form(self.chosen.same_kind(begins) or begins)

    def _given(self, step: AnyStep | AnyAudioStep) -> PictureFormat:
        """What goes into a step of the chain."""
        assert self._view is not None
        assert self._view.judged is not None
        return self._now.given_to(step, source_format(self._view.judged))

    def _offer_likes(self) -> None:
        """Takes of other carriers that have a treatment; the newest choice first."""
        menu = self.like_button.menu()
        menu.clear()
        others = self.state.record.readings.treated_last()
        here = self._view.id if self._view is not None else None
        for number, one in enumerate(other for other in others if other.carrier_id != here):
            words = f"As last time ({one.label})" if number == 0 else f"Like {one.label}"
            menu.addAction(words).triggered.connect(partial(self.use_like, one.treatment))
        if menu.isEmpty():
            menu.addAction("No other take has a treatment yet").setEnabled(False)

    def use_like(self, other: Treatment) -> None:
        """What belongs to the recording of the other take (its length, its loudness, its sync) is not taken over."""
        if self._view is not None and self._view.judged is not None:
            self.choose(like(other, self._view.judged))

    def _standing(self) -> tuple[CarrierView, Treatment] | None:
        return (self._view, self.chosen) if self._view is not None and self.chosen is not None else None

    def _open_form(self, step: AnyStep | AnyAudioStep) -> StepForm | ReframeForm:
        form: StepForm | ReframeForm
        if isinstance(step, Reframe):
            view = self._view
            assert view is not None
            assert view.take is not None
            assert view.judged is not None
            ahead = self._now.before(step).untimed
            form = ReframeForm(step, self._given(step), Looked(view.take.path, view.judged, ahead), self)
        else:
            form = StepForm(step, self._given(step), self)
        form.accepted.connect(lambda: self.choose(self._now.having(form.step)))
        form.open()
        return form

    def primary(self) -> None:
        if self._view is None or self._view.take is None or self.chosen is None or self._view.judged is None:
            return
        self.state.record.readings.choose_treatment(self._view.take.id, self.chosen)
        self.state.reload()
        self.state.go.emit("balance")

    def played(self) -> Played | None:
        """Before and after, both cut alike, so that they stay at one moment."""
        view, treatment = self._view, self.chosen
        if view is None or view.take is None or view.judged is None or treatment is None:
            return super().played()
        cuts = Treatment(steps=tuple(one for one in treatment.steps if isinstance(one, Trim | CutOut)))
        before, after = (TreatedSource(view.take.path, view.judged, one) for one in (cuts, treatment))
        at = float(Timing.of(view.judged, cuts).pieces.place(Timing.of(view.judged, cuts).shown_at(view.judged.most_combed_frame)))
        bottom = view.judged.scan.field_order == "bff"
        return Played((Named("before", before), Named("after", after)), f"{view.label}: before and after", bottom_first=bottom, begins=at)

    def act(self, key: str) -> None:
        if key == "play":
            self.looking.toggle()
        elif key == "as_suggested" and self._view is not None and self._view.judged is not None:
            self.choose(self._suggested)
        elif key in {"undo", "redo"} and (self.history.undo() if key == "undo" else self.history.redo()):
            self._show_choice()

    def _buttons(self) -> None:
        self.undo_button.setEnabled(self.history.can_undo)
        self.suggested_button.setEnabled(self.chosen is not None and self.chosen != self._suggested)

    def _show_choice(self) -> None:
        """What is chosen now: on the cards, in words, and as a loop."""
        view = self._view
        if view is None or view.judged is None or view.take is None or self.chosen is None:
            return
        for card in self.cards:
            card.show_of(self.chosen)
            card.show_effect(None)
        self._show_by_hand()
        self.sentence.say(*headline(view.judged, self.chosen, kept=view.treatment, suggested=self._suggested, origin=view.origin))
        self.result.setText(self._result_words(view.judged))
        self._buttons()
        self.looking.show_of(view.take.id, view.take.path, view.judged, self.chosen)

    def _result_words(self, reading: Reading) -> str:
        made = self._now.formats(source_format(reading))[-1]
        shape, words = made.geometry, capital(self._now.words(source_format(reading)))
        lasts = clock(length_of(reading, self._now))
        return f"{words}.\nResult: {shape.width} × {shape.height}, {shape.shape_words}, {rate_text(made.rate)} fps, {lasts}."

    def _show_by_hand(self) -> None:
        self.hand_box.clear()
        advised = [way.step for card in self.cards for way in card.advice.ways if way.step is not None]
        for step in (*self._now.steps, *self._now.sound):
            if step not in advised and not isinstance(step, Fields | Film):
                words = step.words if isinstance(step, AudioStep) else step.words(self._given(step))
                change, remove = partial(self._open_form, step), partial(self._remove, step)
                self.hand_box.addWidget(HandCard(step, words, change, remove))
        for one in self._now.joined:
            self.hand_box.addWidget(NoteCard("Separately recorded sound", one.words, self.files.remove_sounds))

    def _remove(self, step: AnyStep | AnyAudioStep) -> None:
        self.choose(self._now.lacking(step))

    def _take_effects(self, treatment: Treatment, effects: list[Effect]) -> None:
        """What was measured of each step goes onto its card, and all of it together into the result."""
        if treatment != self.chosen or self._view is None or self._view.judged is None:
            return
        by_step = {one.step: one for one in effects}
        for card in (*self.cards, *self.hand_box.all_of(HandCard)):
            card.show_effect(next((by_step[step.step] for step in card.steps_in(treatment) if step.step in by_step), None))
        total = sum(one.cost for one in effects)
        if effects:
            self.result.setText(f"{self._result_words(self._view.judged)}\nTreating takes {number_text(total, places=2)} × real time here.")
