"""Setups for tests: equipment by kinds, the best path that meets a condition, and a look at what a trace found."""

from __future__ import annotations

from collections.abc import Callable

from yomikomi.core.path.equipment import Equipment, equipment_of
from yomikomi.core.path.ranking import Ranked, rank_paths
from yomikomi.core.path.structure import Setup, Task, Wishes
from yomikomi.core.path.trace import trace

VHS = Task("vhs", "525i", "mono", 7080.0)
GAME = Task("console", "1080p59.94", "stereo", 3600.0)
LIVE = Task("camera", "1080i59.94", "stereo", 2700.0)

TAPE_TABLE = ("svhs_deck", "usb_grabber", "computer", "ssd", "cable_s_video", "cable_composite_stereo")
BOX_TABLE = ("svhs_deck", "hd_box", "computer", "ssd", "cable_s_video", "cable_composite_stereo", "cable_usb3")
GAME_TABLE = ("console_home", "loop_recorder", "computer", "ssd", "cable_hdmi", "cable_hdmi", "cable_usb3", "screen", "headset_wired")
LIVE_TABLE = ("camera_clean", "loop_recorder", "computer", "ssd", "cable_hdmi", "cable_usb3")


def best(
    kinds: tuple[str, ...] | Equipment, task: Task, wishes: Wishes | None = None, *, where: Callable[[Ranked], bool] = lambda _one: True
) -> Setup:
    """The first path of the ranking that meets a condition."""
    equipment = kinds if isinstance(kinds, Equipment) else equipment_of(*kinds)
    return next(one for one in rank_paths(equipment, task, wishes) if where(one)).trace.setup


def by(connector: str) -> Callable[[Ranked], bool]:
    """Paths whose picture leaves the source by a connector."""
    return lambda one: bool(one.path.picture) and one.trace.setup.port_out(one.path.picture[0]).connector == connector


def by_recorder(piece: str) -> Callable[[Ranked], bool]:
    return lambda one: one.path.recorder == piece


def rules_of(setup: Setup) -> set[str]:
    return {finding.rule for finding in trace(setup).findings}
