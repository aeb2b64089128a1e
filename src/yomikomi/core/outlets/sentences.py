"""How outlets and their limits are said."""

from __future__ import annotations

from collections.abc import Iterable

from yomikomi.core.video.units import size_text

_CODECS = {
    "h264": "H.264", "hevc": "HEVC", "av1": "AV1", "mpeg2video": "MPEG-2", "mpeg4": "MPEG-4 Part 2", "vp9": "VP9", "prores": "RDD 36",
    "dnxhd": "VC-3", "ffv1": "FFV1", "aac": "AAC", "ac3": "AC-3", "eac3": "E-AC-3", "mp2": "MPEG-1 layer II", "mp3": "MPEG-1 layer III",
    "opus": "Opus", "flac": "FLAC", "pcm_s16le": "PCM, 16 bits", "pcm_s24le": "PCM, 24 bits", "vorbis": "Vorbis",
}  # fmt: skip


def codec(name: str) -> str:
    return _CODECS.get(name, name)


def codecs(names: Iterable[str]) -> str:
    return any_of(codec(name) for name in names)


def any_of(several: Iterable[str]) -> str:
    *first, last = [one.upper() if one in {"mp4", "mkv", "mov", "mpg"} else one for one in several]
    return f"{', '.join(first)} or {last}" if first else last


def size(value: float) -> str:
    return size_text(value)
