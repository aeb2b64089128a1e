"""From what was found to the step that corrects it, with its reason and its alternatives. What is asked for is said by the reading's
proposals; how it is done, only here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from fractions import Fraction

from yomikomi.core.reading.cards.finding import Finding
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.proposals import Proposal, proposals
from yomikomi.core.treatment.cadence import FILM_KINDS, cadence_known, cadence_of, film_rate, frames_in_cadence, picture_count
from yomikomi.core.treatment.format import PictureFormat, source_format
from yomikomi.core.treatment.model import Treatment
from yomikomi.core.treatment.sound_advice import MAKERS as SOUND_MAKERS
from yomikomi.core.treatment.sound_advice import measured_sound
from yomikomi.core.treatment.steps import Crop, Deinterlace, Denoise, Fields, Film, HighRange, Levels, Shape, Trim
from yomikomi.core.treatment.ways import Advice, Way
from yomikomi.core.video.colour import HLG, PQ
from yomikomi.core.video.rates import fraction_text, rate_text
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.core.video.timecode import spoken
from yomikomi.core.work.text import capital

# The pictures of a cadence may be so far from what its rate asks for; else the frames do not show it.
_FEW_ASTRAY = 0.02
# Of the frames in parts that are called film so many may go by none.
_MOST_ASTRAY = 0.1
# A part is taken for progressive if its reading is so sure of it; each frame is checked for combing besides.
_SURE = 0.9


def advise(reading: Reading, cards: list[Finding]) -> list[Advice]:
    """What is advised, in the order in which a treatment does it. ``cards``: the findings as they are told."""
    found = [fields_advice(reading)]
    for proposal in proposals(reading, cards):
        maker = _MAKERS.get(proposal.key)
        found += list(maker(reading, proposal)) if maker is not None else []
    found += [*_high_range(reading), *measured_sound(reading)]
    return list({(one.key, one.title): one for one in reversed(found)}.values())[::-1]  # two findings may ask for the same


def suggested(reading: Reading, cards: list[Finding]) -> Treatment:
    """All that is usually done."""
    return usual_of(advise(reading, cards))


def usual_of(advised: list[Advice]) -> Treatment:
    """What of some advice is usually done."""
    treatment = Treatment()
    for one in advised:
        if one.usual and one.step is not None:
            treatment = treatment.having(one.step)
    return treatment


def fields_treatment(reading: Reading) -> Treatment:
    """Only what is advised for fields and film."""
    step = fields_advice(reading).step
    return Treatment().having(step) if step is not None else Treatment()


def fields_advice(reading: Reading) -> Advice:
    """What happens to fields, and to film in them."""
    scan, rate = reading.scan, Fraction(reading.rate.nominal)
    order = FieldOrder(scan.field_order) if scan.field_order else None
    ways = _field_ways(order, rate)
    reason = "No fields were found; overrule the reading if you know better."
    if scan.kind == "interlaced" and order is not None:
        reason = (
            f"There are {rate_text(2 * rate)} fields a second; a frame from each keeps all motion. "
            f"At {rate_text(rate)} fps half of the motion is lost."
        )
    elif scan.kind == "progressive":
        reason = "Progressive; deinterlacing would only soften it."
    elif scan.kind in {"film_2_3", "film_2_3_3_2", "film_2_2"}:
        ways, reason = _film_ways(reading, order or FieldOrder.TFF, rate)
    elif scan.kind == "repeats":
        ways, reason = _repeat_ways(reading, rate)
    elif scan.kind == "blended":
        reason = "The fields were blended before; deinterlacing cannot separate them again."
    elif scan.kind == "mixed" and order is not None:
        ways, reason = _mixed_ways(reading, order, rate)
    elif scan.whole_pictures:
        reason = "Progressive or blended: there are no fields to deinterlace."
    return Advice("fields", "Fields and film", "scan", reason, tuple(ways))


def _field_ways(order: FieldOrder | None, rate: Fraction) -> list[Way]:
    if order is None:
        return [Way(None, "Leave the frames as they are", "Treated as progressive.")]
    double, single = rate_text(2 * rate), rate_text(rate)
    return [
        Way(
            Fields(mode=Deinterlace.DOUBLE, order=order), f"Deinterlace to {double}",
            "One frame from every field: all motion kept. About twice the frames to encode.",
        ),
        Way(
            Fields(mode=Deinterlace.SINGLE, order=order), f"Deinterlace to {single}",
            "One frame from two fields: half of the motion is lost; smaller, faster, plays everywhere.",
        ),
        Way(
            Fields(mode=Deinterlace.COMBED, order=order), "Deinterlace combed frames only",
            f"Frames without combing stay untouched; {single} fps.",
        ),
        Way(
            Fields(mode=Deinterlace.BLEND, order=order), "Blend the fields",
            "No combing, and moving edges twice for good. For those who will do nothing afterwards.",
        ),
        Way(
            Fields(mode=Deinterlace.LEAVE, order=order), "Leave the fields",
            "For discs, television and editors that expect fields. Shows combing on progressive screens. H.264 only.",
        ),
    ]  # fmt: skip


def _cadence_shown(reading: Reading, rate: Fraction | None) -> bool:
    """Whether the frames' own cadence gives about as many pictures as the film's rate asks for."""
    if rate is None or not cadence_known(reading):
        return False
    found = picture_count(cadence_of(reading))
    wanted = float(reading.frames * rate / Fraction(reading.rate.nominal))
    # At each break a picture may be cut in two.
    return abs(found - wanted) <= 1 + len(reading.scan.runs) + _FEW_ASTRAY * wanted


def _parts_shown(reading: Reading) -> bool:
    """Whether there is film or progressive video, and the frames that are called film go by a cadence."""
    called = [one for one in reading.scan.segments if one.kind in FILM_KINDS]
    whole = sum(one.end_frame - one.first_frame for one in called)
    if not whole:
        return any(one.kind == "progressive" and one.confidence >= _SURE for one in reading.scan.segments)
    return frames_in_cadence(reading, called) >= (1 - _MOST_ASTRAY) * whole


def _recovered(reading: Reading, order: FieldOrder) -> Way | None:
    rate = film_rate(reading)
    if rate is None or not _cadence_shown(reading, rate):
        return None
    return Way(
        Film(rate=fraction_text(rate), order=order), f"Recover the film at {rate_text(rate)}",
        "Every film picture once, as it was: no combing, no judder, the fewest frames.",
    )


def _by_parts(reading: Reading, order: FieldOrder, rate: Fraction) -> Way | None:
    if not cadence_known(reading) or not _parts_shown(reading):
        return None
    return Way(
        Film(order=order), f"Each part by its scan type, at {rate_text(2 * rate)}",
        "Film and progressive frames are repeated exactly, which costs hardly any bytes; interlaced video keeps all its motion.",
    )


def _film_ways(reading: Reading, order: FieldOrder, rate: Fraction) -> tuple[list[Way], str]:
    film, others = _recovered(reading, order), _field_ways(order, rate)
    left = others[-1]
    if film is None:
        why = "Film with pulldown. Deinterlacing would soften it and keep the judder; "
        return [left, *others[:-1]], why + (
            "with the fields left alone the film frames can be recovered." if cadence_known(reading) else "read it in full to recover it."
        )
    parts = _by_parts(reading, order, rate)
    why = "Film with pulldown: its pictures are put together from their own fields again. Deinterlacing would soften them."
    return [film, *([parts] if parts else []), left, *others[:-1]], why


def _repeat_ways(reading: Reading, rate: Fraction) -> tuple[list[Way], str]:
    film = _recovered(reading, FieldOrder.TFF)
    kept = Way(None, "Keep the repeats", f"Every frame as it stands, {rate_text(rate)} fps.")
    if film is None or not isinstance(film.step, Film):
        return [kept], "Progressive with repeated frames; deinterlacing is not needed."
    true = rate_text(Fraction(film.step.rate))
    dropped = Way(film.step, f"Leave out the repeats: {true}", "Every picture once; about as good, and fewer frames to encode.")
    return [dropped, kept], f"Progressive with repeated frames: {true} pictures in {rate_text(rate)} frames a second."


def _mixed_ways(reading: Reading, order: FieldOrder, rate: Fraction) -> tuple[list[Way], str]:
    parts, others = _by_parts(reading, order, rate), _field_ways(order, rate)
    if parts is not None:
        film = any(one.kind in FILM_KINDS for one in reading.scan.segments)
        whole = "film" if film else "progressive"
        why = f"Parts are {whole} and parts are interlaced; {rate_text(2 * rate)} holds both: "
        return [parts, *others], why + f"{'film pictures' if film else 'progressive frames'} repeated exactly, and all motion of the video."
    fields = sum(s.end - s.start for s in reading.scan.segments if s.kind == "interlaced")
    if fields > sum(s.end - s.start for s in reading.scan.segments if s.kind != "undetermined") / 2:
        return others, "Most of it is interlaced and would show combing. The other parts get a little softer."
    return [others[-1], *others[:-1]], "Less than half of it is interlaced; with the fields left alone, nothing is lost."


def _crop(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    top, bottom, left, right = (round(size) for size in proposal.amount)
    step = Crop(top=top, bottom=bottom, left=left, right=right)
    yield Advice(
        "crop", "Crop", proposal.topic, "What is cut off is black, or noise of the head switching, and no part of the picture.",
        (
            Way(step, proposal.words.capitalize(), "Only borders go; what is left is made even."),
            Way(None, "Keep the borders", "Not a sample is lost."),
        ),
        # A band of head switching is never picture; a dark edge of a scene may be taken for a border, and a person looks first.
        usual=proposal.topic == "head switching",
    )  # fmt: skip


def _shape(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    shape = reading.borders.likely_shape if reading.borders is not None else None
    aspect = _pixel_for(source_format(reading), shape or "")
    if aspect is None:
        return
    yield Advice(
        "shape", "Shape", proposal.topic, f"The picture is squeezed: flagged {shape}, players show it as it was meant.",
        (
            Way(Shape(sample_aspect=fraction_text(aspect)), f"Flag it {shape}", "Not a sample is touched."),
            Way(None, "Leave the shape as it is flagged", "Players show it as they do now."),
        ),
        usual=False,
    )  # fmt: skip


def _pixel_for(now: PictureFormat, shape: str) -> Fraction | None:
    """Pixel shape that gives a display shape; of line standards by the table of standards."""
    try:
        wide, high = (int(part) for part in shape.split(":"))
    except ValueError:
        return None
    lines = next((one for one in STANDARDS.values() if (one.width, one.height) == (now.geometry.width, now.geometry.height)), None)
    if lines is not None and (wide, high) in {(4, 3), (16, 9)}:
        return lines.file_aspect_4_3 if (wide, high) == (4, 3) else lines.file_aspect_16_9
    return Fraction(wide, high) * Fraction(now.geometry.height, now.geometry.width)


def _levels(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    if reading.levels is None or len(proposal.amount) < 2:
        return
    black, white = proposal.amount
    step = Levels(black=round(black, 1), white=round(white, 1))
    yield Advice(
        "levels", "Levels", proposal.topic, f"{proposal.words.capitalize()}: darkest {black:.0f}, brightest {white:.0f} of 255.",
        (
            Way(step, f"Black {black:.0f} to 16, white {white:.0f} to 235", "Compare before and after: the figures leave it open."),
            Way(None, "Leave the levels", "They stay as they were recorded."),
        ),
        usual=False,
    )  # fmt: skip


def _noise(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    (noise,) = proposal.amount
    strength = round(min(12.0, max(0.5, noise)), 1)
    yield Advice(
        "noise", "Noise", proposal.topic, f"{proposal.words.capitalize()}: every copy spends bits on it, or smears it.",
        (
            Way(Denoise(noise=strength), "Take the noise out", "Smaller copies; the finest texture goes with it."),
            Way(Denoise(noise=strength, careful=True), "Take it out carefully", "Keeps more texture; several times the time."),
            Way(None, "Leave the noise", "Nothing is lost; copies are larger."),
        ),
        usual=False,
    )  # fmt: skip


def _trim(reading: Reading, proposal: Proposal) -> Iterator[Advice]:
    """Black at both ends, and what lies behind it at the end."""
    found = reading.structure
    if found is None:
        return
    pace = reading.rate.by_stamps
    stray = min((first for first, _ in found.fragments), default=None)
    end = reading.duration_seconds - found.tail_black_seconds
    if stray is not None and stray / pace > reading.duration_seconds / 2:
        black = next((first for first, last in found.black if first < stray <= last + _NEXT_TO), stray)
        end = min(end, float(black / pace))
    step = Trim(start=round(found.head_black_seconds, 3), end=round(end, 3) if end < reading.duration_seconds - _HEARD_TRIM_S else 0)
    if step == Trim() or (step.end and step.end <= step.start):
        return
    off = step.start + (reading.duration_seconds - step.end if step.end else 0)
    yield Advice(
        "trim", "In and out", proposal.topic, f"{spoken(off)} at the ends are black, or a stray recording.",
        (
            Way(step, capital(step.words(source_format(reading))), f"Cuts off {spoken(off)}; look at both ends first."),
            Way(None, "The whole take", "Black is copied with it."),
        ),
        usual=False,
    )  # fmt: skip


def _high_range(reading: Reading) -> Iterator[Advice]:
    if reading.colour.transfer not in {PQ, HLG} or reading.bit_depth <= _EIGHT_BITS:
        return
    ways = [
        Way(HighRange(exposure=stops), f"To BT.709{words}", gives)
        for stops, words, gives in (
            (0.0, "", "For screens, players and editors that do not know it; highlights are rolled off."),
            (-1.0, ", one stop down", "For material that was exposed one stop over to keep shadows clean."),
        )
    ]
    yield Advice(
        "high range", "PQ and HLG", "colour", "Wide range and BT.2020: ordinary screens show it pale and flat.",
        (*ways, Way(None, "Keep it", "For screens that know it; HEVC or AV1 with 10 bits only.")), usual=False,
    )  # fmt: skip


# A stray recording begins right behind black, within so many frames; less than so much at the end is not worth a cut, seconds.
_NEXT_TO, _HEARD_TRIM_S, _EIGHT_BITS = 3, 0.2, 8
_MAKERS: dict[str, Callable[[Reading, Proposal], Iterator[Advice]]] = {
    "trim": _trim, "crop": _crop, "shape": _shape, "levels": _levels, "denoise": _noise, **SOUND_MAKERS,
}  # fmt: skip
