"""The drawer of cables: which one is free to join an output to an input."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence, Set

from yomikomi.core.path.catalogue import DeviceKind, joins, payload_mbps
from yomikomi.core.path.structure import Link


class Drawer:
    """``cables``: pieces with their kinds; ``last``: those that are taken only where no other is free."""

    def __init__(self, cables: Mapping[str, DeviceKind], last: Set[str]) -> None:
        # Simple cables first: one with two pairs of plugs may be wanted for both.
        self._cables = sorted(cables.items(), key=lambda row: (row[0] in last, len(row[1].ends)))
        self._last = last
        self._fitting: dict[tuple[str, str], list[tuple[str, DeviceKind, int]]] = {}

    def free(self, out: str, into: str, used: Sequence[Link], kinds: Mapping[str, DeviceKind]) -> str | None:
        """A cable that joins the two connectors and has that pair of plugs free beside the links ``used``."""
        busy = Counter(link.cable for link in used if link.cable)
        for cable, kind, pair in self._that_fit(out, into):
            if not busy[cable]:
                return cable
            if busy[cable] < len(kind.ends) and pair not in self._pairs(cable, kind, used, kinds):
                return cable
        return None

    def _that_fit(self, out: str, into: str) -> list[tuple[str, DeviceKind, int]]:
        if (out, into) not in self._fitting:
            rows = [(cable, kind, pair) for cable, kind in self._cables if (pair := joins(kind, out, into)) is not None]
            # One's own cables before others, the fastest first; the order of the rest stays.
            rows.sort(key=lambda row: (row[0] in self._last, -(payload_mbps(*row[1].ends[row[2]]) or 0)))
            self._fitting[out, into] = rows
        return self._fitting[out, into]

    @staticmethod
    def _pairs(cable: str, kind: DeviceKind, used: Sequence[Link], kinds: Mapping[str, DeviceKind]) -> set[int | None]:
        """Which pairs of a cable's plugs are in use."""
        return {
            joins(kind, kinds[link.source].port(link.out).connector, kinds[link.target].port(link.into).connector)
            for link in used
            if link.cable == cable
        }
