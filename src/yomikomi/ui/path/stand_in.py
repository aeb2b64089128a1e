"""Which simulated source stands in for a carrier at the far end of its path. Real devices take this place one day."""

from __future__ import annotations

from yomikomi.core.ledger.views import CarrierView
from yomikomi.core.planning.carriers import kind_of
from yomikomi.core.planning.formats import FORMATS
from yomikomi.core.planning.path.sheet import PathSheet
from yomikomi.core.planning.path.structure import Task
from yomikomi.core.video.delivery import Delivery
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec


def source_on_path(view: CarrierView, sheet: PathSheet | None, *, real_time: bool = True) -> OnPathSpec | TapePlayerSpec | None:
    """The carrier's player, with what its path does to it; None where nothing stands in for it."""
    if view.has_player and view.source is not None:
        player = TapePlayerSpec.from_json({**view.source, "real_time": real_time})
        return OnPathSpec(player, sheet.delivery) if sheet is not None else player
    if kind_of(view.kind).way != "live":
        return None
    row = FORMATS[Task.of(view.intake).picture_format]
    feed = FeedSpec(row.width, row.height, row.rate, row.interlaced, seed=view.id, real_time=real_time)
    return OnPathSpec(feed, sheet.delivery if sheet is not None else Delivery())
