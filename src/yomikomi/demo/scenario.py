"""Who is on the demo shelf. All invented."""

from __future__ import annotations

from yomikomi.core.video.standards import FieldOrder
from yomikomi.sim.player import TapePlayerSpec

# How much of the first tape the demo has captured: enough to show, made in seconds.
EXCERPT_S = 3.0

K001 = TapePlayerSpec(standard="525i", field_order=FieldOrder.TFF, seed=1993, tape="vhs", mixture="lively", seconds=118 * 60)
K002 = TapePlayerSpec(standard="625i", field_order=FieldOrder.BFF, seed=8, tape="video8", mixture="mixed", seconds=42 * 60)
K004_SEED, K004_SECONDS = 4, 3

TITLES = {"K-001": "Lantern parade 1993", "K-002": "Kiln opening", "K-004": "Bow camera at the boat race"}
NOTES = {
    "K-001": "no time-base corrector; linear mono sound",
    "K-002": "visitors' camcorder; bottom field first",
    "K-004": "must play on boxes that know H.264 only",
}
