"""What a path makes of pictures and sound by the time they reach the recorder: the same words for prediction, simulation
and diagnosis."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

PictureState = Literal["there", "black", "blue", "torn", "none"]


@dataclass(frozen=True)
class Delivery:
    """The default is everything as it should be.

    Parameters
    ----------
    picture : ``black`` (protected), ``blue`` (the recorder's own empty picture), ``torn`` (wrong standard) or ``none``
        (nothing answers).
    levels : limited range taken for full looks washed out, full taken for limited crushed.
    fields : ``kept``, ``blended`` or ``combed`` (woven into whole frames, where treatment no longer finds them).
    order : whether the recorder names the right field first.
    wobble : lines are displaced from one to the next: no time-base corrector.
    band : the noise that every helical-scan tape has at the bottom, where its heads change.
    stops_after : seconds until it ends by itself; None: it does not.
    level : ``hot`` clips, ``quiet`` lies far below where it should.
    sound_lead_ms : how much sooner the sound is than its picture; negative: later.
    drift : sound and picture slowly part.
    screen, ears : what those who watch and listen meanwhile get; ``off`` where nobody wants to.
    commentary : ``own`` track, ``mixed`` into the programme, or ``off``.
    """

    picture: PictureState = "there"
    levels: Literal["right", "washed out", "crushed"] = "right"
    colours: Literal["right", "none", "wrong"] = "right"
    marks: tuple[str, ...] = ()
    fields: Literal["kept", "blended", "combed"] = "kept"
    order: Literal["right", "swapped"] = "right"
    shape: Literal["right", "stretched"] = "right"
    detail: Literal["full", "soft"] = "full"
    crawl: bool = False
    wobble: bool = False
    noise_bars: bool = False
    band: bool = False
    drops: bool = False
    stops_after: float | None = None
    sound: Literal["there", "none"] = "there"
    level: Literal["right", "hot", "quiet"] = "right"
    sound_lead_ms: int = 0
    drift: bool = False
    screen: Literal["off", "at once", "late", "none"] = "off"
    ears: Literal["off", "at once", "late", "none"] = "off"
    commentary: Literal["off", "own", "mixed", "none"] = "off"


@dataclass(frozen=True)
class Symptom:
    """What a person sees or hears, and which deliveries show it."""

    key: str
    words: str
    shows: Callable[[Delivery], bool]


def _there(delivery: Delivery) -> bool:
    return delivery.picture == "there"


def _heard(delivery: Delivery) -> bool:
    return delivery.sound == "there"


SYMPTOMS: dict[str, Symptom] = {
    one.key: one
    for one in (
        Symptom("no picture", "no picture at all", lambda d: d.picture == "none"),
        Symptom("black", "a black picture", lambda d: d.picture == "black"),
        Symptom("blue", "a blue or empty picture", lambda d: d.picture == "blue"),
        Symptom("torn", "a torn or rolling picture", lambda d: d.picture == "torn"),
        Symptom("washed out", "washed out, flat", lambda d: _there(d) and d.levels == "washed out"),
        Symptom("crushed", "crushed shadows, burnt lights", lambda d: _there(d) and d.levels == "crushed"),
        Symptom("no colour", "no colour", lambda d: _there(d) and d.colours == "none"),
        Symptom("wrong colours", "wrong colours", lambda d: _there(d) and d.colours == "wrong"),
        Symptom("marks", "information, frames or lines in the picture", lambda d: _there(d) and bool(d.marks)),
        Symptom("comb", "comb edges that do not go away", lambda d: _there(d) and d.fields == "combed"),
        Symptom("double", "double images", lambda d: _there(d) and d.fields == "blended"),
        Symptom("back and forth", "movement steps back and forth", lambda d: _there(d) and d.order == "swapped"),
        Symptom("stretched", "stretched", lambda d: _there(d) and d.shape == "stretched"),
        Symptom("soft", "soft, without fine detail", lambda d: _there(d) and d.detail == "soft"),
        Symptom("crawl", "coloured dots crawl along edges", lambda d: _there(d) and d.crawl),
        Symptom("wobble", "bent at the top, line jitter", lambda d: _there(d) and d.wobble),
        Symptom("noise bars", "a band of noise across the picture", lambda d: _there(d) and d.noise_bars),
        Symptom("band", "a band of noise at the bottom", lambda d: _there(d) and d.band),
        Symptom("drops", "frames are lost, it stutters", lambda d: _there(d) and d.drops),
        Symptom("stops", "it stops by itself", lambda d: d.stops_after is not None),
        Symptom("no sound", "no sound", lambda d: d.sound == "none"),
        Symptom("distorted", "distorted sound", lambda d: _heard(d) and d.level == "hot"),
        Symptom("quiet", "very quiet sound", lambda d: _heard(d) and d.level == "quiet"),
        Symptom("sound early", "sound too early", lambda d: _heard(d) and d.sound_lead_ms > 0),
        Symptom("sound late", "sound too late", lambda d: _heard(d) and d.sound_lead_ms < 0),
        Symptom("drift", "sound and picture part slowly", lambda d: _heard(d) and d.drift),
        Symptom("screen late", "the screen lags behind the play", lambda d: d.screen == "late"),
        Symptom("screen dark", "nothing on the screen", lambda d: d.screen == "none"),
        Symptom("ears late", "the headphones lag behind", lambda d: d.ears == "late"),
        Symptom("ears deaf", "nothing in the headphones", lambda d: d.ears == "none"),
        Symptom("commentary mixed", "commentary cannot be had apart", lambda d: d.commentary == "mixed"),
        Symptom("commentary none", "no commentary", lambda d: d.commentary == "none"),
    )
}


def symptoms_of(delivery: Delivery) -> frozenset[str]:
    """The keys of all symptoms that a delivery shows."""
    return frozenset(key for key, one in SYMPTOMS.items() if one.shows(delivery))
