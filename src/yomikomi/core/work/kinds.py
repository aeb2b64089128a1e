"""Kinds of jobs that others look for."""

from __future__ import annotations

import enum


class JobKind(enum.StrEnum):
    """What a job does, where somebody asks whether such work is going on; ``OTHER``: nobody does."""

    OTHER = ""
    RECORDING = "recording"
    ARMED = "armed"
    LOOKING = "looking"
    KEEPING = "keeping"
