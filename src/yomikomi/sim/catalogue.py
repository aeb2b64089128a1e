"""Every simulated source by name, for commands and for learning. To add one: a line here."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from yomikomi.core.video.delivery import Delivery
from yomikomi.core.video.source import SourceSpec
from yomikomi.core.video.standards import FieldOrder
from yomikomi.sim.bars import BarsSpec
from yomikomi.sim.feed import FeedSpec
from yomikomi.sim.on_path import OnPathSpec
from yomikomi.sim.player import TapePlayerSpec
from yomikomi.sim.synctest import SyncTestSpec

_59_94, _29_97, _23_976 = Fraction(60000, 1001), Fraction(30000, 1001), Fraction(24000, 1001)


@dataclass(frozen=True)
class Wanted:
    """What every simulated source can be asked for."""

    seed: int = 1
    seconds: float | None = None
    real_time: bool = True
    offset_ms: float = 0.0


@dataclass(frozen=True)
class Simulated:
    words: str
    make: Callable[[Wanted], SourceSpec]


def _tape(tape: str, standard: str = "525i", *, corrector: bool = False, wide: bool = False) -> Callable[[Wanted], SourceSpec]:
    # A recorder that differs from the convention of 625 lines, so that only a reading tells.
    order = FieldOrder.BFF if tape == "video8" else None
    return lambda w: TapePlayerSpec(
        standard=standard, field_order=order, seed=w.seed, tape=tape, corrector=corrector, wide=wide, seconds=w.seconds,
        real_time=w.real_time,
    )  # fmt: skip


def _feed(width: int, height: int, rate: Fraction, *, delivery: Delivery | None = None, **more: object) -> Callable[[Wanted], SourceSpec]:
    def make(w: Wanted) -> SourceSpec:
        known: dict[str, object] = {"seed": w.seed, "seconds": w.seconds, "real_time": w.real_time, **more}
        feed = FeedSpec(width, height, rate, **known)  # type: ignore[arg-type]
        return OnPathSpec(feed, delivery) if delivery is not None else feed

    return make


CATALOGUE: dict[str, Simulated] = {
    "vhs": Simulated("VHS, 525 lines, no time-base corrector", _tape("vhs")),
    "vhs-corrected": Simulated("VHS, 525 lines, with a time-base corrector", _tape("vhs", corrector=True)),
    "video8": Simulated("Video8, 625 lines, bottom field first", _tape("video8", "625i")),
    "laserdisc": Simulated("laser disc, 525 lines, 16:9 squeezed", _tape("laserdisc", wide=True)),
    "camera": Simulated(
        "camera, 1080i59.94 with 23.976 inside, sound of 24 bits",
        _feed(1920, 1080, _29_97, interlaced=True, cadence="film", deep_sound=True),
    ),
    "camera-marks": Simulated(
        "the same with information in the picture",
        _feed(1920, 1080, _29_97, interlaced=True, cadence="film", delivery=Delivery(marks=("information", "focus squares"))),
    ),
    "console": Simulated(
        "console, 1080p59.94, with a commentary", _feed(1920, 1080, _59_94, commentary=True, delivery=Delivery(commentary="own"))
    ),
    "console-protected": Simulated(
        "the same with content protection on", _feed(1920, 1080, _59_94, delivery=Delivery(picture="black", sound="none"))
    ),
    "hdr": Simulated("3:2 camera, 1080p23.976, PQ, 10 bits", _feed(1920, 1080, _23_976, shape="3:2", hdr=True)),
    "raw": Simulated(
        "the same recording raw to a slow card: it stops",
        _feed(1920, 1080, _23_976, shape="3:2", hdr=True, channels=0, delivery=Delivery(stops_after=10.0, sound="none")),
    ),
    "synctest": Simulated(
        "flash and beep", lambda w: SyncTestSpec("synctest", w.offset_ms, seed=w.seed, seconds=w.seconds, real_time=w.real_time)
    ),
    "clap": Simulated("a person claps", lambda w: SyncTestSpec("clap", w.offset_ms, seed=w.seed, seconds=w.seconds, real_time=w.real_time)),
    "bars": Simulated("colour bars and tone", lambda w: BarsSpec(seed=w.seed, seconds=w.seconds, real_time=w.real_time)),
}
