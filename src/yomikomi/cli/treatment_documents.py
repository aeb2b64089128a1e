"""The JSON documents of treatment."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.sentences import Origin, findings
from yomikomi.core.treatment.advice import advise, usual_of
from yomikomi.core.treatment.audio_steps import AnyAudioStep, AudioStep
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import AnyStep
from yomikomi.core.treatment.ways import Advice, Way
from yomikomi.core.video.rates import fraction_text, rate_text


class WayDocument(BaseModel):
    """One way to do it; ``settings`` are a step of a treatment, null does nothing."""

    model_config = ConfigDict(frozen=True)

    title: str
    gives: str
    settings: AnyStep | AnyAudioStep | None


class AdviceDocument(BaseModel):
    """One step that is advised."""

    model_config = ConfigDict(frozen=True)

    key: str
    title: str = Field(description="what it is about, also which track")
    topic: str = Field(description="the finding behind it")
    reason: str
    settings: AnyStep | AnyAudioStep | None = Field(description="the step as it stands in a treatment; null: nothing is done")
    effect: str
    usual: bool = Field(description="part of what is suggested; else only if a person wants it")
    alternatives: list[WayDocument]

    @classmethod
    def of(cls, one: Advice, suggested: Treatment, before: PictureFormat) -> AdviceDocument:
        """``before``: the take's pictures, before everything that is suggested."""
        step = one.step
        if step is None:
            effect = one.ways[0].title
        else:
            effect = step.words if isinstance(step, AudioStep) else step.words(suggested.given_to(step, before))
        return cls(
            key=one.key, title=one.title, topic=one.topic, reason=one.reason, settings=one.step, effect=effect, usual=one.usual,
            alternatives=[_way(way) for way in one.ways[1:]],
        )  # fmt: skip


def _way(way: Way) -> WayDocument:
    return WayDocument(title=way.title, gives=way.gives, settings=way.step)


class AdviseDocument(BaseModel):
    """``yomikomi advise``: the steps, and all that is usually done as one treatment."""

    model_config = ConfigDict(frozen=True)

    schema_version: int = 1
    file: str
    steps: list[AdviceDocument]
    treatment: Treatment = Field(description="what is suggested, for --treatment")
    digest: str
    words: str
    rate: str = Field(description="frames a second of the result, exact")
    rate_words: str
    width: int
    height: int
    sample_aspect: str

    @classmethod
    def of(cls, reading: Reading, origin: Origin) -> AdviseDocument:
        cards, before = findings(reading, origin), source_format(reading)
        advised = advise(reading, cards)
        treatment = usual_of(advised)
        made = treatment.formats(before)[-1]
        return cls(
            file=reading.file, steps=[AdviceDocument.of(one, treatment, before) for one in advised], treatment=treatment,
            digest=treatment.digest, words=treatment.words(before), rate=fraction_text(made.rate), rate_words=rate_text(made.rate),
            width=made.geometry.width, height=made.geometry.height, sample_aspect=fraction_text(made.geometry.sample_aspect),
        )  # fmt: skip
