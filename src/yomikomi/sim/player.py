"""A simulated player: a tape, its deck, and the clock that frames come by."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import asdict, dataclass
from fractions import Fraction
from typing import Any

import numpy as np

from yomikomi.core.video.clocked import ClockedSource, frames_in
from yomikomi.core.video.source import Picture, SourceFormat
from yomikomi.core.video.standards import STANDARDS, FieldOrder
from yomikomi.sim.ambience import sound_of
from yomikomi.sim.canvas import Raster
from yomikomi.sim.programme import Programme
from yomikomi.sim.sound import SAMPLE_RATE, ProgrammeSound
from yomikomi.sim.tape import FORMATS, Tape


@dataclass(frozen=True)
class TapePlayerSpec:
    """A simulated tape in a simulated player.

    Parameters
    ----------
    standard : ``525i`` or ``625i``.
    field_order : which field the recorder box delivers first; None: by the convention of its lines.
    tape : a key of ``sim.tape.FORMATS``.
    corrector : whether the player has a time-base corrector.
    mixture : which scenes, a key of ``sim.programme.MIXTURES``.
    seconds : length of the recording on the tape; None plays for ever.
    real_time : deliver by the clock, as a device does; otherwise as fast as asked.
    """

    standard: str = "525i"
    field_order: FieldOrder | None = None
    seed: int = 1
    tape: str = "vhs"
    corrector: bool = False
    mixture: str = "mixed"
    seconds: float | None = None
    real_time: bool = True
    wide: bool = False

    def open(self) -> TapePlayer:
        return TapePlayer(self)

    @property
    def format(self) -> SourceFormat:
        standard = STANDARDS[self.standard]
        aspect = standard.sample_aspect_16_9 if self.wide else standard.sample_aspect_4_3
        return SourceFormat(standard, self.field_order or standard.first_field, aspect, SAMPLE_RATE, 1)

    def to_json(self) -> dict[str, Any]:
        return {**asdict(self), "kind": "tape player"}

    @classmethod
    def from_json(cls, document: dict[str, Any]) -> TapePlayerSpec:
        fields = {key: value for key, value in document.items() if key != "kind"}
        order = fields.get("field_order")
        return cls(**{**fields, "field_order": FieldOrder(order) if order else None})


class TapePlayer(ClockedSource):
    """The opened source. Pictures depend on the seed and the frame number alone, never on the clock."""

    def __init__(self, spec: TapePlayerSpec, *, now: Callable[[], float] = time.monotonic) -> None:
        self.spec = spec
        standard = spec.format.standard
        super().__init__(spec.format, frames=frames_in(spec.seconds, standard.rate), real_time=spec.real_time, now=now)
        faults = FORMATS[spec.tape]
        self.tape = Tape(faults.with_corrector() if spec.corrector else faults, seed=spec.seed, field_rate=float(standard.field_rate))
        self.programme = Programme(spec.seed, mixture=spec.mixture, rate=standard.rate)
        self.sound: ProgrammeSound = sound_of(self.programme, spec.seed)

    def prepare(self) -> None:
        self.programme.prepare(self.frames)
        self.sound.second(0)  # loads what makes it

    def picture(self, number: int) -> Picture:
        """Frame ``number`` of the tape, whatever the clock says."""
        standard = self.format.standard
        y = np.empty((standard.height, standard.width), np.uint8)
        u = np.empty((standard.height, standard.width // 2), np.uint8)
        v = np.empty_like(u)
        top_first = self.format.field_order is FieldOrder.TFF
        for index, parity in enumerate((0, 1) if top_first else (1, 0)):
            field = 2 * number + index
            raster = Raster(standard.width, standard.height, first=parity, step=2)
            instant = field / standard.field_rate
            planes = self.tape.play(self.programme.draw(number, instant, raster), field)
            y[parity::2], u[parity::2], v[parity::2] = planes
        return Picture(number, y, u, v, self._now())


def truth(spec: TapePlayerSpec, frames: int) -> dict[str, Any]:
    """All that was put into the first ``frames`` frames, for tests and for learning."""
    player = TapePlayer(spec)
    standard = player.format.standard
    seconds = Fraction(frames) / standard.rate
    return {
        "standard": spec.standard,
        "scan": {"kind": "interlaced", "field_order": spec.format.field_order},
        "rate": f"{standard.rate.numerator}/{standard.rate.denominator}",
        "frames": frames,
        "seconds": float(seconds),
        "width": standard.width,
        "height": standard.height,
        "sample_aspect": f"{player.format.sample_aspect.numerator}/{player.format.sample_aspect.denominator}",
        "seed": spec.seed,
        "faults": asdict(player.tape.faults),
        "shots": [asdict(shot) for shot in player.programme.shots(frames)],
        "dropouts": [asdict(hole) for field in range(2 * frames) for hole in player.tape.dropouts_in(field)],
        "sound": {
            "channels": 1,
            "sample_rate": SAMPLE_RATE,
            "passages": [player.sound.kind_at(second) for second in range(int(seconds) + 1)],
        },
    }
