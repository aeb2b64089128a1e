"""The forecast of a session: what is left to capture and to encode, whether drive, machine and evening are long enough.

Everything follows from the carriers on the shelf, from what was measured on this machine, and from what earlier takes and
copies of the workspace came to. It is quick enough to be made anew whenever something changes.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Literal

from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.data_rates import CAPTURE_CODECS, capture_bits_per_second
from yomikomi.core.planning.formats import FORMATS, PictureFormat
from yomikomi.core.planning.lengths import LONGEST_OVER_MARKED
from yomikomi.core.planning.machine import MachineSpeeds
from yomikomi.core.planning.spans import Span, Sum, total

# Footage differs: on one machine, encoding took between these multiples of what the trial says (docs/science.md).
_FOOTAGE = Span(0.4, 1.0, 1.7)
# A take is begun and ended by hand: some seconds of lead-in and run-out.
_HANDLING_S = Span(10, 30, 120)
# Discs and cards: bytes to copy where nothing is known (common practice, no source: 4 to 5 GB a film, up to twice that).
_DISC_BYTES = Span(1e9, 4.5e9, 9.4e9)
# Where its length is known: bytes a second of discs (common practice, no source: 3 to 9.5 Mb/s).
_DISC_BYTES_PER_S = Span(3e6 / 8, 5e6 / 8, 9.5e6 / 8)
# A live session of unknown length.
_LIVE_S = Span(600, 3600, 10_800)
_UNKNOWN_FORMAT = "625i"

Fit = Literal["fits", "perhaps", "not today"]


@dataclass(frozen=True)
class Work:
    """A carrier as the forecast sees it.

    Parameters
    ----------
    seconds : nominal or measured length, None where not known.
    captured : there is a take already; ``take_bytes`` and ``take_seconds`` say what it came to.
    copied : there is a verified copy already.
    take_codec : what the take was recorded with; ``codec_bits`` : bits a pixel that each capture codec takes of its pictures.
    """

    label: str
    kind: str
    format: str | None = None
    seconds: float | None = None
    unfit: bool = False
    captured: bool = False
    take_bytes: int | None = None
    take_seconds: float | None = None
    copied: bool = False
    take_codec: str = "ffv1"
    codec_bits: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class Wish:
    """What is planned with. ``begin`` and ``until`` bound the session; ``changeover_s`` passes between two carriers."""

    begin: datetime
    until: datetime
    capture_codec: str = "ffv1"
    copy_codec: str = "h264"
    changeover_s: float = 300.0


@dataclass(frozen=True)
class Bar:
    """One piece of work on the clock: seconds after ``Wish.begin``. ``end`` holds the interval."""

    label: str
    lane: Literal["capture", "encode"]
    start: float
    end: Span
    fit: Fit


@dataclass(frozen=True)
class Forecast:
    """Parameters
    ----------
    capture : seconds of capture left, without changeovers; ``capture_end`` with them, after ``begin``.
    room : bytes that capturing and copying will take; ``free`` bytes there are.
    full_at : when the drive will be full, if it will, in seconds after ``begin`` (usual case).
    encode : seconds that encoding keeps the machine; None where this machine was not measured.
    write_margin : measured sustained write rate over the rate needed; None where not measured.
    guesses : labels whose length is not known, so that their interval is wide.
    set_aside : labels that are unfit and left out.
    """

    capture: Span
    capture_end: Span
    room: Span
    free: int
    full_at: float | None
    encode: Span | None
    encode_end: Span | None
    write_margin: float | None
    capture_headroom: float | None
    bars: tuple[Bar, ...]
    guesses: tuple[str, ...] = ()
    set_aside: tuple[str, ...] = ()
    waiting: int = 0
    learned: bool = field(default=False)

    @property
    def enough_room(self) -> Fit:
        return "fits" if self.room.high <= self.free else "perhaps" if self.room.usual <= self.free else "not today"


def forecast(works: Sequence[Work], wish: Wish, *, free: int, machine: MachineSpeeds | None) -> Forecast:
    """Carriers in the given order, one after another; encoding follows each as soon as the encoder is free."""
    fit_works = [work for work in works if not work.unfit]
    to_capture = [work for work in fit_works if not work.captured and kind_of(work.kind).way != "copy"]
    to_copy = [work for work in fit_works if not work.captured and kind_of(work.kind).way == "copy" and work.kind != "file"]
    known = _Known(works)
    lengths = {work.label: _length(work, known) for work in fit_works}
    sorts = {(work.kind, work.format): work for work in to_capture}
    by_sort = {sort: _bytes_per_second(work, known, wish.capture_codec) for sort, work in sorts.items()}
    rates = {work.label: by_sort[work.kind, work.format] for work in to_capture}
    evening = (wish.until - wish.begin).total_seconds()

    bars: list[Bar] = []
    needs: list[Span] = []
    done = Sum()
    full_at = None
    start = filled = 0.0
    for number, work in enumerate(to_capture):
        done.add(total([lengths[work.label], _HANDLING_S]))
        end = _shifted(done.span, number * wish.changeover_s)
        bars.append(Bar(work.label, "capture", start, end, _fit(end, evening)))
        needs.append(lengths[work.label].times(rates[work.label]))
        if full_at is None and filled + needs[-1].usual > free:
            full_at = start + max(0.0, free - filled) / rates[work.label].usual
        filled += needs[-1].usual
        start = end.usual + wish.changeover_s
    capture_end = bars[-1].end if bars else Span.exact(0.0)
    needs += [_bytes_to_copy(work) for work in to_copy]

    encode, encode_bars = _encoding(fit_works, bars, lengths, wish, machine, evening)
    needed = max((rate.high for rate in rates.values()), default=0.0)
    return Forecast(
        capture=total(lengths[work.label] for work in to_capture),
        capture_end=capture_end,
        room=total(needs),
        free=free,
        full_at=full_at,
        encode=encode,
        encode_end=encode_bars[-1].end if encode_bars else (Span.exact(0.0) if encode is not None else None),
        write_margin=machine.write_bytes_per_second.low / needed if machine and needed else None,
        capture_headroom=_headroom(to_capture, wish.capture_codec, machine),
        bars=(*bars, *encode_bars),
        guesses=tuple(work.label for work in to_capture if not work.seconds),
        set_aside=tuple(work.label for work in works if work.unfit),
        waiting=len(to_copy),
        learned=any(work.take_bytes and work.take_seconds for work in works),
    )


def _encoding(
    works: Sequence[Work], captures: Sequence[Bar], lengths: dict[str, Span], wish: Wish, machine: MachineSpeeds | None, evening: float
) -> tuple[Span | None, list[Bar]]:
    """Seconds of encoding altogether, and its bars: what is captured already goes first."""
    speed = machine.encoders.get(wish.copy_codec) if machine else None
    if speed is None:
        return None, []
    ready = {bar.label: bar.end for bar in captures}
    spans: list[Span] = []
    bars: list[Bar] = []
    at = Span.exact(0.0)
    waiting = [work for work in works if not work.copied and lengths[work.label].usual > 0]
    for work in sorted(waiting, key=lambda one: ready[one.label].usual if one.label in ready else 0.0):
        if work.label not in ready and not work.captured:
            continue  # a disc or card that was not copied yet: nobody knows what is on it
        pixels = float(_format(work).pixel_rate)
        took = lengths[work.label].scaled(pixels).over(Span(speed.low, speed.usual, speed.high)).times(_FOOTAGE)
        start = _later(at, ready.get(work.label, Span.exact(0.0)))
        at = Span(start.low + took.low, start.usual + took.usual, start.high + took.high)
        spans.append(took)
        bars.append(Bar(work.label, "encode", start.usual, at, _fit(at, evening)))
    return total(spans), bars


class _Known:
    """What the other carriers tell of one that is not known itself: lengths by kind, bytes a second by kind, format and codec."""

    def __init__(self, works: Sequence[Work]) -> None:
        lengths: dict[str, list[float]] = defaultdict(list)
        rates: dict[tuple[str, str | None, str], list[float]] = defaultdict(list)
        for work in works:
            if work.seconds:
                lengths[work.kind].append(work.seconds)
            if work.take_bytes and work.take_seconds:
                rates[work.kind, work.format, work.take_codec].append(work.take_bytes / work.take_seconds)
        self.lengths = {kind: sorted(found) for kind, found in lengths.items()}
        self.rates = {key: sorted(found) for key, found in rates.items()}
        self.works = works


def usual_codec_bits(works: Iterable[Work], kind: str, picture_format: str | None) -> dict[str, float]:
    """Bits a pixel that each capture codec takes of such carriers, by the middle one of the takes that were weighed."""
    found: dict[str, list[float]] = defaultdict(list)
    for work in works:
        if (work.kind, work.format) == (kind, picture_format):
            for codec, bits in work.codec_bits.items():
                found[codec].append(bits)
    return {codec: sorted(several)[len(several) // 2] for codec, several in found.items()}


def _length(work: Work, known: _Known) -> Span:
    """Running time in seconds: of a take as measured, else as marked, else as like carriers here, else as the kind allows."""
    kind = kind_of(work.kind)
    if work.take_seconds:
        return Span.exact(work.take_seconds)
    if work.seconds:
        marked = Span(0.95 * work.seconds, work.seconds, LONGEST_OVER_MARKED * work.seconds)
        return marked if kind.way == "play" else Span.exact(work.seconds)
    like = known.lengths.get(work.kind, [])
    if len(like) >= 3:
        return Span(like[0], like[len(like) // 2], like[-1] * LONGEST_OVER_MARKED)
    if kind.marked:
        slowest = max(factor for _, factor in kind.speeds)
        usual = kind.marked[len(kind.marked) // 2]
        return Span(60.0 * kind.marked[0], 60.0 * usual, 60.0 * kind.marked[-1] * slowest)
    return _LIVE_S if kind.way == "live" else Span.exact(0.0)


def _bytes_per_second(work: Work, known: _Known, codec: str) -> Span:
    """What capturing fills: as earlier takes of such carriers did, else as they were weighed, else as the codec's table says."""
    learned = known.rates.get((work.kind, work.format, codec))
    if learned:
        return Span(0.85 * learned[0], learned[len(learned) // 2], 1.15 * learned[-1])
    found = _format(work)
    measured = usual_codec_bits(known.works, work.kind, work.format).get(codec)
    low, usual, high = capture_bits_per_second(codec, width=found.width, height=found.height, rate=found.rate, measured=measured)
    return Span(low / 8, usual / 8, high / 8)


def _bytes_to_copy(work: Work) -> Span:
    """What a disc or card that waits to be copied will fill."""
    return _DISC_BYTES_PER_S.scaled(work.seconds) if work.kind == "disc" and work.seconds else _DISC_BYTES


def _headroom(to_capture: Sequence[Work], codec: str, machine: MachineSpeeds | None) -> float | None:
    """How much faster than real time the capture codec encodes the largest format that waits."""
    speed = machine.encoders.get(codec) if machine else None
    if speed is None or not to_capture or codec not in CAPTURE_CODECS:
        return None
    return speed.low / max(float(_format(work).pixel_rate) for work in to_capture)


def _format(work: Work) -> PictureFormat:
    return FORMATS.get(work.format or "", FORMATS[_UNKNOWN_FORMAT])


def _shifted(span: Span, seconds: float) -> Span:
    return Span(span.low + seconds, span.usual + seconds, span.high + seconds)


def _later(one: Span, two: Span) -> Span:
    return Span(max(one.low, two.low), max(one.usual, two.usual), max(one.high, two.high))


def _fit(end: Span, evening: float) -> Fit:
    return "fits" if end.high <= evening else "perhaps" if end.usual <= evening else "not today"


def clock_time(begin: datetime, seconds: float) -> str:
    """A time of day, with the day where it is not the first: ``23:40``, ``+1 d 02:10``."""
    at = begin + timedelta(seconds=seconds)
    days = (at.date() - begin.date()).days
    return f"{at:%H:%M}" if days == 0 else f"+{days} d {at:%H:%M}"
