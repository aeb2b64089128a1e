"""The mark and the word for how a copy stands."""

from __future__ import annotations

from yomikomi.core.ledger.views import CopyView

MARKS = {
    "verified": ("fine", "verified"), "doubtful": ("fault", "a check failed"), "failed": ("fault", "failed"),
    "kept": ("check", "kept, not verified"),
    "cancelled": ("check", "stopped"), "running": ("undetermined", "running"), "waiting": ("undetermined", "waiting"),
}  # fmt: skip


def mark_for(state: str, *, reserves: bool) -> tuple[str, str]:
    """``reserves``: it is good, but cannot be better than its source."""
    return ("check", "verified, see note") if state == "verified" and reserves else MARKS[state]


def mark_of(copy: CopyView) -> tuple[str, str]:
    return mark_for(copy.state, reserves=copy.result is not None and bool(copy.result.reserves))
