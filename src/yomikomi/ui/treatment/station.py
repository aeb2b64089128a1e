"""What will be corrected: for now, what happens to the fields, seen on the most combed second."""

from __future__ import annotations

from fractions import Fraction

from PySide6.QtWidgets import QVBoxLayout

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.reading.cards.advice import advice_for
from yomikomi.core.reading.cards.scanned import mixture_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import proposals
from yomikomi.core.reading.sentences import findings
from yomikomi.core.treatment.chain import Treatment, recommended
from yomikomi.core.treatment.loop import Loop, LoopRequest, make_loop
from yomikomi.core.treatment.options import Option, options_for
from yomikomi.core.video.timecode import frame_clock
from yomikomi.core.work import SilentReporter
from yomikomi.core.work.text import capital
from yomikomi.ui.icons import icon
from yomikomi.ui.shell.station import Station
from yomikomi.ui.state import AppState
from yomikomi.ui.treatment.player import LoopPlayer
from yomikomi.ui.widgets.basics import Card, CardColumn, button, label, row, side_panel


class _OptionCard(Card):
    def __init__(self, option: Option, advised: bool) -> None:
        super().__init__()
        self.option = option
        head = label(option.title)
        self.body.addLayout(row(head, 1, label("recommended" if advised else "", quiet=True)))
        self.body.addWidget(label(option.words, quiet=True, wrap=True))
        self.setAccessibleName(f"{option.title}. {option.words}")


class TreatmentStation(Station):
    def __init__(self, state: AppState) -> None:
        super().__init__(state)
        self._view: CarrierView | None = None
        self._loop: Loop | None = None
        self._loop_key: tuple[object, ...] = ()
        self.chosen: Treatment | None = None
        self.player = LoopPlayer()
        self.place = label(quiet=True)
        self.play_button = button("Pause", self.toggle, tip="F6")
        self.play_button.setIcon(icon("pause"))
        self.back_button = button("‹ field", lambda: self._step(-1), tip="One picture back")
        self.on_button = button("field ›", lambda: self._step(1), tip="One picture on")
        self.cards_box = CardColumn()
        self.why = label(quiet=True, wrap=True)
        self.use_button = button("Use this treatment", self.primary, primary=True, tip="Ctrl+Return")
        self.use_button.setMinimumWidth(150)
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addWidget(self.player, 1)
        left.addLayout(row(self.place, 1, self.back_button, self.play_button, self.on_button))
        side, right = side_panel(340)
        right.addWidget(label("Deinterlacing", name="section"))
        right.addLayout(self.cards_box)
        right.addWidget(label("Why", name="section"))
        right.addWidget(self.why)
        self.asked_head = label("Suggested corrections", name="section")
        self.asked = label(quiet=True, wrap=True)
        right.addWidget(self.asked_head)
        right.addWidget(self.asked)
        right.addStretch(1)
        right.addLayout(row(1, self.use_button))
        self.lay_out(left, side)

    @property
    def cards(self) -> list[_OptionCard]:
        return self.cards_box.all_of(_OptionCard)

    def show_carrier(self, view: CarrierView | None) -> None:
        self._view = view
        reading = view.judged if view else None
        self.cards_box.clear()
        self.use_button.setEnabled(reading is not None)
        if view is None or reading is None or view.take is None:
            self.sentence.say("Read the take first.", "The treatment follows from the reading")
            self.why.setText("")
            self.asked.setText("")
            self.asked_head.hide()
            self.place.setText("")
            self.player.put(None, None, "after")
            self._loop_key = ()
            return
        advised, why = recommended(reading)
        self.chosen = view.treatment or advised
        self.why.setText(why)
        wanted = [one.words for one in proposals(reading, findings(reading, view.origin)) if one.topic != "scan"]
        self.asked_head.setVisible(bool(wanted))
        self.asked.setText("\n".join(f"– {words}" for words in wanted))
        for option in options_for(reading):
            card = _OptionCard(option, option.treatment == advised)
            card.mark_chosen(option.treatment == self.chosen)
            card.chosen.connect(lambda treatment=option.treatment: self.choose(treatment))
            self.cards_box.addWidget(card)
        self._say(view, reading)
        self._ask_loop(view, reading)

    def entered(self) -> None:
        self.player.run(True)

    def left(self) -> None:
        self.player.run(False)

    def choose(self, treatment: Treatment) -> None:
        self.chosen = treatment
        for card in self.cards:
            card.mark_chosen(card.option.treatment == treatment)
        self._show_loop()

    def toggle(self) -> None:
        self.player.hold(not self.player.held)
        self._show_held()

    def primary(self) -> None:
        if self._view is None or self._view.take is None or self.chosen is None or self._view.judged is None:
            return
        self.state.record.readings.choose_treatment(self._view.take.id, self.chosen)
        self.state.reload()
        self.state.go.emit("balance")

    def act(self, key: str) -> None:
        if key == "play":
            self.toggle()

    def _step(self, frames: int) -> None:
        self.player.step(frames)
        self._show_held()

    def _show_held(self) -> None:
        self.play_button.setText("Play" if self.player.held else "Pause")
        self.play_button.setIcon(icon("play" if self.player.held else "pause"))

    def _say(self, view: CarrierView, reading: Reading) -> None:
        rate = Fraction(reading.rate.nominal)
        if view.treatment is not None:
            self.sentence.say(f"Chosen: {view.treatment.words(rate)}.", "Choosing another treatment discards the trials made with this one")
        elif reading.scan.kind == "interlaced":
            self.sentence.say(
                "Needs deinterlacing for progressive screens.", "Shown on the most combed second of the take, pixel for pixel"
            )
        elif reading.scan.kind in {"progressive", "repeats"}:
            self.sentence.say("Deinterlacing is not needed.", "Progressive")
        elif reading.scan.kind in {"film_2_3", "film_2_3_3_2", "film_2_2"}:
            self.sentence.say("Film with pulldown: leave the fields as they are.", "So the film frames can be recovered")
        elif reading.scan.kind == "mixed":
            self.sentence.say("The take is mixed.", f"{mixture_words(reading)}; recommended is what suits most of it")
        elif reading.scan.kind == "blended":
            self.sentence.say("Its fields were blended before.", capital(advice_for("blended", view.origin)))
        elif reading.scan.whole_pictures:
            self.sentence.say("Deinterlacing is not needed.", "Progressive or blended")
        else:
            self.sentence.say("No fields found.", "If you know better, overrule the reading")

    def _ask_loop(self, view: CarrierView, reading: Reading) -> None:
        assert view.take is not None
        treatments = tuple(option.treatment for option in options_for(reading))
        key = (view.take.id, treatments, reading.most_combed_frame, reading.frames)
        if key == self._loop_key:
            self._show_loop()
            return
        self._loop_key, self._loop = key, None
        self.player.put(None, None, "after")
        width = max(200, self.player.before.view.width()) if self.player.isVisible() else 372
        request = LoopRequest(
            view.take.path, reading, treatments, width=min(width, reading.geometry.width) // 2 * 2, height=min(480, reading.geometry.height)
        )
        self.state.calls.call("loop", lambda: make_loop(request, SilentReporter()), self._take_loop, self.state.tell_error)

    def _take_loop(self, loop: Loop) -> None:
        self._loop = loop
        self._show_loop()

    def _show_loop(self) -> None:
        if self._loop is None or self._view is None or self._view.judged is None or self.chosen is None:
            return
        reading = self._view.judged
        options = options_for(reading)
        number = next((i for i, option in enumerate(options) if option.treatment == self.chosen), 0)
        self.player.put(self._loop.before, self._loop.after[number], f"after: {options[number].title.lower()}")
        rate = Fraction(reading.rate.nominal)
        self.place.setText(
            f"1:1 around {frame_clock(reading.most_combed_frame, rate)}, from column {self._loop.left}, line {self._loop.top}"
        )
