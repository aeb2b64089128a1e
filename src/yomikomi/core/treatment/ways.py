"""Ways to correct what was found, with what each gives."""

from __future__ import annotations

from dataclasses import dataclass

from yomikomi.core.treatment.audio_steps import AnyAudioStep
from yomikomi.core.treatment.steps import AnyStep


@dataclass(frozen=True)
class Way:
    """One way to do it. ``step``: None does nothing; ``gives``: what it gives and costs, in words."""

    step: AnyStep | AnyAudioStep | None
    title: str
    gives: str


@dataclass(frozen=True)
class Advice:
    """``title``: what it is about, also which track; ``topic``: the finding behind it; ``ways``: the first is the one advised; ``usual``:
    it is done unless a person says no."""

    key: str
    title: str
    topic: str
    reason: str
    ways: tuple[Way, ...]
    usual: bool = True

    @property
    def step(self) -> AnyStep | AnyAudioStep | None:
        return self.ways[0].step
