"""How many encoders run at once: by processors, and by what memory the ones before took."""

from __future__ import annotations

import os
from collections.abc import Sequence

import psutil

from yomikomi.core.run.rules import RunRules

# One encoder keeps so many processors busy (measured on two: one of them fills both; docs/science.md).
PROCESSORS_EACH = 4
# What an encoder is believed to take before one was measured, bytes; and what is left for everything else.
_BELIEVED, _SPARE = 800_000_000, 1_000_000_000


def slots_for(rules: RunRules, peaks: Sequence[int], *, processors: int | None = None, memory: int | None = None) -> int:
    """``peaks``: bytes that the processes of earlier jobs took at most; ``processors``, ``memory`` (bytes that are free or could be): of
    this machine unless given. At least 1; a person's number goes before all."""
    if rules.at_once is not None:
        return rules.at_once
    if rules.beside == "beside":
        return 1
    processors = processors if processors is not None else len(os.sched_getaffinity(0))
    memory = memory if memory is not None else psutil.virtual_memory().available
    each = max(peaks, default=_BELIEVED)
    return max(1, min(processors // PROCESSORS_EACH, (memory - _SPARE) // max(1, each)))
