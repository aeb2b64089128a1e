"""Outlets of a person's own: made from what a form says, kept, forgotten."""

from __future__ import annotations

import contextlib
from dataclasses import dataclass

from yomikomi.core.outlets.fitting import LIBRARY_SOUND, LIBRARY_VIDEO
from yomikomi.core.outlets.model import CodecLimit, Outlet, SoundLimit, outlets_folder
from yomikomi.core.recipes.codecs import CODECS
from yomikomi.core.work.drive import drive_error
from yomikomi.core.work.new_file import write_over

# Codecs that hold more than 8 bits, or colour at every second sample of a line, in what our recipes make.
_DEEP = {"hevc": 10, "av1": 10, "ffv1": 16, "rdd36": 12}
_WIDE = {"ffv1": ("4:2:0", "4:2:2", "4:4:4"), "rdd36": ("4:2:2", "4:4:4"), "vc3": ("4:2:2",)}


@dataclass(frozen=True)
class VideoWish:
    """A codec of ours, and the highest level that is played; None: any."""

    codec: str
    level: str | None = None


def limits_of(video: list[VideoWish]) -> tuple[CodecLimit, ...]:
    """As an outlet says it, by the library's names."""
    return tuple(
        CodecLimit(
            codec=LIBRARY_VIDEO.get(one.codec, one.codec), level=one.level, depth=_DEEP.get(one.codec, 8),
            chroma=_WIDE.get(one.codec, ("4:2:0",)),
        )
        for one in video
    )  # fmt: skip


def sounds_of(codecs: list[str], *, kbps: int | None, channels: int) -> tuple[SoundLimit, ...]:
    """``kbps``: most of a stream of any of them."""
    return tuple(
        SoundLimit(codec=LIBRARY_SOUND.get(one, one), kbps=kbps, channels=channels, rates=(44_100, 48_000)) for one in codecs
    )


def wishes_of(outlet: Outlet) -> list[VideoWish]:
    """The other way round, of codecs that recipes know."""
    ours = {LIBRARY_VIDEO.get(key, key): key for key in CODECS if key != "source"}
    return [VideoWish(ours[one.codec], one.level) for one in outlet.video if one.codec in ours]


def keep_outlet(outlet: Outlet) -> None:
    """In the place of one of the same key. Raises YomikomiError where the folder or drive does not take it."""
    path = outlets_folder() / f"{outlet.key}.json"
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_over(path, outlet.model_dump_json(indent=1, exclude_defaults=True).encode())
    except OSError as error:
        raise drive_error(error, path) from error


def forget_outlet(key: str) -> None:
    """An own one; nothing happens where there is none. Copies that were made for it keep what it was."""
    path = outlets_folder() / f"{key}.json"
    try:
        with contextlib.suppress(FileNotFoundError):
            path.unlink()
    except OSError as error:
        raise drive_error(error, path) from error
