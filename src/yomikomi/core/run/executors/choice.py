"""Which machines make the copies of the run, as its rules say; changed at any time: what runs ends where it was begun."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from yomikomi.core.errors import UnfinishedError
from yomikomi.core.run.executors.face import Executor, Function, Handle
from yomikomi.core.run.rules import Where
from yomikomi.core.video.units import counted

if TYPE_CHECKING:
    from yomikomi.core.run.executors.cluster import ClusterExecutor


class ChosenExecutor:
    """Parameters
    ----------
    here : this machine's.
    told : receives a sentence and a remedy, perhaps in another thread.
    """

    def __init__(self, here: Executor, told: Callable[[str, str], None]) -> None:
        self._here, self._told = here, told
        self._cluster: ClusterExecutor | None = None
        self._where: Where = "here"

    @property
    def slots(self) -> int | None:
        return self._cluster.slots if self._cluster is not None and self._where == "cluster" else self._here.slots

    @property
    def can_use_cluster(self) -> bool:
        """Whether this machine was told of a hub."""
        from yomikomi.core.run.cluster.certificates import cluster_folder
        from yomikomi.core.run.cluster.desk import desk_place

        try:
            return desk_place(cluster_folder()) is not None
        except UnfinishedError:
            return False

    @property
    def words(self) -> str:
        """Where copies are made, where that is not this machine alone."""
        if self._cluster is None or self._where == "here":
            return ""
        usable, there = self._cluster.usable, self._cluster.there
        if there is None:
            return "looking for the cluster"
        if not usable:
            return "the cluster has no workers" if there else "the cluster cannot be reached"
        return f"on {counted(len(usable), 'worker', 'workers')} of the cluster"

    def use(self, where: Where) -> None:
        """From the next job on. Raises UnfinishedError where no cluster is set up on this machine."""
        if where == "cluster" and self._cluster is None:
            self._cluster = self._set_up()
        self._where = where

    def start(self, function: Function, request: Any, *, name: str, key: str, on_end: Callable[[Any], None]) -> Handle:
        chosen = self._cluster if self._cluster is not None and self._where == "cluster" else self._here
        return chosen.start(function, request, name=name, key=key, on_end=on_end)

    def poll(self) -> bool:
        return self._cluster.poll() if self._cluster is not None else self._here.poll()

    def gone(self) -> bool:
        """Whether no process of this machine is left, and no worker is waited for."""
        return (self._cluster or self._here).gone()

    def close(self, wait_s: float = 0.0) -> None:
        """The program ends: other machines are told that nobody waits for them."""
        if self._cluster is not None:
            self._cluster.close(wait_s)

    def _set_up(self) -> ClusterExecutor:
        from yomikomi.core.run.cluster.certificates import cluster_folder, security_of
        from yomikomi.core.run.cluster.desk import known_desk_place
        from yomikomi.core.run.executors.cluster import ClusterExecutor

        folder = cluster_folder()
        place = known_desk_place(folder)
        security_of(folder, "desk")
        return ClusterExecutor(place, folder, self._here, self._told)
