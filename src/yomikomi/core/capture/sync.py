"""Measuring how far sound and picture are apart, from flashes with beeps or from claps.

Positive offsets: the sound comes after its picture. All times are on the file's own clock.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from typing import Literal

import av
import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from yomikomi.core.capture import sentences
from yomikomi.core.capture.clocks import line_through
from yomikomi.core.capture.flash_fit import fit_flashes
from yomikomi.core.capture.flashes import Flash, flashes, lit_first
from yomikomi.core.capture.movement import SMALL, Series, Small, cells_of, movement
from yomikomi.core.errors import UnreadableError
from yomikomi.core.video.media import heard_streams, open_media, probe, video_stream
from yomikomi.core.video.packets import frames_of
from yomikomi.core.video.planes import bits, luma
from yomikomi.core.work import Reporter

# Nobody looks for an offset larger than this; events of the next second must not be taken for those of this one.
_MOST_OFFSET_S = 0.48
# Events that lie further from the common offset than this are no pairs: another sound, another movement.
_PAIR_TOLERANCE_S = 0.030
_FEWEST_EVENTS = 3
_ENVELOPE_S = 0.0005
# Part of all sounds that must belong to a movement (and the reverse); chance brings a third of that.
_LEAST_SHARE = 0.6
# Where much moves, some movement ends near any sound: so many sounds at least, and this part of all, must have one.
_FEWEST_CLAPS, _LEAST_OF_SOUNDS = 4, 0.6
# Of the beginnings and ends of flashes, so many at least are seen as a part of the light where fields are exposed for all their time.
_MOSTLY = 0.6
# Movements and sounds within so many seconds of a flash are that flash's own.
_OF_A_FLASH_S = 0.3
# Hands that come together darken as much as they brighten; where nearly all turns one way, a light comes or goes.
_ONE_WAY, _BOTH_WAYS = 0.8, 0.4
# Flashes and claps that stand further apart than this contradict each other.
_CONTRADICTION_S = 0.03
# Part of a field's time by which light that is too strong for the picture was seen to come too soon: of single flashes, of all together.
_STRONG_LIGHT, _CLIPPED_LIGHT = 0.15, 0.1
# Flashes that are explained together, taken evenly from all.
_FITTED = 12
# What no number of events takes away, milliseconds: the rounding of a sound's beginning and of light, and what claps were found to be
# off by (docs/science.md).
_FLASH_BIAS_MS, _CLAP_BIAS_MS = 0.7, 8.0


class SyncResult(BaseModel):
    """Parameters
    ----------
    kind : what was found: flashes with beeps, claps, or nothing to measure.
    offset_ms : how much later the sound is than its picture; negative: sooner. ``spread_ms``: standard deviation of the
        single events; ``error_ms``: of their mean.
    drift_ms_per_hour : how the offset changes; None where the events cover too little time to tell.
    reason : why nothing could be measured.
    """

    model_config = ConfigDict(frozen=True)

    schema_version: Literal[1] = 1
    kind: Literal["flash", "clap", "nothing"]
    offset_ms: float | None = None
    spread_ms: float | None = None
    error_ms: float | None = None
    bound_ms: float | None = Field(default=None, description="half of the 95 % interval of the offset")
    events: int = 0
    drift_ms_per_hour: float | None = None
    drift_error: float | None = None
    offsets: tuple[tuple[float, float], ...] = Field(default=(), description="of each event: when, in s, and its offset in ms")
    reason: str = ""

    @property
    def words(self) -> str:
        """For people."""
        if self.offset_ms is None or self.spread_ms is None:
            return sentences.nothing_measured(self.reason)
        within = max(1.0, 2 * (self.error_ms or 0.0))
        return sentences.sync_sentence(self.offset_ms, spread_ms=self.spread_ms, within_ms=within, events=self.events)


@dataclass(frozen=True)
class SyncRequest:
    """``seconds``: how much of the file is looked at."""

    path: Path
    seconds: float = 120.0


@dataclass(frozen=True)
class SyncMaterial:
    """What was taken from a stretch of a file.

    ``times``: when each field (or frame) begins and ``lasts`` so long; ``cells``: means of small parts of each, shape (fields,
    lines, columns); ``kinds``: 2 for fields; ``moved``: change since the one before, the noise taken off; ``one_way``: how much of that
    change is all to the brighter or all to the darker, 0…1."""

    times: Series
    lasts: float
    cells: NDArray[np.float32]
    kinds: int
    moved: Series
    one_way: Series
    wave: Series
    rate: int
    sound_at: float


def measure_sync(request: SyncRequest, reporter: Reporter) -> SyncResult:
    """Look at a file for flashes with beeps, then for claps. A file without such events is a result with its reason.

    Raises UnreadableError for what is no footage, or has no sound track at all.
    """
    return judge_events(events_in(_take(request, reporter)))


@dataclass(frozen=True)
class SyncEvents:
    """When flashes began, hands came together, and sharp sounds began; seconds on the file's clock. ``lasts``: length of a field."""

    flashes: tuple[Flash, ...] = ()
    claps: tuple[Clap, ...] = ()
    sounds: tuple[float, ...] = ()
    lasts: float = 0.0

    def and_then(self, more: SyncEvents) -> SyncEvents:
        return SyncEvents(self.flashes + more.flashes, self.claps + more.claps, self.sounds + more.sounds, more.lasts or self.lasts)


@dataclass(frozen=True)
class Clap:
    """``at``: when hands that moved stop, seconds; ``one_way``: see :class:`SyncMaterial`."""

    at: float
    one_way: float


def events_in(seen: SyncMaterial) -> SyncEvents:
    lights = flashes(seen.cells, seen.times, seen.lasts, kinds=seen.kinds)
    return SyncEvents(tuple(lights), tuple(_hits(seen)), tuple(_onsets(seen)), seen.lasts)


def judge_events(events: SyncEvents) -> SyncResult:
    """Which of what was seen and heard belongs together, and how far it is apart."""
    if len(events.sounds) < _FEWEST_EVENTS:
        return SyncResult(kind="nothing", reason=sentences.too_few_sounds(len(events.sounds), needed=_FEWEST_EVENTS))
    lights = _pairs([one.at for one in events.flashes], list(events.sounds))
    lit = np.array([at for at, _ in lights]) if lights else np.zeros(0)
    # What moves when a light comes and goes is no hand, unless as much darkens there as brightens: then the light may be a hand's.
    hands = [one for one in events.claps if not len(lit) or np.min(np.abs(lit - one.at)) > _OF_A_FLASH_S or one.one_way < _BOTH_WAYS]
    claps = _pairs([one.at for one in hands], list(events.sounds), of_sounds=_LEAST_OF_SOUNDS)
    if lights and claps and abs(_middle(lights) - _middle(claps)) > _CONTRADICTION_S:
        return SyncResult(kind="nothing", reason="flashes and claps contradict each other: only one of them belongs to the sound")
    if lights:
        return _of_flashes(lights, events)
    if claps and float(np.median([one.one_way for one in hands])) > _ONE_WAY:
        return SyncResult(kind="nothing", reason="a light changes with the sound, too dimly or too slowly to time")
    if claps:
        return _result("clap", claps, _CLAP_BIAS_MS + 250 * events.lasts)  # hands may meet while the shutter is closed
    if max(len(events.flashes), len(events.claps)) < _FEWEST_EVENTS:
        return SyncResult(kind="nothing", reason="sharp sounds found, but neither flashes nor claps in the picture")
    return SyncResult(kind="nothing", reason="picture events and sounds do not match")


def _of_flashes(lights: list[tuple[float, float]], events: SyncEvents) -> SyncResult:
    """The offset that explains all flashes together; where none does, the mean of each for itself. Fields that are exposed for a part
    of their time only see a flash late, by up to half of the rest on the mean; that they are is to be feared where few of its beginnings
    and ends were seen as a part of the light."""
    by_moment = {one.at: one for one in events.flashes}
    single = _result("flash", lights, _FLASH_BIAS_MS)
    fit = fit_flashes([(by_moment[at], at + offset) for at, offset in lights[:: -(-len(lights) // _FITTED)]], events.lasts)
    if fit is not None:
        bias = _FLASH_BIAS_MS + 1000 * events.lasts * (_CLIPPED_LIGHT + (1 - fit.exposed) / 2)
        told = {"offset_ms": 1000 * fit.offset, "error_ms": 1000 * fit.error, "bound_ms": 1000 * fit.bound + bias}
        return single.model_copy(update={name: round(value, 2) for name, value in told.items()})
    edges, cut = (sum(getattr(by_moment[at], name) for at, _ in lights) for name in ("edges", "cut"))
    if edges < _FEWEST_EVENTS:  # too short to light a field for all of its time
        return _result("flash", lights, _FLASH_BIAS_MS + 500 * events.lasts)
    unexposed = 1 - cut / edges if cut < _MOSTLY * edges else 0.0
    return _result("flash", lights, _FLASH_BIAS_MS + 1000 * events.lasts * (_STRONG_LIGHT + unexposed / 2))


def _middle(pairs: list[tuple[float, float]]) -> float:
    return float(np.median([offset for _, offset in pairs]))


def _result(kind: Literal["flash", "clap"], pairs: list[tuple[float, float]], bias_ms: float) -> SyncResult:
    """``bias_ms``: what may be off in all events alike."""
    from scipy.special import stdtrit

    at, offset = np.array(pairs).T
    middle = float(np.median(offset))
    keep = np.abs(offset - middle) < _PAIR_TOLERANCE_S
    at, offset = at[keep], offset[keep] * 1000
    spread = float(np.std(offset, ddof=1))
    drift, drift_error = _drift(at, offset)
    error = spread / np.sqrt(len(offset))
    bound = bias_ms + float(stdtrit(len(offset) - 1, 0.975)) * error
    return SyncResult(
        kind=kind, offset_ms=round(float(np.mean(offset)), 2), spread_ms=round(spread, 2), error_ms=round(float(error), 2),
        bound_ms=round(bound, 2), events=len(offset), drift_ms_per_hour=drift, drift_error=drift_error,
        offsets=tuple((round(float(t), 3), round(float(o), 2)) for t, o in zip(at, offset, strict=True)),
    )  # fmt: skip


def _drift(at: Series, offset: Series) -> tuple[float | None, float | None]:
    """Slope of the offsets in ms an hour with its standard error; None for less than ten events or ten seconds."""
    if len(at) < 10 or at[-1] - at[0] < 10:
        return None, None
    slope, error = line_through(at, offset)
    return round(slope * 3600, 1), round(error * 3600, 1)


def _pairs(moments: list[float], sounds: list[float], *, of_sounds: float = 0.0) -> list[tuple[float, float]] | None:
    """Moments with the offset of the sound that belongs to each, where one offset serves most of them; else None. ``of_sounds``: part
    of all sounds that must have their moment."""
    if len(moments) < _FEWEST_EVENTS or len(sounds) < _FEWEST_EVENTS:
        return None
    seen, heard = np.array(moments), np.array(sounds)
    gaps = heard[None, :] - seen[:, None]
    near = gaps[np.abs(gaps) <= _MOST_OFFSET_S]
    if not near.size:
        return None
    votes = [int(np.sum(np.abs(near - one) < _PAIR_TOLERANCE_S)) for one in near]
    common = float(np.median(near[np.abs(near - near[int(np.argmax(votes))]) < _PAIR_TOLERANCE_S]))
    nearest = np.argmin(np.abs(gaps - common), axis=1)
    found = [(float(at), float(gaps[row, nearest[row]])) for row, at in enumerate(seen)]
    found = [(at, gap) for at, gap in found if abs(gap - common) < _PAIR_TOLERANCE_S]
    fewest = max(_FEWEST_EVENTS, _LEAST_SHARE * min(len(moments), len(sounds)))
    enough = len(found) >= (max(fewest, _FEWEST_CLAPS, of_sounds * len(sounds)) if of_sounds else fewest)
    return found if enough else None


def _hits(seen: SyncMaterial) -> list[Clap]:
    """When hands that come together stop: movement that grows over some fields and ends from one to the next."""
    moved = seen.moved
    if len(moved) < 12 or np.percentile(moved, 98) < 4 * max(np.percentile(moved, 30), 1e-3):
        return []
    strong = float(np.percentile(moved, 98)) * 0.3
    moments: list[Clap] = []
    for place in range(4, len(moved) - 4):
        before, after = moved[place - 3 : place + 1], moved[place + 2 : place + 5]
        if moved[place] < strong or moved[place] < 0.999 * max(before) or float(np.max(after)) > 0.45 * moved[place]:
            continue
        if float(np.mean(before[:2])) < 0.15 * moved[place]:
            continue
        if moments and seen.times[place] - moments[-1].at < 0.25:
            continue
        # In the field after the strongest the hands go on for part of its time.
        growth = min(1.5, float(moved[place] / max(1e-6, moved[place - 1])))
        still = float(np.median(after))
        part = float(np.clip((moved[place + 1] - still) / max(1e-6, moved[place] * growth - still), 0, 1))
        # Fields show the middle of their time; the change up to ``place`` ended there.
        moments.append(Clap(float(seen.times[place] + seen.lasts * (0.5 + part)), float(seen.one_way[place])))
    return moments


def _onsets(seen: SyncMaterial) -> list[float]:
    """When sharp sounds begin: the envelope rises by 12 dB over what was before, from quiet."""
    step = max(1, round(_ENVELOPE_S * seen.rate))
    count = len(seen.wave) // step
    if count < 100:
        return []
    high = np.diff(seen.wave, prepend=seen.wave[0])  # claps are bright, rumble is not
    power = seen.wave**2 + 4 * high**2
    envelope = np.sqrt(power[: count * step].reshape(count, step).mean(axis=1))
    back = round(0.05 / _ENVELOPE_S)
    floor = np.median(envelope)
    loud = float(np.percentile(envelope, 99.7))
    if loud < 10 ** (-50 / 20) or loud < 6 * floor:
        return []
    moments: list[float] = []
    over = np.flatnonzero(envelope > max(0.2 * loud, 4 * floor))
    last = -10_000
    for place in over.tolist():
        if place - last > round(0.15 / _ENVELOPE_S) and np.max(envelope[max(0, place - back) : max(1, place - 3)], initial=0) < 0.25 * loud:
            moments.append(_begin(seen, envelope, int(place), step))
        last = int(place)
    return moments


def _begin(seen: SyncMaterial, envelope: Series, place: int, step: int) -> float:
    """The first sample of a sound: back from where it is loud to where it leaves the quiet."""
    quiet = float(np.median(envelope[max(0, place - 100) : max(1, place - 6)]))
    peak = float(np.max(envelope[place : place + 20]))
    limit = quiet + 0.08 * (peak - quiet)
    first = max(0, (place - 10) * step)
    part = np.abs(seen.wave[first : (place + 2) * step])
    over = np.flatnonzero(part > limit)
    return seen.sound_at + (first + int(over[0]) if over.size else place * step) / seen.rate


_NO_HALF = np.zeros(0, np.float16)  # in the place of what was taken over


def _take(request: SyncRequest, reporter: Reporter) -> SyncMaterial:
    info = probe(request.path)
    if not info.sound:
        raise UnreadableError(f"{request.path.name} has no sound.", remedy="Record it with its sound.", path=request.path)
    numbers: list[int] = []
    # Half precision holds code values to an eighth; two minutes at 60 frames a second stay under half a gigabyte.
    halves: list[tuple[NDArray[np.float16], NDArray[np.float16]]] = []
    with open_media(request.path) as container:
        stream = video_stream(container, request.path)
        rate = Fraction(stream.average_rate or stream.guessed_rate or 25)
        base = stream.time_base or Fraction(1, 1000)
        stream.thread_type = "AUTO"
        for frame in frames_of(container, stream, request.path):
            reporter.check()
            # Matroska rounds to a millisecond: the place on the rate's grid is exact.
            number = round((frame.pts or 0) * base * rate)
            if number / rate > request.seconds:
                break
            plane = luma(frame)
            eight = np.float32(2 ** (bits(frame) - 8))
            fields = [cv2.resize(plane[first::2], SMALL, interpolation=cv2.INTER_AREA) / eight for first in (0, 1)]
            halves.append((fields[0].astype(np.float16), fields[1].astype(np.float16)))
            numbers.append(number)
            reporter.report(float(number / rate) / request.seconds)
    wave, sound_rate, sound_at = _sound(request)
    order = info.flagged_field_order if info.flagged_field_order in {"tff", "bff"} else None
    if order is None and halves:
        upper, lower = (np.stack([cells_of([pair[which].astype(np.float32)])[0] for pair in halves]) for which in (0, 1))
        order = lit_first(upper, lower, np.array([float(number / rate) for number in numbers]), float(1 / rate))
    step = 1 if order is None else 2
    smalls: list[Small] = []
    for place, pair in enumerate(halves):
        one, two = (half.astype(np.float32) for half in (pair if order != "bff" else pair[::-1]))
        smalls += [np.asarray((one + two) / 2, np.float32)] if order is None else [one, two]
        halves[place] = (_NO_HALF, _NO_HALF)
    when = np.array([float((number + Fraction(index, step)) / rate) for number in numbers for index in range(step)])
    moved = movement(smalls, steadied=True)
    return SyncMaterial(when, float(1 / (rate * step)), cells_of(smalls), step, *moved, wave, sound_rate, sound_at)


def _sound(request: SyncRequest) -> tuple[Series, int, float]:
    """The loudest channel at each moment, −1…1; its rate; when it begins."""
    parts: list[NDArray[np.float32]] = []
    begins: float | None = None
    with open_media(request.path) as container:
        stream = heard_streams(container)[0]
        rate = stream.codec_context.sample_rate or 48_000
        resampler = av.AudioResampler(format="fltp", rate=rate)
        for frame in frames_of(container, stream, request.path):
            if frame.time is not None and begins is None:
                begins = float(frame.time)
            if frame.time is not None and frame.time > request.seconds:
                break
            parts += [np.asarray(made.to_ndarray(), np.float32) for made in resampler.resample(frame)]
    if not parts:
        return np.zeros(0), rate, 0.0
    whole = np.concatenate(parts, axis=1)
    loudest = int(np.argmax(np.mean(whole * whole, axis=1)))
    return whole[loudest].astype(np.float64), rate, begins or 0.0
