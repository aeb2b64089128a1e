"""From a finished pass to the Reading."""

from __future__ import annotations

import time
from dataclasses import replace
from fractions import Fraction

import numpy as np

from yomikomi.core.reading.contradictions import doubts_of
from yomikomi.core.reading.measures.losses import losses_of
from yomikomi.core.reading.measures.structure import make_structure
from yomikomi.core.reading.models import (
    Colour,
    Complexity,
    Losses,
    Rate,
    Reading,
    Scan,
    ScanSegment,
    Shape,
    Sound,
    Structure,
    Sync,
    TapeFaults,
)
from yomikomi.core.reading.rate import RateVerdict, judge_rate
from yomikomi.core.reading.scan.blends import BlendVerdict
from yomikomi.core.reading.scan.evidence import Evidence
from yomikomi.core.reading.scan.patterns import PATTERNS
from yomikomi.core.reading.scan.verdict import ScanVerdict, Segment, Vote, judge_scan, share_confidence, weigh
from yomikomi.core.reading.sight import LARGEST_TAPED
from yomikomi.core.reading.strips import make_complexity, make_strips, most_combed, sampled_complexity
from yomikomi.core.reading.taking import Pass, pairwise_windows
from yomikomi.core.video.media import MediaInfo
from yomikomi.core.video.rates import fraction_text
from yomikomi.core.work.text import printable

# Looks at least before a blend is claimed as likely as this.
_BLEND_CONFIDENCE = 0.9
# Pictures of more lines than tapes give are claimed progressive with no more than this where it could not be seen whether fields were
# blended into them. A judgement: few devices do that at such sizes, and no material was there to count them.
_UNLOOKED = 0.9
# Noise, code values, that hides the second moment.
_HIDING_NOISE = 2.0
_MOST_LISTED = 200
# A cadence that begins anew more often than this is none to go by.
_MOST_RUNS = 5000


def assemble(one: Pass) -> Reading:
    """The document of a pass that saw at least one frame."""
    info, meters = one.info, one.meters
    evidence = meters.evidence.evidence
    rate = _rate(one)
    frames = _frames(one, rate)
    scan, numbers = _scan(one, evidence, frames)
    noise = meters.noise.luma_sigma
    scan = _with_blends(scan, meters.blends.verdict(), noise, likely=info.geometry.height <= LARGEST_TAPED)
    quick = one.request.mode == "quick"
    first = Fraction(one.first_stamp or 0) * one.base
    complexity = _complexity(one, frames, rate)
    sound = _sound(one, float(first))
    windows = pairwise_windows(one.windows, len(evidence))
    parts = [(window.first, evidence.part(window.at, end)) for window, end in windows]
    losses = losses_of(parts, scan.segments)
    structure = _structure(one, scan, complexity, rate, noise, frames, sound)
    losses = _without_black(losses, structure)
    colour = Colour(**vars(info.colour), words=info.colour.words)
    doubts = doubts_of(one, scan, rate)
    strips = make_strips(
        evidence, scan.votes, meters.light.table, [m.meter for m in one.heard.values()], rate=rate.nominal, first=first,
        windows=windows if quick else None, frames=frames, losses=losses,
    )  # fmt: skip
    combed = most_combed(evidence, rate=rate.nominal)
    return Reading(
        mode=one.request.mode,
        file=printable(info.path.name),
        size_bytes=info.size_bytes,
        container=info.container,
        codec=info.codec,
        pixel_format=info.pixel_format,
        bit_depth=info.bit_depth,
        frames=frames,
        frames_looked_at=len(evidence),
        duration_seconds=round(float(_duration(one, rate, frames)), 6),
        first_seconds=str(first),
        scan=_scan_document(scan, info, rate.nominal),
        rate=_rate_document(rate, scan),
        geometry=_shape(info),
        colour=colour,
        rotation=info.rotation,
        sound=sound,
        subtitle_streams=info.subtitle_streams,
        strips=strips,
        complexity=complexity,
        most_combed_frame=int(numbers[combed]) if len(numbers) else 0,
        warnings=[doubt.words for doubt in doubts],
        doubts=doubts,
        read_seconds=round(time.monotonic() - one.started, 3),
        losses=losses,
        borders=meters.borders.result(_shape(info), tape=meters.analogue_size),
        levels=meters.levels.result(colour, noise=noise, depth=info.bit_depth, scenes=len(scan.cuts) + 1),
        bars=meters.bars.result(),
        tape=_tape(one, rate),
        digital=meters.digital.result() if meters.lossy else None,
        sync=_sync(one),
        structure=structure,
        hidden=meters.hidden.result(),
        damage=one.damage,
        chapters=info.chapters,
    )


def _scan(one: Pass, evidence: Evidence, frames: int) -> tuple[ScanVerdict, np.ndarray]:
    """The verdict, and the number in the take of each frame seen. Windows of a quick reading are judged one by one."""
    lossy = one.meters.lossy
    if one.request.mode == "full":
        return judge_scan(evidence, lossy=lossy), np.arange(len(evidence))
    numbers = np.zeros(len(evidence), np.int64)
    segments: list[Segment] = []
    votes: list[np.ndarray] = []
    cuts: list[int] = []
    telling: list[tuple[float, int]] = []
    for window, end in pairwise_windows(one.windows, len(evidence)):
        numbers[window.at : end] = window.first + np.arange(end - window.at)
        found = judge_scan(evidence.part(window.at, end), lossy=lossy)
        segments += [replace(s, first=s.first + window.first, end=s.end + window.first) for s in found.segments]
        votes.append(found.votes)
        cuts += [window.first + cut for cut in found.cuts]
        if found.telling is not None and found.kind != "undetermined":
            telling.append((found.confidence * float(evidence.motion[window.at + found.telling]), window.first + found.telling))
    whole = weigh(segments, frames=len(evidence), lossy=lossy)
    whole = replace(
        whole, segments=tuple(_spanned(segments)), votes=np.concatenate(votes) if votes else whole.votes, cuts=tuple(cuts),
        telling=max(telling)[1] if telling else None,
        # What was not looked at may be otherwise.
        confidence=whole.confidence * share_confidence(segments, whole, seen=min(1.0, len(evidence) / max(1, frames))),
    )  # fmt: skip
    return whole, numbers


def _spanned(segments: list[Segment]) -> list[Segment]:
    """Windows of one kind in a row become a stretch from the first to the last; what lies between was not seen."""
    kept: list[Segment] = []
    for one in segments:
        last = kept[-1] if kept else None
        if last and (last.kind, last.field_order) == (one.kind, one.field_order):
            kept[-1] = replace(
                last, end=one.end, informative=last.informative + one.informative, confidence=max(last.confidence, one.confidence)
            )
        elif one.kind != "undetermined" or last is None:
            kept.append(one)
    return kept


def _with_blends(scan: ScanVerdict, blend: BlendVerdict, noise: float, *, likely: bool) -> ScanVerdict:
    """Whole pictures that show two moments each were blended from fields. ``likely``: pictures of so many lines often come from fields."""
    unseen = blend.blended is None or (blend.blended is False and noise > _HIDING_NOISE)
    if scan.kind == "progressive" and unseen:
        if not likely:
            segments = tuple(replace(one, confidence=min(one.confidence, _UNLOOKED)) for one in scan.segments)
            return replace(scan, confidence=min(scan.confidence, _UNLOOKED), segments=segments)
        # Nothing moves so that two moments in one picture could be seen: then it is not known that there is but one. That the
        # pictures are whole is known; on material that nothing was set on, every second one of them was a blend.
        segments = tuple(replace(one, kind="undetermined", confidence=0.5) if one.kind == "progressive" else one for one in scan.segments)
        return replace(scan, kind="undetermined", confidence=0.5, whole=scan.confidence, segments=segments)
    if not blend.blended or scan.kind not in {"progressive", "undetermined"}:
        return scan
    segments = tuple(
        replace(one, kind="blended", confidence=min(one.confidence, _BLEND_CONFIDENCE)) if one.kind == "progressive" else one
        for one in scan.segments
    )
    votes = np.where(scan.votes == Vote.PROGRESSIVE, np.int8(Vote.BLENDED), scan.votes)
    return replace(
        scan, kind="blended", field_order=None, confidence=min(_BLEND_CONFIDENCE, 0.5 + blend.share / 2), segments=segments, votes=votes,
        telling=blend.at_frame if blend.at_frame is not None else scan.telling,
    )  # fmt: skip


def _scan_document(scan: ScanVerdict, info: MediaInfo, rate: Fraction) -> Scan:
    words = next((pattern.words for pattern in PATTERNS if pattern.key == scan.pattern), scan.pattern)
    return Scan(
        kind=scan.kind,  # type: ignore[arg-type]
        field_order=scan.field_order.value if scan.field_order else None,
        confidence=round(scan.confidence, 4),
        frames=scan.frames,
        informative_frames=scan.informative,
        agreeing_frames=scan.agreeing,
        flagged=info.flagged_field_order,
        segments=[
            ScanSegment(
                start=round(float(one.first / rate), 4), end=round(float(one.end / rate), 4), first_frame=one.first, end_frame=one.end,
                kind=one.kind, field_order=one.field_order.value if one.field_order else None, confidence=round(one.confidence, 4),  # type: ignore[arg-type]
                informative_frames=one.informative,
            )
            for one in scan.segments[:_MOST_LISTED]
        ],
        cadence=words if scan.kind in {"film_2_3", "film_2_2", "film_2_3_3_2", "repeats"} else "",
        broken_at=list(scan.broken[:_MOST_LISTED]),
        runs=list(scan.runs) if len(scan.runs) <= _MOST_RUNS else [],
        telling_frame=scan.telling,
        whole_pictures=round(scan.whole, 4),
    )  # fmt: skip


def _rate(one: Pass) -> RateVerdict:
    declared = one.info.average_rate
    if one.request.mode == "full":
        return judge_rate(one.stamps, time_base=one.base, declared=declared)
    parts = [
        judge_rate(one.stamps[window.at : end], time_base=one.base, declared=declared)
        for window, end in pairwise_windows(one.windows, len(one.stamps))
    ]
    known = [part for part in parts if part.told_by != "header"] or parts
    if not known:
        return judge_rate([], time_base=one.base, declared=declared)
    # Short stretches tell a rate less exactly than the header and the whole; the header is held against them.
    nominal = sorted(part.nominal for part in known)[len(known) // 2]
    if declared and abs(float(nominal / declared) - 1) < 2e-3:
        nominal = next((part.nominal for part in known if abs(float(part.nominal / declared) - 1) < 2e-5), declared)
    return replace(
        known[0], nominal=nominal, constant=all(part.constant for part in known), gaps=sum(part.gaps for part in known),
        missing=sum(part.missing for part in known), told_by="stretches and header", gap_places=(), off_places=(),
    )  # fmt: skip


def _rate_document(rate: RateVerdict, scan: ScanVerdict) -> Rate:
    return Rate(
        nominal=fraction_text(rate.nominal), constant=rate.constant, gaps=rate.gaps, missing_frames=rate.missing, told_by=rate.told_by,
        true=fraction_text(rate.nominal * scan.pictures), gap_places=list(rate.gap_places[:_MOST_LISTED]),
        jitter_ms=round(rate.jitter_ms, 3), off_places=list(rate.off_places[:_MOST_LISTED]),
    )  # fmt: skip


def _frames(one: Pass, rate: RateVerdict) -> int:
    if one.request.mode == "full":
        return len(one.stamps)
    seconds = one.info.seconds
    known = one.info.flagged_frames or (round(seconds * rate.nominal) if seconds else 0)
    return max(known, one.windows[-1].first + len(one.stamps) - one.windows[-1].at if one.windows else 0)


def _duration(one: Pass, rate: RateVerdict, frames: int) -> Fraction:
    """From the first stamp to the end of the last frame."""
    known = [stamp for stamp in one.stamps if stamp is not None]
    if one.request.mode == "quick" or rate.constant or len(known) < 2:
        return frames / rate.nominal
    return (max(known) - min(known)) * one.base + 1 / rate.nominal


def _complexity(one: Pass, frames: int, rate: RateVerdict) -> Complexity:
    meter = one.meters.complexity
    sizes = meter.finish() if meter else []
    if one.request.mode == "full" or not sizes:
        return make_complexity(sizes, meter.keys() if meter else [], rate=rate.nominal)
    return sampled_complexity(sizes, pairwise_windows(one.windows, len(sizes)), frames)


def _shape(info: MediaInfo) -> Shape:
    shape = info.geometry
    return Shape(
        width=shape.width,
        height=shape.height,
        sample_aspect=fraction_text(shape.sample_aspect),
        display_aspect=fraction_text(shape.display_aspect),
        shape=shape.shape_words,
    )


def _sound(one: Pass, first: float) -> list[Sound]:
    quick = one.request.mode == "quick"
    found = []
    for index, (stream, (place, heard)) in enumerate(zip(one.info.sound, one.heard.items(), strict=False)):
        meter, size = heard.meter, one.stream_bytes.get(place)
        known = float(stream.seconds) if quick and stream.seconds else meter.seconds
        found.append(
            Sound(
                index=index,
                codec=stream.codec,
                channels=stream.channels,
                sample_rate=stream.sample_rate,
                kbps=round(size / 125 / meter.seconds, 1) if size and meter.seconds else None,
                language=stream.language,
                seconds=round(known, 3),
                heard_seconds=round(meter.seconds, 3),
                starts_at=round(meter.span[0] - first, 3),
                ends_at=round(meter.span[1] - first, 3),
                peak_db=round(meter.peak_db, 2),
                rms_db=round(meter.rms_db, 2),
                silences=[(round(start - first, 2), round(end - first, 2)) for start, end in meter.silences()],
                **heard.findings(),
            )
        )
    return found


def _tape(one: Pass, rate: RateVerdict) -> TapeFaults:
    meters = one.meters
    luma, chroma = meters.noise.result()
    jitter, wobble = meters.timing.result()
    delay, crawl, cross = meters.composite.result()
    watched = meters.analogue_size and meters.dropouts.frames
    return TapeFaults(
        luma_noise=luma, chroma_noise=chroma, line_jitter=jitter, wobble=wobble,
        dropouts_per_minute=meters.dropouts.result(float(1 / rate.nominal)) if watched else None,
        dropout_places=list(meters.dropouts.places), chroma_delay=delay, dot_crawl=crawl, cross_colour=cross,
        hum_bar=meters.hum_bars.result(), ghost=meters.ghosts.result(),
    )  # fmt: skip


def _sync(one: Pass) -> Sync | None:
    if not one.heard:
        return None
    if one.request.mode == "quick":
        return Sync(offset_ms=None, reason="a quick reading hears too little at a time")
    return one.meters.together.finish()


def _structure(
    one: Pass, scan: ScanVerdict, complexity: Complexity, rate: RateVerdict, noise: float, frames: int, sound: list[Sound]
) -> Structure:  # fmt: skip
    spatial, temporal = one.meters.activity.result()
    light = one.meters.light.table if one.request.mode == "full" else one.meters.light.table[:0]
    loudest = max((stream for stream in sound if stream.heard_seconds), key=lambda stream: stream.rms_db, default=None)
    silences = loudest.silences if loudest else None
    return make_structure(
        light, scan.cuts, complexity, frames=frames, rate=rate.nominal, noise=noise, spatial=spatial, temporal=temporal, silences=silences
    )  # fmt: skip


def _without_black(losses: Losses, structure: Structure) -> Losses:
    """Black stands still by nature."""
    moving = [(first, length) for first, length in losses.frozen if not any(a - 2 <= first <= b for a, b in structure.black)]
    return losses.model_copy(update={"frozen": moving})
