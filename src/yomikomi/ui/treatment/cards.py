"""Cards of the chain: a step that is advised with its ways, and one that a person set."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox

from yomikomi.core.treatment.audio_steps import AnyAudioStep
from yomikomi.core.treatment.effects import Effect
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import AnyStep
from yomikomi.core.treatment.ways import Advice
from yomikomi.core.video.units import number_text
from yomikomi.core.work.text import capital
from yomikomi.ui.widgets.basics import Card, button, label, row

# Of real time.
_NO_TIME = 0.005


class MeasuredCard(Card):
    """With a line for what was measured of its step."""

    def __init__(self) -> None:
        super().__init__(choosable=False)
        self.effect = label(wrap=True)
        self.effect.hide()

    def show_effect(self, effect: Effect | None) -> None:
        self.effect.setVisible(effect is not None)
        if effect is not None:
            cost = f"{number_text(effect.cost, places=2)} × real time" if effect.cost >= _NO_TIME else "costs no time"
            self.effect.setText(f"{effect.words}; {cost}")

    def steps_in(self, treatment: Treatment) -> list[AnyStep | AnyAudioStep]:
        """The steps of a treatment that the card stands for."""
        found = (treatment.same_kind(step) for step in self._asked())
        return [step for step in found if step is not None]

    def _asked(self) -> list[AnyStep | AnyAudioStep]:
        raise NotImplementedError


class StepCard(MeasuredCard):
    """One step of the chain with its alternatives; emits ``picked`` with the advice and the number of the way taken."""

    picked = Signal(object, int)

    def __init__(self, advice: Advice) -> None:
        super().__init__()
        self.advice = advice
        self.ways = QComboBox()
        self.ways.setAccessibleName(advice.title)
        for number, way in enumerate(advice.ways):
            self.ways.addItem(way.title + (" (suggested)" if number == 0 and len(advice.ways) > 1 and advice.usual else ""))
        self.gives = label(quiet=True, wrap=True)
        head = label(advice.title, name="section")
        self.body.addWidget(head)
        self.body.addWidget(self.ways)
        self.body.addWidget(self.gives)
        self.body.addWidget(self.effect)
        self.ways.setToolTip(advice.reason)
        self.ways.activated.connect(lambda number: self.picked.emit(self.advice, number))

    def _asked(self) -> list[AnyStep | AnyAudioStep]:
        return [way.step for way in self.advice.ways if way.step is not None]

    def show_of(self, treatment: Treatment) -> None:
        """Which way a treatment goes; one that a person set otherwise is none of them."""
        number = way_of(self.advice, treatment)
        self.ways.setCurrentIndex(number if number is not None else -1)
        way = self.advice.ways[number] if number is not None else None
        reason = self.advice.reason if number == 0 else ""
        self.gives.setText(" ".join(part for part in (reason, way.gives if way else "Set by hand.") if part))


class HandCard(MeasuredCard):
    """A step that a person set, of a kind that nothing was advised for; or set otherwise than any way has it."""

    def __init__(self, step: AnyStep | AnyAudioStep, words: str, change: Callable[[], object], remove: Callable[[], object]) -> None:
        super().__init__()
        self.step = step
        self.change_button, self.remove_button = button("Change…", change, link=True), button("Remove", remove, link=True)
        self.body.addLayout(row(label(step.title, name="section"), 1, self.change_button, self.remove_button))
        self.body.addWidget(label(f"{capital(words)}. Set by hand.", quiet=True, wrap=True))
        self.body.addWidget(self.effect)
        self.setAccessibleName(f"{step.title}: {words}")

    def _asked(self) -> list[AnyStep | AnyAudioStep]:
        return [self.step]


class NoteCard(Card):
    """Something that goes with the treatment and is no step of it."""

    def __init__(self, title: str, words: str, remove: Callable[[], object]) -> None:
        super().__init__(choosable=False)
        self.remove_button = button("Remove", remove, link=True)
        self.body.addLayout(row(label(title, name="section"), 1, self.remove_button))
        self.body.addWidget(label(f"{capital(words)}.", quiet=True, wrap=True))


def way_of(advice: Advice, treatment: Treatment) -> int | None:
    """The number of the way that a treatment goes."""
    steps = [way.step for way in advice.ways if way.step is not None]
    now = next((found for step in steps if (found := treatment.same_kind(step)) is not None), None)
    return next((number for number, way in enumerate(advice.ways) if way.step == now), None)


def taking(treatment: Treatment, advice: Advice, step: AnyStep | AnyAudioStep | None) -> Treatment:
    """A treatment with one step set as a way has it."""
    if step is not None:
        return treatment.having(step)
    for way in advice.ways:
        treatment = treatment.lacking(way.step) if way.step is not None else treatment
    return treatment
