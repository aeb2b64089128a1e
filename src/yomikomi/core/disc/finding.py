"""Looking into a disc: its titles, judged. Runs as a job, since a damaged or hostile disc may keep its reader busy."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from yomikomi.core.disc.contents import DiscContents, read_contents, refuse_scrambled
from yomikomi.core.disc.titles import Judged, judge_titles
from yomikomi.core.work import Reporter

# Seconds after which a disc is given up: a sound one is read in a fraction of one, from a slow drive in a few.
LONGEST_LOOK_S = 60.0


@dataclass(frozen=True)
class DiscFound:
    path: Path
    contents: DiscContents
    judged: tuple[Judged, ...]


def look_into(path: Path, reporter: Reporter) -> DiscFound:
    """Read a disc's tables and judge its titles. Raises UnreadableError, also for a disc that is scrambled; CancelledError."""
    contents = read_contents(path, reporter.check)
    refuse_scrambled(contents)
    return DiscFound(path, contents, tuple(judge_titles(contents.titles)))
