"""The search for paths as one job: frozen inputs, frozen answer."""

from __future__ import annotations

from dataclasses import dataclass, replace

from yomikomi.core.path.equipment import Equipment
from yomikomi.core.path.improving import Improvement, improvements
from yomikomi.core.path.ranking import Ranked, rank_paths
from yomikomi.core.path.structure import Path, Task, Wishes
from yomikomi.core.work import Reporter


@dataclass(frozen=True)
class PathRequest:
    """Frozen inputs of a search. ``before``: an earlier answer, whose paths stay where only the preference changed."""

    carrier_id: int
    equipment: Equipment
    task: Task
    wishes: Wishes
    preferred: Path | None
    before: PathsFound | None = None

    @property
    def asked(self) -> PathRequest:
        """What is asked, apart from what is known already."""
        return replace(self, before=None)


@dataclass(frozen=True)
class PathsFound:
    """``could_be``: what would lift the preferred path, or the best."""

    request: PathRequest
    ranked: tuple[Ranked, ...]
    could_be: tuple[Improvement, ...]


def search(request: PathRequest, _reporter: Reporter) -> PathsFound:
    """Every path, ranked, and what would lift the preferred one, or the best."""
    asked, before = request.asked, request.before
    same = before is not None and replace(before.request, preferred=request.preferred) == asked
    ranked = before.ranked if before is not None and same else tuple(rank_paths(request.equipment, request.task, request.wishes))
    key = request.preferred.key if request.preferred else ""
    chosen = next((one for one in ranked if one.path.key == key), None)
    more = improvements(request.equipment, request.task, request.wishes, ranked, chosen)
    return PathsFound(asked, ranked, tuple(more))
