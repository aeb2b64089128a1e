"""Simulated sources by what the record keeps of them. To add a kind: give its spec ``to_json`` and ``from_json`` and name it here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.player import TapePlayerSpec

SimulatedSpec = TapePlayerSpec | FeedSpec

_KINDS: dict[str, Callable[[dict[str, Any]], SimulatedSpec]] = {"tape player": TapePlayerSpec.from_json, "feed": FeedSpec.from_json}


def simulated_source(document: dict[str, Any], *, real_time: bool) -> SimulatedSpec | None:
    """The spec a document describes; None for one that is none of the simulation's, or describes nothing that can be made."""
    maker = _KINDS.get(str(document.get("kind")))
    try:
        return None if maker is None else replace(maker(document), real_time=real_time)
    except (TypeError, ValueError, KeyError, ArithmeticError, AttributeError):
        return None
