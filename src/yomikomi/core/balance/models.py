"""Trials and predictions as documents."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.balance import TRIALS_VERSION
from yomikomi.core.balance.viewing import StepKey, Viewing, step_key, step_of
from yomikomi.core.recipes.recipe import Recipe
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Deinterlace
from yomikomi.core.video.standards import FieldOrder

Deinterlaced = Literal["leave", "single", "double", "blend", "combed"]


class Document(BaseModel):
    model_config = ConfigDict(frozen=True)


class Estimate(Document):
    """A value with the interval in which about nine of ten such values fall."""

    expected: float
    low: float
    high: float

    def plus(self, other: Estimate) -> Estimate:
        """Of two things that err apart, together."""
        expected = self.expected + other.expected
        down = math.hypot(self.expected - self.low, other.expected - other.low)
        up = math.hypot(self.high - self.expected, other.high - other.expected)
        return Estimate(expected=expected, low=expected - down, high=expected + up)

    def less(self, other: Estimate) -> Estimate:
        """What is left of the whole without one of its parts."""
        expected = self.expected - other.expected
        down = (self.expected - self.low) ** 2 - (other.expected - other.low) ** 2
        up = (self.high - self.expected) ** 2 - (other.high - other.expected) ** 2
        return Estimate(expected=expected, low=expected - math.sqrt(max(0.0, down)), high=expected + math.sqrt(max(0.0, up)))

    def moved(self, factor: float, width: float) -> Estimate:
        """All of it times a factor, and so many times as wide to both sides, as logarithms."""
        low, high = (max(side, 1e-9) / max(self.expected, 1e-9) for side in (self.low, self.high))
        expected = self.expected * factor
        return Estimate(expected=expected, low=expected * low**width, high=expected * high**width)


class TriedSegment(Document):
    first_frame: int
    frames: int
    role: str


class Detail(Document):
    """Detail that a copy keeps, as seen from a usual distance, decibels (PSNR-HVS-M with both sides denoised alike)."""

    television: float
    desk: float
    phone: float
    noise_kept: float | None = Field(default=None, description="rms of the noise over that of the source; null where it has next to none")

    def at(self, viewing: Viewing) -> float:
        return float(getattr(self, viewing))

    def fidelity(self, viewing: Viewing) -> Fidelity:
        return Fidelity.of(self.at(viewing), viewing=viewing, noise_kept=self.noise_kept)


class Fidelity(Document):
    """What a person sees of the difference."""

    metric: Literal["detail_db"] = "detail_db"
    value: float = Field(description="detail kept at this way of watching, decibels, 60 at most")
    viewing: Viewing
    step: StepKey = Field(description="no visible difference, barely visible, visible when compared, visible, annoying")
    noise_kept: float | None = Field(default=None, description="rms of the noise over that of the source; null where it has next to none")

    @classmethod
    def of(cls, value: float, *, viewing: Viewing, noise_kept: float | None) -> Fidelity:
        return cls(value=round(value, 3), viewing=viewing, step=step_key(value), noise_kept=noise_kept)

    @property
    def words(self) -> str:
        """Its step, the number small behind it."""
        return f"{step_of(self.value).words} ({self.value:.1f} dB)"


class HardestPart(Document):
    """What a recipe makes of the part that costs most."""

    at_seconds: float = Field(description="its middle, seconds of the take")
    kbps: float = Field(description="of the pictures, in the second that takes most")
    detail: Detail | None = None


class Worst(Document):
    """The same as a person watches it."""

    at_seconds: float
    kbps: float = Field(description="of the pictures, in the second of this part that takes most")
    detail_db: float | None = Field(default=None, description="detail kept of this part")


class TrialPoint(Document):
    """One recipe as measured on the segments, raised to the whole take."""

    recipe: Recipe
    size_bytes: Estimate
    ssim_db: float = Field(description="nearness to the treated source sample for sample, −10·log10(1 − SSIM of luma)")
    psnr_db: float
    detail: Detail | None = Field(default=None, description="null where no picture could be judged, and in sets of version 1")
    encode_seconds: Estimate
    tried_frames: int
    crop: str | None = Field(default=None, description="picture of the hardest moment, relative to the trials folder")
    hardest: HardestPart | None = Field(default=None, description="null in sets of older programs")
    key_excess: float | None = Field(default=None, description="bytes that a key picture takes more than others do; null: not known")

    def fidelity(self, viewing: Viewing) -> Fidelity | None:
        return self.detail.fidelity(viewing) if self.detail is not None else None

    def worst(self, viewing: Viewing) -> Worst | None:
        hard = self.hardest
        if hard is None:
            return None
        return Worst(at_seconds=hard.at_seconds, kbps=hard.kbps, detail_db=hard.detail.at(viewing) if hard.detail else None)

    def prediction(self, trials: TrialSet, *, viewing: Viewing = "television") -> Prediction:
        """What was measured, as a prediction for a copy."""
        return Prediction(
            recipe=self.recipe,
            deinterlace=trials.deinterlace,
            size_bytes=self.size_bytes,
            quality=Quality(value=self.ssim_db),
            psnr_db=self.psnr_db,
            fidelity=self.fidelity(viewing),
            encode_seconds=self.encode_seconds,
            measured=True,
            trial_seconds=trials.trial_seconds,
            length_seconds=trials.duration_seconds,
            worst=self.worst(viewing),
            key_excess=self.key_excess,
        )


class WithoutNoise(Document):
    """A recipe tried with the take's noise taken out before it."""

    noise: float = Field(description="that was taken out, rms in 8-bit code values of luma")
    with_noise_bytes: float = Field(description="of the whole copy by the same recipe, the noise left in")
    point: TrialPoint = Field(description="held against the treated take with its noise")

    @property
    def saved(self) -> float:
        """Of the bytes with the noise in it, as a part."""
        return 1 - self.point.size_bytes.expected / max(1.0, self.with_noise_bytes)


class TrialSet(Document):
    schema_version: int = TRIALS_VERSION
    deinterlace: Deinterlaced
    field_order: Literal["tff", "bff"] | None
    treatment: Treatment | None = Field(default=None, description="what was tried; in sets of older versions the two above say it")
    rate: str = Field(description="frames a second of the copy, exact")
    frames: int = Field(description="frames of the copy")
    duration_seconds: float
    sound_bytes: int
    segments: list[TriedSegment]
    sized_on: int = Field(default=0, description="segments that the size of the whole was found from")
    whole: bool = Field(description="the take was short enough to try all of it")
    points: list[TrialPoint]
    without_noise: WithoutNoise | None = Field(default=None, description="null where the take has no noise worth it, and in older sets")
    source_crop: str | None = None
    trial_seconds: float
    complete: bool = True
    disturbed: float = Field(default=0.0, description="part of the time that trials waited for other programs, 0 to 1")

    @property
    def hardest(self) -> TriedSegment:
        """The part that costs most, or all of a short take."""
        return next((one for one in self.segments if one.role in {"hardest", "whole"}), self.segments[0])

    def beside(self, earlier: Sequence[tuple[TrialSet, str]]) -> TrialSet:
        """With points of codecs that only earlier sets of the same treatment tried, each set with the name of its folder beside this
        one's."""
        points, known = list(self.points), {point.recipe.curve for point in self.points}
        for trials, folder in earlier:
            more = [point for point in trials.points if point.recipe.curve not in known]
            points += [point.model_copy(update={"crop": f"../{folder}/{point.crop}" if point.crop else None}) for point in more]
            known |= {point.recipe.curve for point in more}
        return self.model_copy(update={"points": points}) if len(points) > len(self.points) else self

    @property
    def digest(self) -> str:
        """Of the treatment that was tried."""
        if self.treatment is not None:
            return self.treatment.digest
        order = FieldOrder(self.field_order) if self.field_order else None
        return Treatment.of_fields(Deinterlace(self.deinterlace), order).digest


class Quality(Document):
    """Nearness sample for sample; what a person sees is told by :class:`Fidelity`."""

    metric: str = "ssim_db"
    value: float


class Learned(Document):
    """Factors of a size and a time, and of the widths of their intervals (as logarithms)."""

    size: float = 1.0
    seconds: float = 1.0
    size_width: float = 1.0
    seconds_width: float = 1.0


class Prediction(Document):
    """What a copy will cost; the answer of ``yomikomi predict``."""

    recipe: Recipe
    deinterlace: Deinterlaced
    size_bytes: Estimate
    quality: Quality
    psnr_db: float
    fidelity: Fidelity | None = Field(default=None, description="null where no picture could be judged, and in older predictions")
    encode_seconds: Estimate
    measured: bool = Field(description="tried at this very quality, not interpolated")
    learned: Learned | None = Field(default=None, description="what earlier copies put on what trials told; null: nothing")
    trial_seconds: float = 0.0
    length_seconds: float | None = Field(default=None, description="of the copy; null in older predictions")
    worst: Worst | None = Field(default=None, description="the part that costs most; null where it was not tried")
    key_excess: float | None = Field(default=None, description="bytes that a key picture takes more than others do; null: not known")
    noise_taken_out: float | None = Field(
        default=None, description="rms in code values, by a step that the treatment has not got yet; null: nothing but the treatment"
    )

    @property
    def kbps(self) -> float | None:
        """On average, with sound."""
        return self.size_bytes.expected / 125 / self.length_seconds if self.length_seconds else None

    def with_lessons(self, learned: Learned) -> Prediction:
        """With what earlier copies teach; of what is aimed at the size stays."""
        if self.recipe.rate.kind in {"size", "average", "constant", "untouched"}:
            learned = learned.model_copy(update={"size": 1.0, "size_width": 1.0})
        if self.learned is not None or learned == Learned():
            return self
        size = self.size_bytes.moved(learned.size, learned.size_width)
        seconds = self.encode_seconds.moved(learned.seconds, learned.seconds_width)
        return self.model_copy(update={"size_bytes": size, "encode_seconds": seconds, "learned": learned})

    @property
    def before_lessons(self) -> Prediction:
        """As trials told it."""
        known = self.learned
        if known is None:
            return self
        size = self.size_bytes.moved(1 / known.size, 1 / known.size_width)
        seconds = self.encode_seconds.moved(1 / known.seconds, 1 / known.seconds_width)
        return self.model_copy(update={"size_bytes": size, "encode_seconds": seconds, "learned": None})
