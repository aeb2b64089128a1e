"""The treatment of another take for this one."""

from __future__ import annotations

from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.advice import fields_advice
from yomikomi.core.treatment.audio_steps import Channels
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.step import Step
from yomikomi.core.treatment.steps import Fields, Film, Reframe


def like(other: Treatment, reading: Reading) -> Treatment:
    """What another take was given, without what belongs to its recording alone: where it is cut, its loudness, hum and sync. Fields
    are treated in the way of the other where this take has fields; film only as this take's own cadence asks for."""
    own = fields_advice(reading)
    mode = other.get(Fields)
    ways = [way.step for way in own.ways]
    same = next((step for step in ways if isinstance(step, Fields) and mode is not None and step.mode is mode.mode), None)
    steps = [one for one in other.untimed.steps if not isinstance(one, Fields | Film) and not _moves(one)]
    chosen = same if same is not None and not isinstance(own.step, Film) else own.step
    sound = tuple(one for one in other.sound if isinstance(one, Channels))
    return Treatment(steps=(*((chosen,) if chosen is not None else ()), *steps), sound=sound)


def _moves(step: Step) -> bool:
    """A window that follows what happens in the other take."""
    return isinstance(step, Reframe) and len(step.keys) > 1
