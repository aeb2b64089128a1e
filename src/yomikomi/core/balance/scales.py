"""What the axis of sizes can say besides bytes: rate, time of an upload, share of a disc."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from yomikomi.core.video.timecode import spoken
from yomikomi.core.video.units import bit_rate_text, number_text, size_text

ScaleKind = Literal["size", "rate", "upload", "share"]
_STEPS = [m * 10.0**e for e in range(-3, 15) for m in (1, 2, 5)]
# Seconds that people count in.
_TIMES = [1, 2, 5, 10, 20, 30, *(60 * m for m in (1, 2, 5, 10, 20, 30)), *(3600 * h for h in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000))]


@dataclass(frozen=True)
class Scale:
    """``of``: bits a second of an uplink, or bytes of a disc; ``seconds``: length of the copy, for its rate."""

    kind: ScaleKind = "size"
    of: float = 0.0
    seconds: float | None = None

    @property
    def title(self) -> str:
        match self.kind:
            case "rate":
                return "average rate of the copy, with sound"
            case "upload":
                return f"time of an upload at {bit_rate_text(self.of)}"
            case "share":
                return f"share of {size_text(self.of)}"
            case _:
                return "size of the whole copy"

    @property
    def ticks(self) -> list[tuple[float, str]]:
        """Bytes and the figure there, upwards; of sizes where nothing else can be told."""
        if self.kind == "rate" and self.seconds:
            return [(kbps * 125 * self.seconds, bit_rate_text(1000 * kbps).replace(".0 ", " ")) for kbps in _STEPS if kbps >= 1]
        if self.kind == "upload" and self.of:
            return [(seconds * self.of / 8, spoken(seconds)) for seconds in _TIMES]
        if self.kind == "share" and self.of:
            return [(part * self.of / 100, f"{number_text(part)} %") for part in _STEPS]
        return [(size, size_text(size).replace(".00 ", " ").replace(".0 ", " ")) for size in _STEPS if size >= 1000]
