"""The mark and the word for how a copy stands."""

from __future__ import annotations

MARKS = {
    "verified": ("fine", "verified"), "doubtful": ("fault", "a check failed"), "failed": ("fault", "failed"),
    "kept": ("check", "kept, not verified"),
    "cancelled": ("check", "stopped"), "running": ("undetermined", "running"), "waiting": ("undetermined", "waiting"),
}  # fmt: skip


def mark_for(state: str, *, reserves: bool) -> tuple[str, str]:
    """``reserves``: it is good, but cannot be better than its source."""
    return ("check", "verified, see note") if state == "verified" and reserves else MARKS[state]
