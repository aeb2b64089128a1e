"""What is said at the head of the Treatment station."""

from __future__ import annotations

from yomikomi.core.reading.cards.advice import Origin, advice_for
from yomikomi.core.reading.cards.scanned import mixture_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.treatment.format import source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.steps import Film
from yomikomi.core.work.text import capital

_OF_KIND = {
    "interlaced": ("Needs deinterlacing for progressive screens.", "Shown on the most combed second of the take, pixel for pixel"),
    "progressive": ("Deinterlacing is not needed.", "Progressive"),
    "repeats": ("Deinterlacing is not needed.", "Progressive"),
    **dict.fromkeys(
        ("film_2_3", "film_2_3_3_2", "film_2_2"),
        ("Film with pulldown: leave the fields as they are.", "So the film frames can be recovered"),
    ),
}


def headline(reading: Reading, chosen: Treatment, *, kept: Treatment | None, suggested: Treatment, origin: Origin) -> tuple[str, str]:
    """The sentence and its basis. ``kept``: what was chosen before."""
    if kept is not None and chosen != kept:
        words = capital(chosen.words(source_format(reading)))
        return f"{words}.", "Not used yet: copies and trials go by what was chosen before"
    if kept is not None:
        return f"Chosen: {kept.words(source_format(reading))}.", "Trials made with another treatment are kept for it"
    if suggested.get(Film) is not None:
        what = "Mixed film and video" if reading.scan.kind == "mixed" else "Film in video"
        return f"{what}: its pictures can be recovered.", "Nothing is interpolated where the cadence holds"
    if reading.scan.kind in _OF_KIND:
        return _OF_KIND[reading.scan.kind]
    if reading.scan.kind == "mixed":
        return "The take is mixed.", f"{mixture_words(reading)}; suggested is what suits most of it"
    if reading.scan.kind == "blended":
        return "Its fields were blended before.", capital(advice_for("blended", origin))
    if reading.scan.whole_pictures:
        return "Deinterlacing is not needed.", "Progressive or blended"
    return "No fields found.", "If you know better, overrule the reading"
