"""The sound of copies: codecs, channels, rates. To add a codec, add a row to ``SOUND_CODECS``."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Literal

SoundKey = Literal["aac", "opus", "ac3", "flac", "pcm"]
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
    """

    key: SoundKey
    words: str
    encoder: str
    packet_samples: int
    sample_format: str
    containers: tuple[str, ...]
    lossless_share: float | None = None
    rates: tuple[int, ...] = ()


# Of a stream in kb/s (ATSC A/52, table 5.18; from memory).
_AC3 = (32, 40, 48, 56, 64, 80, 96, 112, 128, 160, 192, 224, 256, 320, 384, 448, 512, 576, 640)

SOUND_CODECS: dict[str, SoundCodec] = {
    row.key: row
    for row in (
        SoundCodec("aac", "AAC", "aac", 1024, "fltp", ("mp4", "mkv", "mov")),
        SoundCodec("opus", "Opus", "libopus", 960, "flt", ("mp4", "mkv")),
        SoundCodec("ac3", "AC-3", "ac3", 1536, "fltp", ("mp4", "mkv", "mov"), rates=_AC3),
        # FLAC keeps about six tenths of music and speech at 24 bits (common practice, no source).
        SoundCodec("flac", "FLAC", "flac", 4608, "s32", ("mkv", "mp4"), 0.6),
        SoundCodec("pcm", "PCM", "pcm_s24le", 1024, "s32", ("mkv", "mov"), 1.0),
    )
}
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


def packet_seconds(codec: str) -> Fraction:
    return Fraction(SOUND_CODECS[codec].packet_samples, SOUND_RATE)
