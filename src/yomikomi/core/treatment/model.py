"""A treatment as a document: the ordered corrections to a take."""

from __future__ import annotations

import itertools
from fractions import Fraction
from hashlib import sha256
from typing import Literal, TypeVar

from pydantic import BaseModel, ConfigDict, Field, field_validator

from yomikomi.core.treatment.audio_steps import ORDER as SOUND_ORDER
from yomikomi.core.treatment.audio_steps import AnyAudioStep, AudioStep
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.treatment.joined import JoinedSound
from yomikomi.core.treatment.step import Step
from yomikomi.core.treatment.steps import ORDER, AnyStep, BurnIn, CutOut, Deinterlace, Fade, Fields, Film, RateCap, Split, Trim
from yomikomi.core.treatment.tracks import Tracks
from yomikomi.core.video.standards import FieldOrder

SCHEMA_VERSION: Literal[1] = 1
_Kind = TypeVar("_Kind", bound=Step)


class Treatment(BaseModel):
    """``steps``: for the picture, in the order in which they work, each kind once; ``sound``: for the sound, each kind once a track;
    ``tracks``: which tracks are taken over; ``joined``: sound files that go with the pictures. Nothing in it: the take as it is,
    progressive."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    schema_version: Literal[1] = SCHEMA_VERSION
    steps: tuple[AnyStep, ...] = ()
    sound: tuple[AnyAudioStep, ...] = ()
    tracks: Tracks = Tracks()
    joined: tuple[JoinedSound, ...] = Field(default=(), max_length=8)

    @field_validator("sound")
    @classmethod
    def _sound_in_order(cls, sound: tuple[AnyAudioStep, ...]) -> tuple[AnyAudioStep, ...]:
        kinds = [(one.step, one.track) for one in sound]
        if len(set(kinds)) < len(kinds):
            raise ValueError("a step of the sound stands in it twice for one track")
        return tuple(sorted(sound, key=lambda one: (SOUND_ORDER.index(one.step), -1 if one.track is None else one.track)))

    @field_validator("steps")
    @classmethod
    def _in_order(cls, steps: tuple[AnyStep, ...]) -> tuple[AnyStep, ...]:
        kinds = [one.step for one in steps]
        if len(set(kinds)) < len(kinds):
            raise ValueError(f"a step stands in it twice: {', '.join(kinds)}")
        if {"fields", "film"} <= set(kinds):
            raise ValueError("fields are either recovered as film or treated as fields")
        return tuple(sorted(steps, key=lambda one: ORDER.index(one.step)))

    @classmethod
    def of_fields(cls, mode: Deinterlace = Deinterlace.LEAVE, order: FieldOrder | None = None) -> Treatment:
        """Only what happens to the fields; without an order there are none. Raises ValueError for fields that nobody knows."""
        if order is None:
            if mode is not Deinterlace.LEAVE:
                raise ValueError("deinterlacing needs a field order")
            return cls()
        return cls(steps=(Fields(mode=mode, order=order),))

    def get(self, kind: type[_Kind]) -> _Kind | None:
        return next((one for one in self.steps if isinstance(one, kind)), None)

    def having(self, step: AnyStep | AnyAudioStep) -> Treatment:
        """With a step, in place of one of its kind (of the sound: for the same track). Film takes the place of fields, and the reverse."""
        if isinstance(step, AudioStep):
            return self.model_copy(update={"sound": Treatment(sound=(*self.lacking(step).sound, step)).sound})
        gone = {step.step} | ({"fields", "film"} if step.step in {"fields", "film"} else set())
        steps = Treatment(steps=(*(one for one in self.steps if one.step not in gone), step)).steps
        return self.model_copy(update={"steps": steps})

    def lacking(self, step: AnyStep | AnyAudioStep) -> Treatment:
        """Without the step of this one's kind (of the sound: for the same track)."""
        if isinstance(step, AudioStep):
            kept = tuple(one for one in self.sound if (one.step, one.track) != (step.step, step.track))
            return self.model_copy(update={"sound": kept})
        return self.model_copy(update={"steps": tuple(one for one in self.steps if one.step != step.step)})

    def same_kind(self, step: AnyStep | AnyAudioStep) -> AnyStep | AnyAudioStep | None:
        """The step of the kind of this one that stands in it."""
        if isinstance(step, AudioStep):
            return next((one for one in self.sound if (one.step, one.track) == (step.step, step.track)), None)
        return next((one for one in self.steps if one.step == step.step), None)

    @property
    def carried(self) -> Tracks:
        """Which tracks go on beside the picture: subtitles that are burned in do not."""
        burned = self.get(BurnIn)
        if burned is None:
            return self.tracks
        return self.tracks.model_copy(update={"without_subtitles": (*self.tracks.without_subtitles, burned.track)})

    def takes_sound(self, number: int) -> bool:
        """Whether a sound stream of the take goes into a copy."""
        return number not in self.tracks.without_sound and not any(one.instead for one in self.joined)

    @property
    def untimed(self) -> Treatment:
        """Without what goes by what is kept: moments stay those of the take."""
        return self.model_copy(update={"steps": tuple(one for one in self.steps if not isinstance(one, Trim | CutOut | Split | Fade))})

    @property
    def parts(self) -> tuple[Treatment, ...]:
        """One for each copy: the treatment itself, or what a split makes of it. Parts that lie outside of in and out are none."""
        split, trim = self.get(Split), self.get(Trim) or Trim()
        if split is None:
            return (self,)
        whole = self.lacking(split)
        inside = [at for at in split.at if at > trim.start and (not trim.end or at < trim.end)]
        edges = [trim.start, *inside, trim.end]
        return tuple(whole.having(Trim(start=one, end=two)) for one, two in itertools.pairwise(edges))

    def before(self, step: AnyStep | AnyAudioStep) -> Treatment:
        """The steps of the picture that come before one of a kind."""
        if isinstance(step, AudioStep):
            return Treatment(steps=self.steps)
        return Treatment(steps=tuple(one for one in self.lacking(step).steps if ORDER.index(one.step) < ORDER.index(step.step)))

    def formats(self, before: PictureFormat) -> list[PictureFormat]:
        """What goes into each step, and at the end what comes out of the last. ``before``: as it is shown, see ``source_format``."""
        found = [before if self.get(Fields) is not None or self.get(Film) is not None else before.progressive]
        for one in self.steps:
            found.append(one.output(found[-1]))
        return found

    def given_to(self, step: AnyStep | AnyAudioStep, before: PictureFormat) -> PictureFormat:
        """What goes into a step that stands in it, or would. ``before``: as it is shown."""
        if isinstance(step, AudioStep):
            return before
        return self.before(step).formats(before)[-1]

    def output_rate(self, rate: Fraction) -> Fraction:
        fields, film, cap = self.get(Fields), self.get(Film), self.get(RateCap)
        if film is not None:
            made = film.film_rate or 2 * rate
        else:
            made = 2 * rate if fields is not None and fields.mode is Deinterlace.DOUBLE else rate
        return made / cap.each if cap is not None else made

    @property
    def deinterlace(self) -> Deinterlace:
        fields = self.get(Fields)
        return fields.mode if fields is not None else Deinterlace.LEAVE

    @property
    def field_order(self) -> FieldOrder | None:
        step = self.get(Fields) or self.get(Film)
        return step.order if step is not None else None

    @property
    def leaves_fields(self) -> bool:
        """Whether interlaced frames reach the encoder as they are."""
        fields = self.get(Fields)
        return fields is not None and fields.mode is Deinterlace.LEAVE

    @property
    def digest(self) -> str:
        """The same for the same corrections of the picture: what trials, predictions and kept pictures are known by."""
        return sha256(self.model_dump_json(exclude={"sound", "tracks", "joined"}).encode()).hexdigest()[:24]

    def words(self, before: PictureFormat) -> str:
        """All of it, short; "no correction" where there is none."""
        formats = self.formats(before)
        parts = [*(one.words(given) for one, given in zip(self.steps, formats, strict=False)), *(one.words for one in self.sound)]
        parts += [self.tracks.words] if self.tracks.words else []
        parts += [one.words for one in self.joined]
        return ", ".join(parts) or "no correction"
