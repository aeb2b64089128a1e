"""Scan type, rate and losses."""

from __future__ import annotations

from fractions import Fraction

from yomikomi.core.reading.cards.advice import Origin, advice_for
from yomikomi.core.reading.cards.finding import Finding, Mark, certainty_words
from yomikomi.core.reading.models import Reading
from yomikomi.core.reading.scan.verdict import MIN_INFORMATIVE
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.standards import FieldOrder
from yomikomi.core.video.timecode import clock
from yomikomi.core.video.units import counted, grouped

# What a segment's kind is called.
KIND_WORDS = {
    "interlaced": "interlaced", "progressive": "progressive", "film_2_3": "film with 2:3 pulldown",
    "film_2_2": "progressive with fields paired wrongly (2:2)",
    "film_2_3_3_2": "film with 2:3:3:2 pulldown", "repeats": "repeated pictures", "blended": "blended fields", "mixed": "mixed",
    "undetermined": "undetermined",
}  # fmt: skip
_PULLDOWNS = {"film_2_3": "2:3", "film_2_3_3_2": "2:3:3:2"}
_LOSSES_A_MINUTE_WRONG = 2.0


def doubt_words(reading: Reading) -> str:
    """Why the scan type is not known."""
    return "too little motion" if reading.scan.informative_frames < MIN_INFORMATIVE else "its frames fit no scan type well"


def scan_card(reading: Reading, origin: Origin) -> Finding:
    scan, rate = reading.scan, Fraction(reading.rate.nominal)
    votes = f"{grouped(scan.agreeing_frames)} of {grouped(scan.informative_frames)} frames with enough motion agree"
    contradiction = next(iter(reading.doubted("scan")), "")
    extra = f"; {contradiction}" if contradiction else ""
    sure = certainty_words(scan.confidence)
    order = FieldOrder(scan.field_order).words if scan.field_order else ""
    frame = scan.telling_frame
    true = rate_text(Fraction(reading.rate.true)) if reading.rate.true else ""

    def card(mark: Mark, title: str, advice: str, *, why: str = votes, cost: int = 80, certainty: str = sure) -> Finding:
        return Finding("scan", mark, title, certainty, why + extra, advice, cost, frame, strip="kind")

    if scan.kind == "undetermined" and scan.whole_pictures:
        why = f"{votes}; nothing moves fast enough to show whether two fields were blended"
        sure = certainty_words(scan.whole_pictures)
        return card(Mark.LOOK, "Progressive, or fields blended before", "do not deinterlace", why=why, cost=20, certainty=sure)
    if scan.kind == "undetermined":
        why = f"{grouped(scan.informative_frames)} of {grouped(scan.frames)} frames have enough motion; {doubt_words(reading)}"
        return card(Mark.UNKNOWN, "Scan type undetermined", "check a moving part, then decide", why=why, certainty="–")
    if scan.kind == "progressive":
        return card(Mark.LOOK if contradiction else Mark.FINE, "Progressive", "do not deinterlace")
    if scan.kind == "interlaced":
        return card(Mark.LOOK, f"Interlaced, {order}", f"deinterlace; {rate_text(2 * rate)} fps keeps all motion")
    if scan.kind in _PULLDOWNS:
        broken = f"; the cadence breaks {counted(len(scan.broken_at), 'time', 'times')}" if scan.broken_at else ""
        return card(
            Mark.LOOK,
            f"Film with {_PULLDOWNS[scan.kind]} pulldown, {order}",
            f"recover {true} fps; do not deinterlace",
            why=votes + broken,
        )
    if scan.kind == "film_2_2":
        return card(Mark.LOOK, f"Progressive with fields paired wrongly (2:2), {order}", "pair the fields again; do not deinterlace")
    if scan.kind == "repeats":
        what = f"{scan.cadence}; {votes}" if scan.cadence else votes
        return card(Mark.LOOK, f"{true} fps inside {rate_text(rate)} fps", f"remove the repeated frames: {true} fps", why=what, cost=60)
    if scan.kind == "blended":
        return card(
            Mark.WRONG, "Fields blended into double images", advice_for("blended", origin),
            why="moving edges appear twice, half a frame of motion apart",
        )  # fmt: skip
    return card(Mark.LOOK, f"Mixed: {mixture_words(reading)}", "treat each part as it is", why=f"{len(scan.segments)} parts; {votes}")


def mixture_words(reading: Reading) -> str:
    """``interlaced 12:10, film with 2:3 pulldown 3:20``: how long each kind is, longest first."""
    seconds: dict[str, float] = {}
    for one in reading.scan.segments:
        seconds[one.kind] = seconds.get(one.kind, 0.0) + one.end - one.start
    longest = sorted(seconds.items(), key=lambda item: -item[1])
    return ", ".join(f"{KIND_WORDS[kind]} {clock(length)}" for kind, length in longest[:3])


def rate_card(reading: Reading) -> Finding:
    rate = Fraction(reading.rate.nominal)
    name = f"{rate_text(rate)} fps"
    told = f"{reading.rate.nominal} exactly, from {reading.rate.told_by}"
    if reading.rate.constant:
        return Finding("rate", Mark.FINE, name + ", constant", "measured", told, "keep the rate")
    gaps, missing = reading.rate.gaps, reading.rate.missing_frames
    lost = f"; {counted(missing, 'frame', 'frames')} missing in {counted(gaps, 'place', 'places')}" if gaps else ""
    frames = tuple(at for at, _ in reading.rate.gap_places) or tuple(reading.rate.off_places)
    return Finding(
        "rate", Mark.LOOK, name + ", not constant", "measured", told + lost, "the copy gets a constant rate, sound kept in sync", 50,
        frames[0] if frames else None, frames, "losses",
    )  # fmt: skip


def loss_card(reading: Reading, origin: Origin) -> Finding | None:
    losses = reading.losses
    if losses is None:
        return None
    looked = f"{grouped(reading.frames_looked_at)} frames compared with their neighbours; a lost frame shows only in the time stamps"
    total = losses.repeated_count + len(losses.frozen)
    if not total:
        return Finding("losses", Mark.FINE, "No frame repeated or frozen", "measured", looked, "nothing to do", strip="losses")
    parts = []
    if losses.repeated_count:
        parts.append(f"{grouped(losses.repeated_count)} repeated")
    if losses.frozen:
        parts.append(counted(len(losses.frozen), "freeze", "freezes"))
    frames = tuple(sorted([*losses.repeated, *(first for first, _ in losses.frozen)]))
    minutes = max(1 / 60, reading.frames_looked_at / float(Fraction(reading.rate.nominal)) / 60)
    often = total / minutes > _LOSSES_A_MINUTE_WRONG
    return Finding(
        "losses", Mark.WRONG if often and total > 3 else Mark.LOOK, "Frames: " + ", ".join(parts),
        "measured",
        f"{total / minutes:.1f} a minute; {looked}", advice_for("losses", origin), 55,
        frames[0], frames, "losses",
    )  # fmt: skip
