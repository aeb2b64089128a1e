"""What is known to be set wrong before anybody looked: from the condition check of a carrier."""

from __future__ import annotations

from collections.abc import Iterable

from yomikomi.core.path.plan import planned
from yomikomi.core.path.structure import Knob, Setup

# A question of the condition check that was answered with yes, and the option that it means.
_TOLD = {
    "console_protection": ("protection", "on"),
    "console_headphones": ("sound_to", "headset"),
    "camera_display": ("information", "on"),
    "camera_power": ("power_saving", "on"),
    "camera_heat": ("heat_limit", "standard"),
}


def known_options(setup: Setup, ticked: Iterable[str]) -> dict[Knob, str]:
    """Knobs of the path's source that the condition check found set wrong."""
    source = setup.path.source
    found = {}
    for check in ticked:
        key, option = _TOLD.get(check, ("", ""))
        if key and key in setup.kind(source).settings and planned(setup, source, key) is not None:
            found[source, key] = option
    return found
