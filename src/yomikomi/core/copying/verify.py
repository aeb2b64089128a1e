"""Proving a copy: decoded whole and held against what was meant to be in it."""

from __future__ import annotations

import time
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from yomikomi.core.copying.checks import Check, index_check, source_check
from yomikomi.core.copying.copied_sound import copied_checks
from yomikomi.core.copying.encode import Encoded
from yomikomi.core.copying.kept_detail import DetailGauge
from yomikomi.core.copying.request import CopyProgress
from yomikomi.core.copying.witness import AROUND, PictureWitness, SoundWitness
from yomikomi.core.copying.witness_checks import witness_checks
from yomikomi.core.errors import UnreadableError
from yomikomi.core.reading.rate import judge_rate
from yomikomi.core.reading.sound import SoundMeter
from yomikomi.core.treatment.format import PictureFormat
from yomikomi.core.video.colour import ColourTags
from yomikomi.core.video.damage import NO_DAMAGE, Damage, Decoder, damage_words
from yomikomi.core.video.media import open_media, video_stream
from yomikomi.core.video.packets import packets_of
from yomikomi.core.video.rates import rate_text
from yomikomi.core.video.units import decibel_text
from yomikomi.core.work import Reporter

# How far sound may end from where it should: a packet of either codec and the encoder's priming (common practice).
_SOUND_TOLERANCE_S = 0.1
_REPORT_PERIOD_S = 0.1
# Chapters are kept in milliseconds.
_CHAPTER_TOLERANCE_S = 0.002
# Sound that peaks above this in the source may not be silent in the copy.
_AUDIBLE_DB = -50.0


@dataclass(frozen=True)
class Expected:
    """What the copy must be. ``source_content``: the hash of the source as it was read, None where the reading kept none."""

    encoded: Encoded
    treated: PictureFormat
    seconds: float
    container: str
    source: Path | None = None
    source_content: str | None = None


@dataclass
class _Seen:
    """What one pass over a copy finds."""

    base: Fraction
    declared: Fraction | None
    shape: tuple[int, int, Fraction]
    colour: ColourTags
    meters: dict[int, SoundMeter]
    stamps: list[int | None]
    entries: tuple[int, ...] = ()
    starts: tuple[float, ...] = ()
    damage: Damage = NO_DAMAGE
    pictures: PictureWitness | None = None
    sounds: tuple[SoundWitness, ...] = ()


def verify(expected: Expected, reporter: Reporter, gauge: DetailGauge | None = None) -> list[Check]:
    """Decode all of a copy and check it; one that does not even open fails its first check. ``gauge`` is shown its pictures. Raises
    CancelledError."""
    path = expected.encoded.path
    try:
        seen = _look(expected, reporter, gauge)
    except UnreadableError as error:
        return [Check(name="decodes in full", passed=False, found=error.message)]
    if not seen.stamps:
        return [Check(name="decodes in full", passed=False, found="no frame can be decoded")]
    found = [
        Check(name="decodes in full", passed=not seen.damage.any, found=damage_words(seen.damage) or "no errors"),
        _frames(expected, seen.stamps),
        _duration(expected, seen.stamps, seen.base),
        _rate(expected, seen.stamps, seen.base, seen.declared),
        *_sounds(expected, seen.meters),
        *witness_checks(expected.encoded.witness, seen.pictures, seen.sounds, expected.treated.rate),
        *copied_checks(path, expected.encoded.copied, reporter.check),
        *_carried(expected, seen),
        _shape(expected, seen.shape),
        _colour(expected, seen.colour),
        index_check(path, expected.container),
    ]
    return [*found, *source_check(expected.source, expected.source_content, reporter)]


def _look(expected: Expected, reporter: Reporter, gauge: DetailGauge | None) -> _Seen:
    path, started, told_at, witness = expected.encoded.path, time.monotonic(), 0.0, expected.encoded.witness
    with open_media(path) as container:
        picture = video_stream(container, path)
        picture.thread_type = "AUTO"
        meters = {s.index: SoundMeter(s.codec_context.sample_rate or 48_000) for s in container.streams.audio}
        seen = _Seen(
            base=Fraction(picture.time_base or Fraction(1, 1000)),
            declared=picture.average_rate,
            shape=(picture.width, picture.height, Fraction(picture.sample_aspect_ratio or 1)),
            colour=ColourTags.of(picture.codec_context),
            meters=meters,
            stamps=[],
            entries=_entries(path, reporter),
            starts=tuple(float(one["start"] * Fraction(one["time_base"] or 1)) for one in container.chapters()),
            pictures=PictureWitness(witness.every, around=AROUND) if witness is not None else None,
        )
        heard = {index: SoundWitness() for index in meters}
        seen.sounds = tuple(heard.values())
        first = float((picture.start_time or 0) * seen.base)
        with Decoder(container, [picture, *container.streams.audio], path, reporter.check) as decoder:
            for index, frame in decoder.frames():
                if isinstance(frame, av.VideoFrame):
                    if seen.pictures is not None:
                        seen.pictures.see(len(seen.stamps), frame)
                    if gauge is not None:
                        gauge.see(len(seen.stamps), frame)
                    seen.stamps.append(frame.pts)
                else:
                    meters[index].feed(frame)
                    if frame.pts is not None and frame.time_base is not None and witness is not None:
                        heard[index].hear(frame, float(frame.pts * frame.time_base) - first)
                now = time.monotonic()
                if now - told_at > _REPORT_PERIOD_S:
                    told_at = now
                    part = min(1.0, len(seen.stamps) / max(1, expected.encoded.frames))
                    left = (now - started) * (1 - part) / part if part > 0.01 else 0.0
                    reporter.report(CopyProgress("verifying", part, len(seen.stamps), expected.encoded.size_bytes, left))
            seen.damage = decoder.damage()
    return seen


def _entries(path: Path, reporter: Reporter) -> tuple[int, ...]:
    """Subtitles in each track of a file; what a container puts between them to say that nothing is shown does not count."""
    with open_media(path) as container:
        streams = list(container.streams.subtitles)
        counts = {stream.index: 0 for stream in streams}
        text = {stream.index: stream.codec_context is not None and stream.codec_context.name == "mov_text" for stream in streams}
        for packet in packets_of(container, streams, path) if streams else ():
            reporter.check()
            at = packet.stream.index
            counts[at] += bool(packet.size) and not (text[at] and bytes(packet)[:2] == b"\0\0")
        return tuple(counts.values())


def _frames(expected: Expected, stamps: list[int | None]) -> Check:
    meant = expected.encoded.frames
    return Check(name="frame count", passed=len(stamps) == meant, found=f"{len(stamps)} of {meant}")


def _duration(expected: Expected, stamps: list[int | None], base: Fraction) -> Check:
    known = [s for s in stamps if s is not None]
    rate = expected.treated.rate
    seconds = float((max(known) - min(known)) * base + 1 / rate) if known else 0.0
    # The source's own length may end within a frame of the copy's grid on either side.
    close = abs(seconds - expected.seconds) <= 2 / rate + Fraction(2, 1000)
    return Check(name="duration", passed=close, found=f"{seconds:.3f} s of {expected.seconds:.3f} s")


def _rate(expected: Expected, stamps: list[int | None], base: Fraction, declared: Fraction | None) -> Check:
    found = judge_rate(stamps, time_base=base, declared=declared)
    meant = expected.treated.rate
    passed = len(stamps) < 3 or (found.constant and abs(float(found.nominal / meant) - 1) < 1e-4)
    steady = "constant" if found.constant else "not constant"
    return Check(name="constant rate", passed=passed, found=f"{rate_text(found.nominal)}, {steady}")


def _sounds(expected: Expected, meters: dict[int, SoundMeter]) -> list[Check]:
    """``meters``: by the stream's index in the copy."""
    meant, over = expected.encoded.sounds, {one.index: one.longest for one in expected.encoded.copied}
    checks = [Check(name="sound streams", passed=len(meters) == len(meant), found=f"{len(meters)} of {len(meant)}")]
    for number, ((index, meter), sound) in enumerate(zip(meters.items(), meant, strict=False), 1):
        name, end, peak = "sound" if len(meant) == 1 else f"sound {number}", sound.ends_at, sound.peak_db
        close = -_SOUND_TOLERANCE_S <= meter.seconds - max(0.0, end) <= _SOUND_TOLERANCE_S + 2 * over.get(index, 0.0)
        checks.append(Check(name=f"{name} length", passed=close, found=f"{meter.seconds:.3f} s of {end:.3f} s"))
        heard = peak is None or peak <= _AUDIBLE_DB or meter.peak_db > _AUDIBLE_DB
        checks.append(Check(name=f"{name} present", passed=heard, found=f"peak {decibel_text(meter.peak_db)}"))
    return checks


def _carried(expected: Expected, seen: _Seen) -> list[Check]:
    """Subtitles and chapters, where there are any."""
    meant, found = expected.encoded.carried, []
    if meant.entries or seen.entries:
        tracks = f"{len(seen.entries)} of {len(meant.entries)}"
        found.append(Check(name="subtitle tracks", passed=len(seen.entries) == len(meant.entries), found=tracks))
        words = f"{sum(seen.entries)} of {sum(meant.entries)}"
        found.append(Check(name="subtitles", passed=seen.entries == meant.entries, found=words))
    if meant.starts:
        near = [abs(one - two) <= _CHAPTER_TOLERANCE_S for one, two in zip(seen.starts, meant.starts, strict=False)]
        words = f"{len(seen.starts)} of {len(meant.starts)}"
        found.append(Check(name="chapters", passed=all(near) and len(seen.starts) == len(meant.starts), found=words))
    return found


def _shape(expected: Expected, found: tuple[int, int, Fraction]) -> Check:
    shape = expected.treated.geometry
    width, height, aspect = found
    # The library reduces ratios to terms up to 255.
    passed = (width, height) == (shape.width, shape.height) and abs(float(aspect / shape.sample_aspect) - 1) < 1e-4
    return Check(name="size and pixel shape", passed=passed, found=f"{width} × {height}, pixels {aspect.numerator}:{aspect.denominator}")


def _colour(expected: Expected, found: ColourTags) -> Check:
    meant = expected.treated.colour
    same = (found.primaries, found.transfer, found.matrix) == (meant.primaries, meant.transfer, meant.matrix)
    # Limited range is what is meant where nothing is said.
    same_range = (found.range or 1) == (meant.range or 1)
    return Check(name="colour tags", passed=same and same_range, found=found.words)
