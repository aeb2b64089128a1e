"""Making a simulated disc as fast as it goes: a folder, or an image of one."""

from __future__ import annotations

import shutil
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from yomikomi.core.work import Reporter
from yomikomi.core.work.new_file import check_free, give_folder_name, new_file, new_folder
from yomikomi.sim.disc.maker import make_disc, make_image
from yomikomi.sim.disc.spec import DiscSpec


@dataclass(frozen=True)
class DiscRequest:
    """``target``: a new folder, or a name that ends in .iso for an image."""

    spec: DiscSpec
    target: Path


@dataclass(frozen=True)
class DiscProgress:
    part: float


@dataclass(frozen=True)
class DiscMade:
    frames: int
    size_bytes: int
    truth: dict[str, Any]


def check_image_or_folder(target: Path) -> None:
    """Raises NameTakenError where something has the name; an empty folder may be there for a disc folder."""
    if target.suffix.lower() == ".iso" or target.is_symlink() or not target.is_dir() or any(target.iterdir()):
        check_free(target)


def simulate_disc(request: DiscRequest, reporter: Reporter) -> DiscMade:
    """A stopped or failed simulation leaves nothing behind."""
    check_image_or_folder(request.target)
    image = request.target.suffix.lower() == ".iso"
    folder = new_folder(request.target)

    def told(part: float) -> None:
        reporter.check()
        reporter.report(DiscProgress(part))

    try:
        titles = make_disc(request.spec, folder, told)
        size = sum(file.stat().st_size for file in (folder / "VIDEO_TS").iterdir())
        if image:
            with new_file(request.target) as made:
                make_image(folder, made.part, request.spec.label)
                made.keep()
        else:
            give_folder_name(folder, request.target)
    finally:
        shutil.rmtree(folder, ignore_errors=True)  # gone already where it got its name
    film = request.spec.film and request.spec.standard == "525i"
    truth = {
        "kind": "disc", "standard": request.spec.standard, "wide": request.spec.wide,
        "cadence": "2:3, a new film frame at fields 0, 2, 5, 7 of every 10" if film else "progressive pictures",
        "titles": [title.truth() for title in titles],
    }  # fmt: skip
    return DiscMade(sum(title.frames for title in titles if not title.spec.joins), size, truth)
