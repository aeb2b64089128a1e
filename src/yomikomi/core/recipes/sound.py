"""The sound of copies: codecs, channels, rates. To add a codec, add a row to ``SOUND_CODECS``."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from typing import Literal

SoundKey = Literal["aac", "opus", "ac3", "flac", "pcm", "source"]
SOUND_RATE = 48_000


@dataclass(frozen=True)
class SoundCodec:
    """One row.

    Parameters
    ----------
    encoder : the library's name.
    packet_samples : of one packet at 48 kHz.
    sample_format : that the encoder takes.
    containers : file kinds that players find it in.
    lossless_share : of the bytes of plain samples that it keeps, None where its rate is set.
    rates : kb/s that it knows, none: any.
    reaches : kb/s of a pair that it is asked for, and the part of them that it takes of programmes; between them straight.
    spread : least and most of nine in ten programmes, as parts of what is expected.
    silent_kbps : what a stream takes while nothing sounds, None: as much as ever.
    """

    key: SoundKey
    words: str
    encoder: str
    packet_samples: int
    sample_format: str
    containers: tuple[str, ...]
    lossless_share: float | None = None
    rates: tuple[int, ...] = ()
    reaches: tuple[tuple[int, float], ...] = ((0, 1.0),)
    spread: tuple[float, float] = (1.0, 1.0)
    silent_kbps: float | None = None


# Of a stream in kb/s (ATSC A/52, table 5.18; from memory).
_AC3 = (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640)

# Measured on speech, music, hiss, tones, silence and a film's sound at 64 to 320 kb/s (docs/science.md): AAC has nothing to put into more
# than some 240 kb/s; Opus takes what it needs.
SOUND_CODECS: dict[str, SoundCodec] = {
    row.key: row
    for row in (
        SoundCodec(
            "aac", "AAC", "aac", 1024, "fltp", ("mp4", "mkv", "mov"), reaches=((192, 1.0), (256, 0.945), (320, 0.75), (512, 0.47)),
            spread=(0.94, 1.1), silent_kbps=2.4,
        ),
        SoundCodec("opus", "Opus", "libopus", 960, "flt", ("mp4", "mkv"), reaches=((0, 0.93),), spread=(0.73, 1.35), silent_kbps=1.3),
        SoundCodec("ac3", "AC-3", "ac3", 1536, "fltp", ("mp4", "mkv", "mov"), rates=_AC3),
        # FLAC keeps about six tenths of music and speech at 24 bits (common practice, no source).
        SoundCodec("flac", "FLAC", "flac", 4608, "s32", ("mkv", "mp4"), 0.6, spread=(0.15, 1.45), silent_kbps=1.0),
        SoundCodec("pcm", "PCM", "pcm_s24le", 1024, "s32", ("mkv", "mov"), 1.0),
        # The take's own packets.
        SoundCodec("source", "copied as it is", "", 1536, "", ("mkv", "mp4", "mov")),
    )
}
ENCODED = {key: row for key, row in SOUND_CODECS.items() if row.encoder}
# Codecs of sound, by the library's names, that players find in MP4 and MOV files; Matroska holds them all (common practice, no source).
HELD = {"mp4": {"aac", "ac3", "eac3", "mp3", "mp2", "opus", "flac", "alac"}, "mov": {"aac", "ac3", "eac3", "mp3", "alac"}}
# kb/s for a pair of channels: of speech alone, of music, and of what nobody knows (common practice, no source: “voice quality” and “high”).
SPEECH_KBPS, MUSIC_KBPS, USUAL_KBPS = 96, 256, 160
# What is next to nothing is known to half of itself.
_SILENT_SPREAD = (0.5, 2.0)
_LAYOUTS = {1: "mono", 2: "stereo", 6: "5.1"}
_BITS = 24


def sound_layout(channels: int) -> tuple[str, int]:
    """The channels that a copy of a stream gets, by name and number: those of the source where players know them, else two."""
    kept = channels if channels in _LAYOUTS else 2
    return _LAYOUTS[kept], kept


def rate_of_sound(codec: str, kbps: int, channels: int) -> int:
    """Bits a second that one stream takes: ``kbps`` for a pair of ``channels``, half for one, half as much again for each pair more; of
    a codec without loss what it takes as a rule."""
    row, kept = SOUND_CODECS[codec], sound_layout(channels)[1]
    if row.lossless_share is not None:
        return round(row.lossless_share * SOUND_RATE * _BITS * kept)
    wanted = kbps * 500 * kept
    return next((1000 * known for known in row.rates if 1000 * known >= wanted), 1000 * max(row.rates)) if row.rates else wanted


def sound_span(codec: str, kbps: int, channels: int, *, silent: float) -> tuple[float, float, float]:
    """Bits a second that a stream takes: expected, least and most of nine in ten. ``silent``: the part of its time in which nothing
    sounds, 0…1."""
    row, asked = SOUND_CODECS[codec], rate_of_sound(codec, kbps, channels)
    at, parts = zip(*row.reaches, strict=True)
    sounding = asked * _between(kbps, at, parts) if row.lossless_share is None else float(asked)
    still = sounding if row.silent_kbps is None else 1000 * row.silent_kbps
    part = min(1.0, max(0.0, silent))
    of_silence = _SILENT_SPREAD if row.silent_kbps is not None else (1.0, 1.0)
    shares = zip((1.0, *row.spread), (1.0, *of_silence), strict=True)
    usual = [(1 - part) * sounding * loud + part * still * quiet for loud, quiet in shares]
    return usual[0], usual[1], usual[2]


def _between(value: float, at: Sequence[float], parts: Sequence[float]) -> float:
    """Straight between points; before and behind them as at the ends."""
    for (left, low), (right, high) in pairwise(zip(at, parts, strict=True)):
        if left <= value <= right:
            return low + (high - low) * (value - left) / (right - left)
    return parts[0] if value < at[0] else parts[-1]


def packet_seconds(codec: str) -> Fraction:
    return Fraction(SOUND_CODECS[codec].packet_samples, SOUND_RATE)
