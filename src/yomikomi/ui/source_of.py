"""Where a carrier's pictures come from: a real device where one was chosen, else the simulation at the far end of its path."""

from __future__ import annotations

from yomikomi.core.capture.devices.reading import DeviceSpec
from yomikomi.core.errors import SourceLostError
from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.path.sheet import PathSheet
from yomikomi.core.path.structure import Task
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import KnownSpec
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.registry import simulated_source
from yomikomi.ui.background import DEVICE


def source_of(view: CarrierView, sheet: PathSheet | None, *, real_time: bool = True) -> KnownSpec | None:
    """What is opened for a carrier; None where nothing stands for it, or what is on record describes no device.

    What is simulated arrives as its path makes it; a device has a real path before it, and is read as it is.
    """
    document = view.source or {}
    if document.get("kind") == "device":
        try:
            return DeviceSpec.from_json(document)
        except SourceLostError:
            return None
    player = simulated_source(document, real_time=real_time)
    if isinstance(player, TapePlayerSpec):
        return OnPathSpec(player, sheet.delivery) if sheet is not None else player
    if player is None:
        if kind_of(view.kind).way != "live":
            return None
        row = FORMATS[Task.of(view.intake).picture_format]
        commentary = "commentary" in view.details.sound
        player = FeedSpec(
            row.width, row.height, row.rate, row.interlaced, seed=view.id, real_time=real_time, commentary=commentary,
            channels=0 if view.details.sound == "silent" else 2,
        )  # fmt: skip
    return OnPathSpec(player, sheet.delivery if sheet is not None else Delivery(commentary="own" if player.commentary else "off"))


def is_simulated(view: CarrierView) -> bool:
    return (view.source or {}).get("kind") != "device"


def device_of(spec: object) -> str:
    """The resource that opening a source takes: a device can be open only once. Empty for a simulated one."""
    return f"{DEVICE}{spec.video}" if isinstance(spec, DeviceSpec) else ""
